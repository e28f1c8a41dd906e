"""The solution of the round that is looked at.

Asked for, checked against what is wanted when it comes, shown.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim import __version__
from lean_trim.core.data.joining import join_logs
from lean_trim.core.data.log import Log
from lean_trim.core.decision.prediction import predict_residual
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.decision.round_verdict import DrivenCells
from lean_trim.core.diagnosis.contradiction import implausible
from lean_trim.core.diagnosis.of_fit import gauge_in_question
from lean_trim.core.explore.events import Event, find_events
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.look import NOT_LOOKED
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import (
    DrivenLog,
    Solution,
    conclude,
    look_through,
    measure,
    refit,
)
from lean_trim.core.pipeline.summary import Summary, summary_of
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.core.types import Mask
from lean_trim.job.database import now
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.records import Outcome, Prediction, Round, Span, StoredProposal, Verdict
from lean_trim.job.writing import as_kept
from lean_trim.workspace.binding import Binding, injector_key, needs_refit_only
from lean_trim.workspace.changes import (
    JobClosed,
    Part,
    ProposalChanged,
    SolutionShown,
    SolveFailed,
    TuningTurned,
)
from lean_trim.workspace.open_job import OpenJob
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


class Solver:
    """Holds the solution that is shown, and asks for new ones.

    It hears of turned knobs before any view does, for views show what follows from them.
    """

    def __init__(
        self, open_job: OpenJob, tasks: Tasks, tuning: TuningControl, saving: Saving
    ) -> None:
        self.open = open_job
        self.tasks = tasks
        self.tuning = tuning
        self.saving = saving
        self.solution: Solution | None = None
        self._solved: Binding | None = None
        self.events: tuple[Event, ...] = ()
        self.proposals: dict[str, Proposal] = {}
        self.requests = 0
        self.failure = ""
        self.leftover: TooFewError | None = None
        self._asked: Binding | None = None
        self.stopped = False
        self._base: Solution | None = None
        self._summed: tuple[Solution, Summary] | None = None
        self._again = False
        open_job.hub.subscribe(TuningTurned, self._turned)
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
        rounds = self._rounds_used(current)
        settled = self.tuning.settled
        return Binding(
            job=self.open.number,
            round_id=current.id,
            revision_id=current.revision.id,
            logs=tuple((r.id, info.id) for r in rounds for info in r.log_infos),
            left_out=tuple(r.left_out for r in rounds),
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
    def is_wanted(self) -> bool:
        """True if the solution that is shown is the very one that would be worked out now."""
        return self._solved is not None and self._solved == self.wanted()

    def _rounds_used(self, current: Round) -> tuple[Round, ...]:
        """The round itself, then the earlier ones whose logs count too."""
        job = self.open.job
        also = self.tuning.settled.earlier
        assert job is not None
        before = (
            r for r in job.rounds if r.number < current.number and r.number in also and r.logs
        )
        # On other injector data the table was asked something else.
        return (current, *(r for r in before if job.may_count_together(r, current)))

    def forget(self) -> None:
        """Another round is looked at, or none: what was asked for the old one is not wanted any more."""
        for lane in (Lane.SOLVING, Lane.LOOKING, Lane.REFITTING):
            self.tasks.drop(lane)
        self.solution = None
        self._solved = None
        self._asked = None
        self.events = ()
        self.proposals = {}
        self._summed = None
        self.failure = ""
        self.leftover = None
        self.stopped = False
        self._base = None
        self._again = False

    @property
    def has_looked(self) -> bool:
        """True if faults were looked for in what is shown; before that nothing is proposed or handed over."""
        return self.solution is not None and self.solution.seen.done

    def solve(self) -> None:
        """Work out the correction of the round that is looked at, in the background.

        Drops an earlier request. The table comes first; faults are looked for on a lane of their
        own.
        """
        binding = self.wanted()
        vehicle = self.open.vehicle
        current = self.open.round
        if binding is None or vehicle is None or current is None:
            return
        self.requests += 1
        self._asked = binding
        self.failure = ""
        self.stopped = False
        self.tasks.drop(Lane.LOOKING)
        rounds = self._rounds_used(current)

        def work(report: Report) -> Solution | TooFewError:
            logs = [
                DrivenLog(log, None if r is current else r.table) for r in rounds for log in r.logs
            ]
            try:
                found = measure(logs, vehicle, binding.settings, left_out_of(rounds), report)
            except TooFewError as error:
                # How far it came is worth showing: what the sieve left out, and why.
                return error
            return conclude(found, NOT_LOOKED)

        self.tasks.start(
            Lane.SOLVING,
            TITLE,
            work,
            done=lambda answer: self._take(binding, answer),
            failed=lambda reason: self._not_solved(binding, reason),
            replace=True,
            stopped=self._was_stopped,
        )

    def _was_stopped(self) -> None:
        self.stopped = True

    def _not_solved(
        self, binding: Binding, reason: str, leftover: TooFewError | None = None
    ) -> None:
        if binding != self.wanted():
            return
        # What an earlier solve said does not hold for what counts now.
        self.solution = None
        self.proposals = {}
        self.events = ()
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
            done=lambda whole: self._take_look(binding, *whole),
            failed=lambda reason: self._not_solved(binding, reason),
            replace=True,
            stopped=self._was_stopped,
        )
        # Once the look is under way: told before, it would pass for one that was stopped.
        if first:
            self._tell()

    def _take_look(self, binding: Binding, solution: Solution, events: tuple[Event, ...]) -> None:
        """Show what was seen with what was measured, or solve on from there."""
        if binding != self.wanted():
            return
        self.events = events
        turned = self.tuning.state.solve
        # A knob went on while this was solved: showing it would make the slider jump back.
        if turned != solution.settings and needs_refit_only(solution.settings, turned):
            self._keep_outcome(binding.round_id, solution, None)
            self._base = solution
            self.refit()
            return
        self._solved = binding
        self._take_over(solution)
        self._keep_outcome(binding.round_id, solution, self.proposal)
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

    def _keep_outcome(self, round_id: int, solution: Solution, proposal: Proposal | None) -> None:
        """Keep verdict and proposal of a round that still goes on; that of one that has ended is fixed."""
        current = self.open.round_of(round_id)
        # A look at an old round must not change what was said of it.
        if (
            current is None
            or self.open.read_only
            or not (self.open.goes_on(current) or current.verdict is None)
        ):
            return
        self._save_outcome(current, solution, proposal)

    def _save_outcome(self, current: Round, solution: Solution, proposal: Proposal | None) -> None:
        outcome = outcome_of(solution, proposal, current.subject)
        try:
            self.open.commit(lambda store: store.save_outcome(current.id, outcome))
        except SaveFailedError as error:
            # A figure that can be worked out again is not worth keeping for elsewhere; that nothing
            # can be saved is worth telling.
            self.saving.refused(error, None)
            return
        proposals = {**current.proposals, **outcome.proposals}
        verdicts = {**current.verdicts, outcome.table_name: outcome.verdict}
        self.open.take_round(replace(current, verdicts=verdicts, proposals=proposals), Part.OUTCOME)

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
        foretold = predict_residual(
            self.solution.estimate, ended.result_as_driven.values, self.solution.residual.rms
        )
        return None if foretold is None else Prediction(*foretold)

    def judge_anew(self) -> None:
        """Replace the shown round's verdict by what its solution says now, because the user asks for it."""
        current = self.open.round
        solution = self.solution
        if current is None or solution is None or not self.has_looked:
            self.open.note(Say.NOTHING_TO_JUDGE())
            return
        self._save_outcome(current, solution, self.proposal)
        judged = self.open.round
        if judged is not None and judged.verdict is not current.verdict:
            self.open.note(Say.JUDGED(number=current.number, residual=solution.residual.rms))


