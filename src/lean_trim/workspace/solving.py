"""The solution of the round that is looked at.

Asked for, checked against what is wanted when it comes, shown.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from lean_trim.core.decision.prediction import predict_residual
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.explore.events import Event
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.look import NOT_LOOKED
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import Solution, conclude, measure, refit
from lean_trim.core.pipeline.summary import Summary, evidence_of, summary_of
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.core.types import Mask
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.evidence_rows import stored_evidence
from lean_trim.job.left_out import left_out_of
from lean_trim.job.records import Job, Prediction, Round, StoredEvidence
from lean_trim.job.store import JobStore
from lean_trim.job.tuning import Tuning
from lean_trim.workspace.binding import Binding, injector_key, needs_refit_only
from lean_trim.workspace.carrying import EarlierRound, Gathered, earlier_rounds, gather
from lean_trim.workspace.changes import (
    JobClosed,
    Part,
    ProposalChanged,
    RoundChanged,
    SolutionShown,
    SolveFailed,
    TuningTurned,
)
from lean_trim.workspace.kept import KeptAnswers
from lean_trim.workspace.kept_solution import (
    Restored,
    is_of_the_drive,
    kind_of,
    restored,
    solution_key,
)
from lean_trim.workspace.looked import Looked, looked_at
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.outcome import outcome_of
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.tasks import Lane, Report, Tasks
from lean_trim.workspace.tuning import TuningControl

TITLE = "Working out the correction"
LOOK_TITLE = "Looking for faults"
REFIT_TITLE = "Sifting again"


class Say:
    """What solving says."""

    NOT_REFITTED = Message("solving.refit_failed", "{reason}")
    JUDGED = Message(
        "solving.judged", "Round {number} was judged anew: off by {residual:.1f} % rms."
    )
    NOTHING_TO_JUDGE = Message(
        "solving.nothing_to_judge", "This round has no solution to judge it by."
    )


@dataclass(frozen=True, eq=False)
class Shown:
    """What is shown while it is worked out anew, and when it was made."""

    again: Restored
    made: str


class Solver:
    """Holds the solution that is shown, and asks for new ones.

    It hears of turned knobs before any view does, for views show what follows from them.
    """

    def __init__(
        self,
        open_job: OpenJob,
        tasks: Tasks,
        tuning: TuningControl,
        saving: Saving,
        kept: KeptAnswers,
    ) -> None:
        self.open = open_job
        self.kept = kept
        self.tasks = tasks
        self.tuning = tuning
        self.saving = saving
        self.solution: Solution | None = None
        self._solved: Binding | None = None
        self.events: tuple[Event, ...] = ()
        self.tip_in: Mask | None = None
        self.proposals: dict[str, Proposal] = {}
        self.requests = 0
        self.failure = ""
        self.leftover: TooFewError | None = None
        self._asked: Binding | None = None
        self.stopped = False
        self.shown_of = ""
        self.is_restoring = False
        self._base: Solution | None = None
        self._summed: tuple[Solution, Summary] | None = None
        self._again = False
        self._earlier: tuple[tuple[Job, Round, Tuning], tuple[EarlierRound, ...]] | None = None
        open_job.hub.subscribe(TuningTurned, self._turned)
        open_job.hub.subscribe(RoundChanged, self._changed)
        open_job.hub.subscribe(JobClosed, lambda _: self.forget())

    def _turned(self, turned: TuningTurned) -> None:
        """Show what turned knobs make of the solution; solve where that takes the whole way."""
        if turned.settled:
            self.propose_again()
            wanted = self.wanted()
            shown = self.solution.settings if self.solution is not None else None
            # A turn the file refused may have been shown already.
            refused = wanted is not None and shown is not None and shown != wanted.settings
            if self._asked is not None and (self._asked != wanted or refused):
                self.solve()
            return
        if turned.before.policy != turned.now.policy:
            self.propose_again()
        # Delay, regimes and logs need the whole way; that waits until the knob is at rest.
        before = turned.before.solve
        now = turned.now.solve
        if before != now and needs_refit_only(before, now):
            self.refit()

    def _changed(self, changed: RoundChanged) -> None:
        """Solve where a round's kind says that earlier drives do not count any more, or do again."""
        if changed.part is Part.KIND and self._asked not in (None, self.wanted()):
            self.solve()

    @property
    def proposal(self) -> Proposal | None:
        """What is proposed for the table under correction."""
        current = self.open.round
        return None if current is None else self.proposals.get(current.subject)

    def wanted(self) -> Binding | None:
        """What the round that is looked at has to be solved for; None if there is nothing to solve."""
        current = self.open.round
        job = self.open.job
        if current is None or not current.logs or job is None:
            return None
        settled = self.tuning.settled
        return Binding(
            job=self.open.number,
            round_id=current.id,
            revision_id=current.revision.id,
            logs=tuple(info.id for info in current.log_infos),
            left_out=current.left_out,
            earlier=tuple(e.key for e in self.earlier() if not e.why_not),
            settings=settled.solve,
            airflow_source=settled.airflow_source,
            vehicle=job.vehicle,
            injectors=injector_key(job.vehicle_in(self.open.index).injectors),
        )

    @property
    def is_up_to_date(self) -> bool:
        """True if the solution that is shown speaks of the logs and stretches that count now."""
        wanted = self.wanted()
        return (
            wanted is not None
            and self._solved is not None
            and self._solved.same_but_for_settings(wanted)
        )

    @property
    def key(self) -> str:
        """What is worked out from the shown solution is kept under this; "" unless it is the wanted one."""
        return self._key(self._solved) if self._solved is not None and self.is_wanted else ""

    @property
    def is_wanted(self) -> bool:
        """True if the solution that is shown is the very one that would be worked out now."""
        return self._solved is not None and self._solved == self.wanted()

    def earlier(self) -> tuple[EarlierRound, ...]:
        """Rounds with a drive before the one that is looked at, each with why it does not count."""
        current = self.open.round
        job = self.open.job
        if current is None or job is None:
            return ()
        tuning = self.tuning.settled
        # Asked for at every turn, and records are frozen: the same ones have the same answer.
        asked = (job, current, tuning)
        if self._earlier is None or any(
            a is not b for a, b in zip(asked, self._earlier[0], strict=True)
        ):
            self._earlier = (asked, earlier_rounds(job, current, tuning))
        return self._earlier[1]

    def forget(self) -> None:
        """Another round is looked at, or none: what was asked for the old one is not wanted any more."""
        for lane in (Lane.SOLVING, Lane.LOOKING, Lane.REFITTING):
            self.tasks.drop(lane)
        self.solution = None
        self._solved = None
        self._asked = None
        self.events = ()
        self.tip_in = None
        self.proposals = {}
        self._summed = None
        self.failure = ""
        self.leftover = None
        self.stopped = False
        self.shown_of = ""
        self.is_restoring = False
        self._base = None
        self._again = False
        self._earlier = None

    @property
    def has_looked(self) -> bool:
        """True if faults were looked for in what is shown; before that nothing is proposed or handed over."""
        return self.solution is not None and self.solution.seen.done

    def solve(self, use_kept: bool = False) -> None:
        """Work out the correction of the round that is looked at, in the background.

        Drops an earlier request. The table comes first; faults are looked for on a lane of their
        own.

        Parameters
        ----------
        use_kept : show what is kept of the round. If that is of the same drive but otherwise worked out it
            stands there until the new one comes, and ``shown_of`` says when it was made.
        """
        binding = self.wanted()
        vehicle = self.open.vehicle
        current = self.open.round
        if binding is None or vehicle is None or current is None:
            return
        self.requests += 1
        self.is_restoring = False
        self._asked = binding
        self.failure = ""
        self.stopped = False
        self.tasks.drop(Lane.LOOKING)
        counting = tuple(e for e in self.earlier() if not e.why_not)
        kept = self.kept.find(current.id, kind_of(current.subject)) if use_kept else None
        key = "" if kept is None else self._key(binding)
        self.is_restoring = kept is not None and kept.key == key

        def work(report: Report) -> tuple[Solution | TooFewError | Restored, Gathered]:
            gathered = gather(counting, report)
            if kept is not None and is_of_the_drive(kept.key, key):
                again = restored(kept, current, vehicle, gathered.earlier)
                if again is not None and kept.key == key:
                    return again, gathered
                if again is not None:
                    report(0.0, Shown(again, kept.made))
            by_hand = left_out_of((current,))
            try:
                found = measure(
                    current.logs, vehicle, binding.settings, by_hand, report, gathered.earlier
                )
            except TooFewError as error:
                # How far it came is worth showing: what the sieve left out, and why.
                return error, gathered
            return conclude(found, NOT_LOOKED), gathered

        self.tasks.start(
            Lane.SOLVING,
            TITLE,
            work,
            done=lambda answer: self._take_all(binding, *answer),
            failed=lambda reason: self._not_solved(binding, reason),
            on_detail=lambda shown: self._show_meanwhile(binding, shown),
            replace=True,
            stopped=self._was_stopped,
        )

    def _key(self, binding: Binding) -> str:
        """What a solution is kept under."""
        vehicle = self.open.vehicle
        assert vehicle is not None
        counting = [e for e in self.earlier() if not e.why_not]
        return solution_key(binding, vehicle, counting)

    def _take_all(
        self, binding: Binding, answer: Solution | TooFewError | Restored, gathered: Gathered
    ) -> None:
        self.is_restoring = False
        if binding.job == self.open.number:
            self._keep_evidence(gathered)
        if isinstance(answer, Restored):
            self._take_restored(binding, answer)
        else:
            self._take(binding, answer)

    def _take_restored(self, binding: Binding, again: Restored) -> None:
        """Show what was kept of the very drive and settings; nothing is left to be worked out."""
        if binding != self.wanted():
            return
        self.events = again.events
        self.tip_in = again.tip_in
        self._summed = (again.solution, again.summary)
        self._solved = binding
        self._take_over(again.solution)
        self._tell()

    def _show_meanwhile(self, binding: Binding, shown: Shown) -> None:
        """Show what was kept of the drive while it is worked out anew."""
        if binding != self.wanted() or self.solution is not None:
            return
        self._summed = (shown.again.solution, shown.again.summary)
        self.events = shown.again.events
        self.tip_in = shown.again.tip_in
        self._take_over(shown.again.solution)
        self.shown_of = shown.made
        self._tell()

    def _keep_evidence(self, gathered: Gathered) -> None:
        """Keep what had to be worked out of earlier rounds, so that it need not be again."""
        for round_id, evidence in gathered.made.items():
            r = self.open.round_of(round_id)
            if r is None or self.open.read_only:
                continue
            name = r.subject
            try:
                self.open.commit(partial(_save_evidence, round_id, name, evidence))
            except SaveFailedError:
                # It is worked out again from logs that are safe; nothing of the user's is lost.
                return
            self.open.take_round(replace(r, evidence={**r.evidence, name: evidence}), Part.OUTCOME)

    def _was_stopped(self) -> None:
        self.is_restoring = False
        self.stopped = True

    def _not_solved(
        self, binding: Binding, reason: str, leftover: TooFewError | None = None
    ) -> None:
        self.is_restoring = False
        if binding != self.wanted():
            return
        # What an earlier solve said does not hold for what counts now.
        self.solution = None
        self.shown_of = ""
        self.proposals = {}
        self.events = ()
        self.tip_in = None
        self._solved = None
        self.failure = reason
        self.leftover = leftover
        self.open.hub.publish(SolveFailed(binding.round_id, reason))

    def _take(self, binding: Binding, answer: Solution | TooFewError) -> None:
        """Show what was measured and look for faults; an answer nobody wants any more is dropped."""
        if isinstance(answer, TooFewError):
            self._not_solved(binding, str(answer), answer)
            return
        # Round, logs, settings or job are others by now; whatever changed them has asked anew.
        if binding != self.wanted():
            return
        # The table first. One that stands already stays until the new one is whole, so that nothing
        # flickers under a slider.
        first = self.solution is None
        if first:
            self._solved = binding
            self.solution = answer
        self.tasks.start(
            Lane.LOOKING,
            LOOK_TITLE,
            lambda _: looked_at(answer),
            done=lambda looked: self._take_look(binding, looked),
            failed=lambda reason: self._not_solved(binding, reason),
            replace=True,
            stopped=self._was_stopped,
        )
        # Once the look is under way: told before, it would pass for one that was stopped.
        if first:
            self._tell()

    def _take_look(self, binding: Binding, looked: Looked) -> None:
        """Show what was seen with what was measured, or solve on from there."""
        if binding != self.wanted():
            return
        solution = looked.solution
        evidence = looked.evidence
        self.events = looked.events
        self._summed = (solution, looked.summary)
        self.tip_in = looked.tip_in
        self._keep_solution(binding, looked)
        turned = self.tuning.state.solve
        # A knob went on while this was solved: showing it would make the slider jump back.
        if turned != solution.settings and needs_refit_only(solution.settings, turned):
            self._keep_outcome(binding.round_id, solution, None, evidence)
            self._base = solution
            self.refit()
            return
        self._solved = binding
        self._take_over(solution)
        self._keep_outcome(binding.round_id, solution, self.proposal, evidence)
        self._tell()

    def refit(self) -> None:
        """Show what the turned settings give, from where the last solve ended; only the newest matters."""
        solution = self._base or self.solution
        settings = self.tuning.state.solve
        wanted = self.wanted()
        # What waits for its faults to be looked for is refitted when that is done.
        if solution is None or wanted is None or not solution.seen.done:
            return
        # One at a time; turns in between fold into one more at the end.
        if Lane.REFITTING in self.tasks.running:
            self._again = True
            return
        self._base = None
        requests = self.requests
        mask = solution.sifted.by_hand
        self.tasks.start(
            Lane.REFITTING,
            REFIT_TITLE,
            lambda report: refit(solution, settings, mask),
            done=lambda answer: self._take_refit(wanted, requests, answer),
            failed=lambda reason: self._not_refitted(reason),
        )

    def _take_refit(self, binding: Binding, requests: int, solution: Solution) -> None:
        wanted = self.wanted()
        if (
            wanted is not None
            and requests == self.requests
            and binding.same_but_for_settings(wanted)
        ):
            self._solved = wanted
            self._take_over(solution)
            self._tell()
        self._go_on()

    def _not_refitted(self, reason: str) -> None:
        self.open.note(Say.NOT_REFITTED(reason=reason))
        self._go_on()

    def _go_on(self) -> None:
        if self._again:
            self._again = False
            self.refit()

    def _take_over(self, solution: Solution) -> None:
        self.solution = solution
        self.shown_of = ""
        self.failure = ""
        self.leftover = None
        self._propose()

    def _tell(self) -> None:
        current = self.open.round
        if current is not None:
            self.open.hub.publish(SolutionShown(current.id))

    def _propose(self) -> None:
        """Apply the policy to the solution that is shown."""
        solution = self.solution
        current = self.open.round
        assert solution is not None and current is not None
        if not solution.seen.done:
            return
        pinned = np.flatnonzero(current.decided.pinned.ravel()).tolist()
        # Kept: a pin or a knob of the policy makes another proposal of the same drive.
        if self._summed is None or self._summed[0] is not solution:
            self._summed = (solution, summary_of(solution))
        self.proposals[current.subject] = propose_for(
            self._summed[1], replace(self.tuning.state.policy, pinned=frozenset(pinned))
        )

    def propose_again(self) -> None:
        """Apply the policy anew, after it or the pins were changed."""
        current = self.open.round
        if current is None:
            return
        if self.solution is not None:
            self._propose()
        self.open.hub.publish(ProposalChanged(current.id))

    def _keep_solution(self, binding: Binding, looked: Looked) -> None:
        current = self.open.round_of(binding.round_id)
        if current is not None:
            kind = kind_of(current.subject)
            self.kept.keep(binding.round_id, kind, self._key(binding), looked.data)

    def _keep_outcome(
        self, round_id: int, solution: Solution, proposal: Proposal | None, evidence: StoredEvidence
    ) -> None:
        """Keep verdict and proposal of a round that still goes on; that of one that has ended is fixed."""
        current = self.open.round_of(round_id)
        # A look at an old round must not change what was said of it.
        if (
            current is None
            or self.open.read_only
            or not (self.open.goes_on(current) or current.verdict is None)
        ):
            return
        self._save_outcome(current, solution, proposal, evidence)

    def _save_outcome(
        self,
        current: Round,
        solution: Solution,
        proposal: Proposal | None,
        evidence: StoredEvidence,
    ) -> None:
        outcome = outcome_of(solution, proposal, current.subject, evidence)
        try:
            self.open.commit(lambda store: store.save_outcome(current.id, outcome))
        except SaveFailedError as error:
            # A figure that can be worked out again is not worth keeping for elsewhere; that nothing
            # can be saved is worth telling.
            self.saving.refused(error, None)
            return
        proposals = {**current.proposals, **outcome.proposals}
        verdicts = {**current.verdicts, outcome.table_name: outcome.verdict}
        carried = {**current.evidence, outcome.table_name: evidence}
        judged = replace(current, verdicts=verdicts, proposals=proposals, evidence=carried)
        self.open.take_round(judged, Part.OUTCOME)

    def foretold(self, ended: Round) -> Prediction | None:
        """What the next drive should show, if the round is looked at with a solution.

        Parameters
        ----------
        ended : a round whose decided table is driven next.

        Returns
        -------
        The residual with its error, None if nothing can be foretold.
        """
        # With other injector data the table will be asked something else than this drive says.
        if ended.injectors_decided:
            return None
        # One of fewer logs, while the whole is still being solved, would foretell another drive.
        if not self.has_looked or not self.open.shows(ended.id) or not self.is_up_to_date:
            return ended.prediction
        assert self.solution is not None
        residual = self.solution.residual
        foretold = predict_residual(
            self.solution.estimate, ended.result_as_driven.values, residual.rms, residual.seconds
        )
        return None if foretold is None else Prediction(*foretold)

    def judge_anew(self) -> None:
        """Replace the shown round's verdict by what its solution says now, because the user asks for it."""
        current = self.open.round
        solution = self.solution
        if current is None or solution is None or not self.has_looked:
            self.open.note(Say.NOTHING_TO_JUDGE())
            return
        evidence = stored_evidence(evidence_of(solution))
        self._save_outcome(current, solution, self.proposal, evidence)
        judged = self.open.round
        if judged is not None and judged.verdict is not current.verdict:
            self.open.note(Say.JUDGED(number=current.number, residual=solution.residual.rms))


def _save_evidence(
    round_id: int, table_name: str, evidence: StoredEvidence, store: JobStore
) -> None:
    store.save_evidence(round_id, table_name, evidence)
