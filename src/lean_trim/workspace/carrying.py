"""Which earlier rounds count for a later one, and what their drives said."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError, LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.carrying import DriveEvidence, Earlier
from lean_trim.core.pipeline.solve import DrivenLog, Progress, solve
from lean_trim.core.pipeline.summary import evidence_of
from lean_trim.job.evidence_rows import evidence_from, stored_evidence
from lean_trim.job.left_out import left_out_of
from lean_trim.job.records import SWAP, Job, Round, Span, StoredEvidence
from lean_trim.job.tuning import Tuning

DAYS_A_MONTH = 30.44


class Say:
    """Why an earlier round does not count."""

    LEFT = Message("carrying.left", "left out by you")
    CHANGED = Message("carrying.changed", "the car is another since round {number}: {what}")
    SWAPPED = Message("carrying.swapped", "other injectors since round {number}")
    INJECTORS = Message("carrying.injectors", "driven on other injector data or another scale")
    TABLE = Message("carrying.table", "driven on another kind of table")


@dataclass(frozen=True, eq=False)
class EarlierRound:
    """A round with a drive before the one that is looked at.

    Attributes
    ----------
    round, vehicle : as it was driven.
    months : between the two drives.
    why_not : why it does not count, "" if it does.
    """

    round: Round
    vehicle: Vehicle
    months: float
    why_not: str

    @property
    def key(self) -> tuple[int, tuple[int, ...], tuple[Span, ...]]:
        """What its evidence hangs on."""
        return (self.round.id, tuple(i.id for i in self.round.log_infos), self.round.left_out)


def earlier_rounds(job: Job, current: Round, tuning: Tuning) -> tuple[EarlierRound, ...]:
    """All rounds with a drive before another.

    Parameters
    ----------
    job : of the round.
    current : the later one.
    tuning : its settings as they stand.

    Returns
    -------
    Oldest first, each with why it does not count.
    """
    out = []
    for index, r in enumerate(job.rounds):
        if r.number >= current.number or not r.logs:
            continue
        vehicle = job.vehicle_in(index)
        if r.tuning.airflow_source is not None:
            vehicle = replace(vehicle, airflow_source=r.tuning.airflow_source)
        why = _why_not(job, r, current, tuning)
        out.append(EarlierRound(r, vehicle, _months(r, current), why))
    return tuple(out)


def _why_not(job: Job, earlier: Round, current: Round, tuning: Tuning) -> str:
    if earlier.number in tuning.left_earlier:
        return str(Say.LEFT())
    for r in reversed(job.rounds):
        if not earlier.number < r.number <= current.number:
            continue
        what = tuning.car_changed if r.id == current.id else r.tuning.car_changed
        if what:
            return str(Say.CHANGED(number=r.number, what=what))
        if r.kind == SWAP:
            return str(Say.SWAPPED(number=r.number))
    if not job.same_injectors(earlier, current):
        return str(Say.INJECTORS())
    return "" if _same_kind(earlier.table, current.table) else str(Say.TABLE())


def _same_kind(one: Table, other: Table) -> bool:
    """Whether a place of one is a place of the other."""
    axes = [(a.name, a.unit) for a in one.axes]
    return one.unit == other.unit and axes == [(a.name, a.unit) for a in other.axes]


def _months(earlier: Round, later: Round) -> float:
    """Between the days their logs came in, in whole days."""
    return max((_day(later) - _day(earlier)).days, 0) / DAYS_A_MONTH


def _day(r: Round) -> datetime:
    added = [info.added for info in r.log_infos if info.added] or [r.started]
    return datetime.fromisoformat(max(added)).replace(tzinfo=None)


@dataclass(frozen=True, eq=False)
class Gathered:
    """Evidence of earlier rounds, and what had to be worked out for it, by round."""

    earlier: tuple[Earlier, ...]
    made: dict[int, StoredEvidence]


def gather(rounds: Sequence[EarlierRound], progress: Progress | None = None) -> Gathered:
    """What the drives of earlier rounds said; for a thread of its own.

    Parameters
    ----------
    rounds : those that count.
    progress : answers False to cancel.

    Returns
    -------
    Evidence as it is kept; of a round that has none it is worked out. A round that cannot be worked out
    says nothing.
    """
    found = []
    made = {}
    for one in rounds:
        evidence = _kept(one.round)
        if evidence is None:
            evidence = _worked_out(one, progress)
            if evidence is None:
                continue
            made[one.round.id] = stored_evidence(evidence)
        found.append(Earlier(one.round.number, evidence, one.months))
    return Gathered(tuple(found), made)


def _kept(r: Round) -> DriveEvidence | None:
    stored = r.evidence.get(r.subject)
    if stored is None:
        return None
    try:
        return evidence_from(stored)
    except BadInputError:
        # Of another version: worked out anew from the logs, which are what counts.
        return None


def _worked_out(one: EarlierRound, progress: Progress | None) -> DriveEvidence | None:
    logs = [DrivenLog(log) for log in one.round.logs]
    try:
        solution = solve(
            logs, one.vehicle, one.round.tuning.solve, left_out_of((one.round,)), progress
        )
    except LeanTrimError:
        return None
    return evidence_of(solution)
