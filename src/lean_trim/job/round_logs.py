"""Taking a log out of a round and putting one in: pure functions on records.

Stretches and bookmarks of a round lie on the time base of its joined logs. They move with what they
were made on: those of a log that goes leave with it, those of later logs are shifted.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lean_trim.core.data.joining import joined_starts
from lean_trim.job.records import LogInfo, Mark, RestingLog, Round, Span, StoredLog


def logs_apart(r: Round) -> tuple[RestingLog, ...]:
    """The logs that count, each with its stretches and bookmarks on its own time base.

    Returns in the order they were driven. A stretch that reaches over a joint is cut there.
    """
    out = []
    for info, log, start in zip(r.log_infos, r.logs, joined_starts(r.logs), strict=True):
        shift = start - float(log.time_s[0])
        end = start + log.duration_s
        inside = [s for s in r.left_out if s.end_s >= start and s.start_s <= end]
        spans = [Span(max(s.start_s, start) - shift, min(s.end_s, end) - shift) for s in inside]
        marks = [Mark(m.time_s - shift, m.text) for m in r.marks if start <= m.time_s <= end]
        out.append(RestingLog(info, log, tuple(spans), tuple(marks)))
    return tuple(out)


def with_logs(r: Round, apart: tuple[RestingLog, ...]) -> Round:
    """A round with other logs that count, without verdict and proposals, which spoke of those before.

    Parameters
    ----------
    r : a round.
    apart : logs in the order they are to be joined, with what was marked on them.

    Returns
    -------
    A new round.
    """
    logs = tuple(x.log for x in apart)
    spans: list[Span] = []
    marks: list[Mark] = []
    for x, start in zip(apart, joined_starts(logs), strict=True):
        shift = start - float(x.log.time_s[0])
        spans += [Span(s.start_s + shift, s.end_s + shift) for s in x.left_out]
        marks += [Mark(m.time_s + shift, m.text) for m in x.marks]
    return replace(
        r.without_outcome(),
        logs=logs,
        log_infos=tuple(x.info for x in apart),
        left_out=tuple(spans),
        marks=tuple(marks),
    )


def marks_with(r: Round | None, added: Sequence[StoredLog]) -> tuple[Mark, ...]:
    """Bookmarks of a round with more logs at its end, on the time base of all of them.

    Parameters
    ----------
    r : a round; None for one that is only begun.
    added : logs with what they bring along.

    Returns
    -------
    In the order of their times.
    """
    before = () if r is None else r.logs
    starts = joined_starts((*before, *(x.log for x in added)))[len(before) :]
    marks = [] if r is None else list(r.marks)
    for x, start in zip(added, starts, strict=True):
        shift = start - float(x.log.time_s[0])
        marks += [Mark(m.time_s + shift, m.text) for m in x.marks]
    return tuple(sorted(marks, key=lambda m: m.time_s))


def find_log(r: Round, log_id: int) -> RestingLog | None:
    """A log of a round with what was marked on it, counting or resting; None if it is not there."""
    return next((x for x in (*logs_apart(r), *r.resting) if x.info.id == log_id), None)


def without_log(r: Round, log_id: int) -> Round:
    """A round without one of its logs, counting or resting."""
    if any(x.info.id == log_id for x in r.resting):
        return replace(r, resting=tuple(x for x in r.resting if x.info.id != log_id))
    return with_logs(r, tuple(x for x in logs_apart(r) if x.info.id != log_id))


def with_log_resting(r: Round, log_id: int) -> Round:
    """A round one of whose logs does not count any more, but stays."""
    found = find_log(r, log_id)
    if found is None:
        return r
    return replace(without_log(r, log_id), resting=(*r.resting, found))


def with_log_counting(r: Round, added: RestingLog) -> Round:
    """A round with a log more at its end, with what was marked on it.

    Parameters
    ----------
    r : a round.
    added : a log of this round that rested, or one of another round.

    Returns
    -------
    A new round.
    """
    rest = tuple(x for x in r.resting if x.info.id != added.info.id)
    return with_logs(replace(r, resting=rest), (*logs_apart(r), added))


def with_log_replaced(r: Round, log_id: int, info: LogInfo, stored: StoredLog) -> Round:
    """A round with another log in the place of one, without stretches and bookmarks but its own there."""
    new = RestingLog(info, stored.log, marks=stored.marks)
    if any(x.info.id == log_id for x in r.resting):
        return replace(r, resting=tuple(new if x.info.id == log_id else x for x in r.resting))
    return with_logs(r, tuple(new if x.info.id == log_id else x for x in logs_apart(r)))
