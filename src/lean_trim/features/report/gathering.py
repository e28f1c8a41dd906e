"""A round worked out for its report, without a window."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.proving import prove
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.core.proving.proof import Proof
from lean_trim.features.proof.control import known_tables, written_in
from lean_trim.features.report.content import Report, report_of
from lean_trim.job.left_out import left_out_of
from lean_trim.job.records import Job, Round
from lean_trim.workspace.carrying import earlier_rounds, gather


class Say:
    """Sentences of this module."""

    NO_ROUND = Message(
        "report.no_round", "round {number} is not in this job; it has rounds 1 to {last}"
    )


@dataclass(frozen=True, eq=False)
class Gathered:
    """A report, with what it was made of; None where the drive could not be worked out."""

    report: Report
    solution: Solution | None
    proposal: Proposal | None


def gathered_report(job: Job, number: int | None = None) -> Gathered:
    """Work a round out as the window would, and say it.

    Parameters
    ----------
    job : as it is kept.
    number : of the round; the newest with a log if None.

    Returns
    -------
    The report.

    Raises
    ------
    BadInputError
        If there is no such round.
    LogError
        If its drive cannot be read at all.
    """
    current = _round_of(job, number)
    solution, refused = _solved(job, current)
    proposal = None if solution is None else _proposed(current, solution)
    proof = _proved(job, current, solution or refused, proposal)
    return Gathered(report_of(job, current, solution, proposal, proof), solution, proposal)


def _round_of(job: Job, number: int | None) -> Round:
    if number is None:
        return next((r for r in reversed(job.rounds) if r.logs), job.rounds[-1])
    found = next((r for r in job.rounds if r.number == number), None)
    if found is None:
        raise BadInputError(Say.NO_ROUND(number=number, last=job.rounds[-1].number))
    return found


def _solved(job: Job, current: Round) -> tuple[Solution | None, TooFewError | None]:
    if not current.logs:
        return None, None
    index = job.index_of(current.id)
    assert index is not None
    vehicle = job.vehicle_in(index)
    if current.tuning.airflow_source is not None:
        vehicle = replace(vehicle, airflow_source=current.tuning.airflow_source)
    counting = [e for e in earlier_rounds(job, current, current.tuning) if not e.why_not]
    by_hand = left_out_of((current,))
    try:
        earlier = gather(counting).earlier
        return solve(current.logs, vehicle, current.tuning.solve, by_hand, earlier=earlier), None
    except TooFewError as error:
        return None, error


def _proposed(current: Round, solution: Solution) -> Proposal:
    pinned = np.flatnonzero(current.decided.pinned.ravel()).tolist()
    policy = replace(current.tuning.policy, pinned=frozenset(pinned))
    return propose_for(summary_of(solution), policy)


def _proved(
    job: Job, current: Round, drive: Solution | TooFewError | None, proposal: Proposal | None
) -> Proof | None:
    before = job.round_before(current)
    written = written_in(job, current)
    one_table = len(job.vehicle.airflow_tables) == 1
    if before is None or written is None or drive is None or not one_table:
        return None
    return prove(written, drive, proposal, known_tables(job, current), before.logs)