def looked_at(measured: Solution) -> tuple[Solution, tuple[Event, ...]]:
    """Look for everything a drive shows that is not airflow; for a thread of its own.

    Returns the same with what was seen, and the drive's events.
    """
    whole = conclude(measured.measured, look_through(measured.measured))
    return whole, find_events(whole)


def outcome_of(solution: Solution, proposal: Proposal | None, table_name: str) -> Outcome:
    """What a solution says of its round, as it is kept.

    Parameters
    ----------
    solution : of one round.
    proposal : for its table, None if it was not made.
    table_name : the table under correction.

    Returns
    -------
    Verdict and proposal with version and date.
    """
    figures = solution.residual
    estimate = solution.estimate
    driven = DrivenCells(
        as_kept(figures.gap_pct),
        as_kept(figures.seconds),
        is_curve=len(estimate.table.axes) == 1,
        doubted=is_doubted(solution),
    )
    verdict = Verdict(
        figures.rms,
        figures.trim_rms,
        figures.within_3,
        program=__version__,
        judged=now(),
        driven=driven,
    )
    if proposal is None:
        return Outcome(table_name, verdict, {})
    stored = StoredProposal(
        asked_pct=as_kept(estimate.correction_pct),
        step_pct=as_kept(proposal.step_pct),
        std_error_pct=as_kept(estimate.own_error_pct),
        status=tuple(str(s) for s in proposal.status.ravel()),
        program=__version__,
        made=now(),
    )
    return Outcome(table_name, verdict, {table_name: stored})


def is_doubted(solution: Solution) -> bool:
    """Whether something speaks against a drive as a whole, so that it is compared with no other.

    Parameters
    ----------
    solution : of one round.

    Returns
    -------
    True for a log that does not fit the vehicle, and for a gauge that is in question.
    """
    return (
        bool(solution.contradictions)
        or implausible(solution.residual.rms) is not None
        or gauge_in_question(solution.findings) is not None
    )


def left_out_of(rounds: tuple[Round, ...]) -> Mask | None:
    """Samples of the rounds' joined logs that were left out by hand, (n,); None if there are none.

    Parameters
    ----------
    rounds : whose logs are solved together, in that order.

    Returns
    -------
    True for samples to leave out, or None.
    """
    if not any(r.left_out for r in rounds):
        return None
    return np.concatenate([_left_out(join_logs(r.logs), r.left_out) for r in rounds])


def _left_out(log: Log, spans: tuple[Span, ...]) -> Mask:
    out = np.zeros(len(log), bool)
    for span in spans:
        out |= (log.time_s >= span.start_s) & (log.time_s <= span.end_s)
    return out
