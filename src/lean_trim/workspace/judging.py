"""A round's drive compared with the one before it: the one place rail, header and lists take it from."""

from __future__ import annotations

from lean_trim.core.decision.round_verdict import RoundVerdict, compare
from lean_trim.job.records import Job, Round, cells_written


def verdict_of(job: Job, current: Round) -> RoundVerdict | None:
    """What the drive of a round shows of what was decided before it.

    Parameters
    ----------
    job : of the round.
    current : with or without logs.

    Returns
    -------
    The comparison; None of a first round, and of one that was not worked out.
    """
    before = job.round_before(current)
    if before is None or before.verdict is None or current.verdict is None:
        return None
    return compare(before.verdict.driven, current.verdict.driven, cells_written(before, current))
