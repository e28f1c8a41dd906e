"""The proof of the round before the one that is looked at: made when its desk asks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.carried import PlaceMeans
from lean_trim.core.messages import Message
from lean_trim.core.proving.proof import Proof
from lean_trim.core.proving.transfer import Written
from lean_trim.job.evidence_rows import evidence_from
from lean_trim.job.records import Job, Round
from lean_trim.workspace.changes import JobClosed, ProposalChanged, SolutionShown, SolveFailed
from lean_trim.workspace.lookup import Lookup
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tasks import Lane, Tasks

LANE = Lane("proof")


class Say:
    """What proving says."""

    PROVING = Message("proof_control.proving", "Judging the round before")
    FIRST = Message(
        "proof_control.first",
        "The first round has nothing to prove: its drive is what the next one is judged by.",
    )
    NO_LOG = Message(
        "proof_control.no_log", "This round has no drive yet: it will prove the round before."
    )
    NOT_SOLVED = Message(
        "proof_control.not_solved", "The drive of this round is not worked out yet."
    )
    NOT_KEPT = Message(
        "proof_control.not_kept",
        "What the drive of round {number} asked was not kept: look at that round, and it is worked out.",
    )
    SEVERAL = Message(
        "proof_control.several", "A round is proved for an ECU with one airflow table so far."
    )
    AXES = Message(
        "proof_control.axes", "Round {number} was driven on a table with other breakpoints."
    )
    NOT_MADE = Message(
        "proof_control.not_made", "No round was judged yet: turn to the Proof desk first."
    )


@dataclass(frozen=True)
class ProofMade:
    """A proof was made, or could not be."""


@dataclass(frozen=True)
class TrendPoint:
    """One round in the course of all: what its drive showed, NaN where that is not known."""

    number: int
    rms_pct: float
    worst_lean_pct: float
    within_3_pct: float
    trim_rms_pct: float
    flashes: int


def written_in(job: Job, current: Round) -> Written | None:
    """What the round before handed over, as the current one was driven on it.

    Parameters
    ----------
    job : of the round.
    current : with the drive after.

    Returns
    -------
    None where what that round asked was not kept.
    """
    before = job.round_before(current)
    if before is None:
        return None
    kept = before.proposals.get(current.subject)
    if kept is None or not before.table.same_axes(current.table):
        return None
    shape = before.table.shape
    verdict = before.verdict
    seconds = np.zeros(shape)
    if verdict is not None and verdict.driven is not None:
        seconds = np.asarray(verdict.driven.seconds).reshape(shape)
    return Written(
        before=before.table,
        after=current.table,
        asked_pct=kept.asked_pct.reshape(shape),
        error_pct=kept.std_error_pct.reshape(shape),
        seconds=seconds,
        means=_means_of(before, current),
    )


def _means_of(before: Round, current: Round) -> PlaceMeans | None:
    """What the drive of a round said place by place; None where that was not kept, or of other axes."""
    stored = before.evidence.get(current.subject)
    if stored is None:
        return None
    try:
        found = evidence_from(stored)
    except BadInputError:
        return None
    return found.means if found.table.same_axes(current.table) else None


def known_tables(job: Job, current: Round) -> dict[str, Table]:
    """Tables of earlier rounds, by name, beside those of this step."""
    before = job.round_before(current)
    skipped = {current.id} if before is None else {current.id, before.id}
    return {
        f"that of round {r.number}": r.table
        for r in reversed(job.rounds)
        if r.id not in skipped and r.number < current.number
    }


def trend_of(job: Job) -> tuple[TrendPoint, ...]:
    """The course over all rounds with a drive.

    Parameters
    ----------
    job : with its rounds.

    Returns
    -------
    In their order; flashes are how often another calibration was driven since the first.
    """
    out = []
    flashes = 0
    last: Round | None = None
    for r in job.rounds:
        if not r.logs:
            continue
        if last is not None and not last.revision.calibration.same_as(r.revision.calibration):
            flashes += 1
        last = r
        v = r.verdict
        lean = float("nan")
        if v is not None and v.driven is not None and np.isfinite(v.driven.gap_pct).any():
            lean = float(np.nanmax(v.driven.gap_pct))
        nan = float("nan")
        out.append(
            TrendPoint(
                number=r.number,
                rms_pct=nan if v is None else v.residual_rms,
                worst_lean_pct=lean,
                within_3_pct=nan if v is None else v.within_3,
                trim_rms_pct=nan if v is None else v.trim_rms,
                flashes=flashes,
            )
        )
    return tuple(out)


class ProofControl:
    """Nothing is judged before a desk asks."""

    def __init__(self, open_job: OpenJob, tasks: Tasks, solver: Solver) -> None:
        self.open = open_job
        self.solver = solver
        self.proof: Proof | None = None
        self._made_of: object = None
        self.lookup = Lookup(tasks, LANE, lambda: open_job.hub.publish(ProofMade()))
        hub = open_job.hub
        hub.subscribe(JobClosed, lambda _: self.forget())
        for message in (SolutionShown, ProposalChanged, SolveFailed):
            hub.subscribe(message, lambda _: self.look())

    @property
    def said(self) -> str:
        """Why there is no proof, "" where there is one or it is being made."""
        return self._refusal or self.lookup.failure

    @property
    def _refusal(self) -> str:
        job = self.open.job
        current = self.open.round
        vehicle = self.open.vehicle
        if job is None or current is None or vehicle is None:
            return str(Say.NOT_SOLVED())
        if len(vehicle.airflow_tables) > 1:
            return str(Say.SEVERAL())
        before = job.round_before(current)
        if before is None or not before.logs:
            return str(Say.FIRST())
        if not current.logs:
            return str(Say.NO_LOG())
        if not before.table.same_axes(current.table):
            return str(Say.AXES(number=before.number))
        if written_in(job, current) is None:
            return str(Say.NOT_KEPT(number=before.number))
        refused = self.solver.leftover is not None
        ready = self.solver.solution is not None and self.solver.proposal is not None
        return "" if ready or refused else str(Say.NOT_SOLVED())

    def trend(self) -> tuple[TrendPoint, ...]:
        """The course over all rounds."""
        return () if self.open.job is None else trend_of(self.open.job)

    def want(self) -> None:
        """A desk shows proofs from now on."""
        self.lookup.is_wanted = True
        self.look()

    def look(self) -> None:
        """Judge, unless that is done."""
        if not self.lookup.is_wanted:
            return
        job = self.open.job
        current = self.open.round
        if self._refusal or job is None or current is None:
            if self.proof is not None:
                self.proof = None
                self._made_of = None
                self.open.hub.publish(ProofMade())
            return
        drive = self.solver.solution or self.solver.leftover
        proposal = self.solver.proposal if self.solver.solution is not None else None
        written = written_in(job, current)
        assert written is not None and drive is not None
        others = known_tables(job, current)
        before = job.round_before(current)
        logs = () if before is None else before.logs

        def work(_: object) -> Proof:
            from lean_trim.core.pipeline.proving import prove

            return prove(written, drive, proposal, others, logs)

        # By identity: a number of one that is gone may come again.
        key = (self.open.number, drive, proposal)
        if self.proof is not None and self._made_of == key:
            return
        self.lookup.look(key, str(Say.PROVING()), work, lambda proof: self._take(key, proof))

    def _take(self, key: object, proof: Proof) -> None:
        self.proof = proof
        self._made_of = key

    def shown(self) -> Proof:
        """The proof. Raises BadInputError if none was made."""
        if self.proof is None:
            raise BadInputError(self.said or Say.NOT_MADE())
        return self.proof

    def forget(self) -> None:
        """Another job or none."""
        self.proof = None
        self._made_of = None
        self.lookup.forget()
