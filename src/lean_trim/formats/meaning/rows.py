"""The rows of a log: which column is the time, and every channel's readings brought onto common rows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.placing import common_rows, place
from lean_trim.core.errors import AskedError, LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints, Mask
from lean_trim.formats.decode.columns import Column, RawColumns
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.names import candidates, says, time_score
from lean_trim.formats.meaning.timebase import TimeUnit, seconds_from, settle_time, time_unit
from lean_trim.formats.meaning.units import is_unit, tells_time


class Say:
    """Sentences of this module."""

    NO_TIME_COLUMN = Message(
        "rows.no_time_column",
        "{name} has no time column; name one 'Time' (s, ms or clock time), or say its rate in "
        "rows a second",
    )
    NO_SUCH_TIME = Message("rows.no_such_time", "{name} has no column {column!r} to be the time")
    BY_RATE = Message("rows.by_rate", "{rate:g} rows a second, as you said")
    BY_HEAD = Message("rows.by_head", "{rate:g} rows a second, as the head of the file says")
    OWN_TIMES = Message(
        "rows.own_times", "{count} columns with times; each holds for the columns behind it"
    )


RATES_HZ = (0.05, 20_000.0)
"""Rows a second anybody may name."""
SPARSE = 0.6
"""Share of filled rows below which a column has readings of its own times, with nothing between
them."""
LEAST_TIME = 0.5
DOUBTFUL_TIME = 0.25
MOSTLY = 0.9
"""Share of its steps in which a clock goes on; logs are appended to, and rows change places."""
NAMED = 0.7
"""How well a name has to stand for a channel to be no time, though it rises as one."""
EVENLY = 0.98
EVEN = 2.0
"""A column without a name is the time where so many of its steps are so near the usual one: a distance
goes on as well, but not evenly."""
LEAST_STEPS = 20
PARALLEL = 0.02
"""Two clocks whose steps differ by less than this share are one clock."""


@dataclass(frozen=True, eq=False)
class Rows:
    """Where the readings of each column lie in time, and the rows of the log.

    Attributes
    ----------
    time_s : of the rows, s, shape (n,).
    joints_s : where another recording begins.
    notes : what was done.
    group_times : by group of columns, s, for logs whose channels have times of their own; empty for
        tables.
    order : rows of the table in the order of time, for tables.
    clocks : columns that are times.
    unit : that the time was read in, with what else it could be; None where the file itself tells
        it.
    groups : group of each column, by index, where columns were parted by their times.
    """

    time_s: Floats
    joints_s: tuple[float, ...] = ()
    notes: tuple[str, ...] = ()
    group_times: Mapping[int, Floats] = field(default_factory=dict)
    order: Ints | None = None
    clocks: frozenset[int] = frozenset()
    unit: TimeUnit | None = None
    groups: Mapping[int, int] = field(default_factory=dict)

    def placed(self, column: Column, values: Floats, role: Role) -> tuple[Floats, Mask | None]:
        """A column's converted readings on the rows, and the rows with a new reading (None: all of them)."""
        if not self.group_times:
            ordered = values if self.order is None else values[self.order]
            return self._between(ordered, role)
        time = self.group_times[self.groups.get(column.index, column.group)]
        known = np.isfinite(values) & np.isfinite(time)
        if len(time) == len(self.time_s) and time is self.time_s:
            return values, None
        stamps = time[known]
        order = np.argsort(stamps, kind="stable")
        placed, fresh = place(stamps[order], values[known][order], self.time_s, role)
        # With a reading in every row it is as in a table of rows: what repeats itself there is told alike.
        return placed, None if fresh is not None and fresh.all() else fresh

    def _between(self, values: Floats, role: Role) -> tuple[Floats, Mask | None]:
        known = np.isfinite(values)
        filled = int(np.count_nonzero(known))
        # A few blanks are holes; where most rows are blank, the channel is slower than the rows.
        if filled >= SPARSE * len(values) or filled < 2:
            return values, None
        return place(self.time_s[known], values[known], self.time_s, role)


def rows_of(
    raw: RawColumns, used: Iterable[Column], name: str, choices: Choices, lead: int = -1
) -> Rows:
    """Settle the time of a log.

    Parameters
    ----------
    raw : columns as they stand in the file.
    used : columns that play a role; the fastest of them gives the rows.
    name : of the log, for messages.
    choices : the user's word.
    lead : position of the column whose times are preferred, lambda's.

    Returns
    -------
    Rows, and where every column's readings lie.

    Raises
    ------
    LogError
        If there is no usable time.
    """
    # The preferred one stands first.
    wanted = sorted((c for c in used if c.index in raw.values), key=lambda c: c.index != lead)
    leads = lead >= 0
    if raw.times:
        times = {c.group: raw.times[c.group] for c in wanted if c.group in raw.times}
        return _of_groups(times, {}, raw, wanted, name, frozenset(), None, leads)
    clocks = time_columns(raw, choices, name)
    rate = choices.rate_hz or raw.rate_hz
    if not clocks and rate > 0.0:
        count = max((len(v) for v in raw.values.values()), default=0)
        said = str((Say.BY_RATE if choices.rate_hz else Say.BY_HEAD)(rate=rate))
        return _of_table(np.arange(count) / rate, raw, wanted, name, None, None, leads, (said,))
    if not clocks:
        raise AskedError(Say.NO_TIME_COLUMN(name=name), "rate")
    if len(clocks) > 1:
        return _parted(clocks, raw, wanted, name, leads)
    clock = clocks[0]
    values = raw.values[clock.index]
    unit = time_unit(values, choices.time_unit or clock.unit)
    return _of_table(
        seconds_from(values, choices.time_unit or clock.unit), raw, wanted, name, clock, unit, leads
    )


def time_columns(raw: RawColumns, choices: Choices, name: str) -> list[Column]:
    """The columns that are times: none, one, or one before each part of the columns.

    Parameters
    ----------
    raw : columns as they stand in the file.
    choices : the user's word.
    name : of the log, for messages.

    Returns
    -------
    In the order of the file.
    """
    if choices.time:
        said = next(
            (c for c in raw.columns if c.name == choices.time and c.index in raw.values), None
        )
        if said is None:
            raise LogError(Say.NO_SUCH_TIME(name=name, column=choices.time))
        return [said]
    roles = {n for n, c in choices.columns.items() if c.role is not None}
    able = [
        c for c in raw.columns if c.index in raw.values and c.name not in roles and may_be_clock(c)
    ]
    scored = [
        (score, c)
        for c in able
        if (score := time_score(c.own_name)) >= DOUBTFUL_TIME
        and np.isfinite(raw.values[c.index]).any()
    ]
    if not scored:
        return _by_content(able, raw)
    moving = [c for s, c in scored if s >= LEAST_TIME and _runs(raw.values[c.index])]
    # An injection time is a time as well, but goes up and down.
    rising = [c for c in moving if _rises(raw.values[c.index])]
    # Where what is called a time does not go on, what does is the clock, whatever it is called.
    good = rising or _by_content(able, raw) or moving
    if not good:
        return [max(scored, key=lambda e: e[0])[1]] if scored else []
    # A clock with nothing behind it, or beside the first one, is only another view of the same
    # time.
    last = max(c.index for c in raw.columns if c.index in raw.values)
    parts = [c for c in good[1:] if c.index < last and not _parallel(raw, good[0], c)]
    adjacent = any(b.index == a.index + 1 for a, b in zip([good[0], *parts], parts, strict=False))
    if parts and not adjacent:
        return [good[0], *parts]
    return (
        [max(((time_score(c.own_name), -c.index), c) for c in good)[1]] if len(good) > 1 else good
    )


def may_be_clock(column: Column) -> bool:
    """Whether a column's unit allows it to be the time of the rows.

    Parameters
    ----------
    column : with its unit.

    Returns
    -------
    False for a unit of something else.
    """
    return not is_unit(column.unit) or tells_time(column.unit)


def _is_named(column: Column) -> bool:
    """Whether a column's name stands for a channel, and says nothing of time."""
    return any(c.score >= NAMED for c in candidates(column)) and not says(column, "time")


def _by_content(able: Sequence[Column], raw: RawColumns) -> list[Column]:
    """The one column that rises all along in even steps, whatever it is called."""
    rising = [
        c for c in able if not _is_named(c) and _rises(raw.values[c.index], EVENLY, even=True)
    ]
    by_unit = [c for c in rising if tells_time(c.unit)]
    found = by_unit or rising
    return found[:1] if len(found) == 1 or by_unit else []


def _rises(values: Floats, share: float = MOSTLY, even: bool = False) -> bool:
    """Whether a column goes up in nearly all of its steps, and in even ones where that is wanted.

    A number of the row does so too, but in steps of exactly one.
    """
    known = values[np.isfinite(values)]
    steps = np.diff(known)
    # What rests for most rows, as a temperature does, must not pass for one that goes on.
    moved = steps[steps != 0.0]
    if len(steps) < LEAST_STEPS or not len(moved) or float(np.mean(moved > 0.0)) < share:
        return False
    if not even:
        return True
    middle = float(np.median(steps))
    counts = bool(np.all(known[:1000] == np.round(known[:1000]))) and middle == 1.0
    alike = (steps > middle / EVEN) & (steps < EVEN * middle)
    return middle > 0.0 and not counts and float(np.mean(alike)) > share


def _runs(values: Floats) -> bool:
    known = values[np.isfinite(values)]
    # A date stands still, and so does the time a logger was started at.
    return len(known) > 1 and float(known.max()) > float(known.min())


def _parallel(raw: RawColumns, a: Column, b: Column) -> bool:
    first = raw.values[a.index]
    second = raw.values[b.index]
    if len(first) != len(second):
        return False
    both = np.isfinite(first) & np.isfinite(second)
    # Clocks of parts of a table end at other rows.
    if both.sum() < 0.98 * max(np.isfinite(first).sum(), np.isfinite(second).sum()):
        return False
    spans = np.ptp(seconds_from(first[both], a.unit)), np.ptp(seconds_from(second[both], b.unit))
    return (
        bool(abs(spans[0] - spans[1]) <= PARALLEL * max(*spans, 1e-9))
        and not np.array_equal(first[both], second[both])
    ) or bool(np.array_equal(first[both], second[both]))


def _of_table(
    time: Floats,
    raw: RawColumns,
    wanted: Sequence[Column],
    name: str,
    clock: Column | None,
    unit: TimeUnit | None,
    leads: bool,
    notes: tuple[str, ...] = (),
) -> Rows:
    base = settle_time(time, name)
    whole = len(base.order) == len(time) and bool((np.diff(base.order) == 1).all())
    # Taking rows by index would copy every channel of a long log for nothing.
    order = None if whole else base.order
    clocks = frozenset() if clock is None else frozenset((clock.index,))
    rows = Rows(base.time_s, base.joints_s, (*notes, *base.notes), {}, order, clocks, unit)
    shares = [
        np.count_nonzero(np.isfinite(v := raw.values[c.index])) / max(len(v), 1) for c in wanted
    ]
    if not shares or max(shares) >= SPARSE:
        return rows
    # Polled in turn: every row holds a reading of one channel, and the fastest of them makes the
    # rows.
    times = {}
    for c in wanted:
        ordered = raw.values[c.index][base.order]
        times[c.index] = np.where(np.isfinite(ordered), base.time_s, np.nan)
    known = [t[np.isfinite(t)] for t in times.values()]
    fastest = common_rows([t for t in known if len(t) > 1], known[0] if leads else None)
    return replace(
        rows,
        time_s=fastest,
        group_times={i: _reordered(t, base.order, len(time)) for i, t in times.items()},
        groups={i: i for i in times},
    )


def _reordered(times: Floats, order: Ints, count: int) -> Floats:
    """Times in the order of the file, as the readings stand."""
    out = np.full(count, np.nan)
    out[order] = times
    return out


def _parted(
    clocks: Sequence[Column], raw: RawColumns, wanted: Sequence[Column], name: str, leads: bool
) -> Rows:
    """A table in which each clock holds for the columns behind it."""
    groups = {}
    for column in raw.columns:
        before = [c.index for c in clocks if c.index < column.index]
        groups[column.index] = before[-1] if before else clocks[0].index
    units = {c.index: time_unit(raw.values[c.index], c.unit) for c in clocks}
    firsts = [v[np.isfinite(v)][0] for c in clocks if np.isfinite(v := raw.values[c.index]).any()]
    origin = float(min(firsts))
    times = {
        c.index: seconds_from(raw.values[c.index], c.unit or units[c.index].unit, origin)
        for c in clocks
    }
    unit = units[clocks[0].index]
    note = str(Say.OWN_TIMES(count=len(clocks)))
    rows = _of_groups(
        times, groups, raw, wanted, name, frozenset(c.index for c in clocks), unit, leads
    )
    return replace(rows, notes=(note, *rows.notes))


def _of_groups(
    times: Mapping[int, Floats],
    groups: Mapping[int, int],
    raw: RawColumns,
    wanted: Sequence[Column],
    name: str,
    clocks: frozenset[int],
    unit: TimeUnit | None,
    leads: bool,
) -> Rows:
    used = {groups.get(c.index, c.group) for c in wanted}
    known = {}
    for group in used & set(times):
        stamps = times[group][np.isfinite(times[group])]
        if len(stamps) > 1:
            known[group] = stamps
    if not known:
        raise AskedError(Say.NO_TIME_COLUMN(name=name), "rate")
    first = groups.get(wanted[0].index, wanted[0].group)
    fastest = common_rows(known.values(), known.get(first) if leads else None)
    base = settle_time(fastest, name)
    own = next((g for g, t in known.items() if t is fastest), None)
    if (
        own is not None
        and len(times[own]) == len(base.time_s)
        and np.array_equal(base.time_s, fastest)
    ):
        # Shared, so that channels of this group are taken as they are.
        times = {**times, own: base.time_s}
    joints = tuple(dict.fromkeys((*raw.joints_s, *base.joints_s)))
    return Rows(base.time_s, joints, base.notes, dict(times), None, clocks, unit, dict(groups))
