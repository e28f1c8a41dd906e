"""The plan of the next drive: made when its desk asks, for the table as it would be written now."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.planning.card import card_lines
from lean_trim.core.planning.open_questions import open_questions
from lean_trim.core.planning.plan import Plan, Where
from lean_trim.core.sieve.rules_engine import settling
from lean_trim.core.types import Floats
from lean_trim.workspace.changes import JobClosed, ProposalChanged, SolutionShown
from lean_trim.workspace.lookup import Lookup
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tasks import Lane, Tasks

MINUTES = "plan_minutes"
WHERE = "plan_where"
"""Settings of the job."""
MINUTES_RANGE = (2.0, 60.0)
USUAL_MINUTES = 10.0
LANE = Lane("plan")


class Say:
    """What planning says."""

    PLANNING = Message("plan_control.planning", "Planning the next drive")
    NO_SOLUTION = Message(
        "plan_control.no_solution",
        "A plan needs one drive that was worked out: what is known so far says what is worth driving.",
    )
    NOT_MADE = Message(
        "plan_control.not_made", "No drive was planned yet: turn to the Plan desk first."
    )


@dataclass(frozen=True)
class PlanMade:
    """A plan was made, or could not be."""


@dataclass(frozen=True, eq=False)
class Planned:
    """A plan with its words.

    Attributes
    ----------
    plan : of the next drive.
    card : it in at most twelve sentences.
    of_decided : made for the cells as they are decided; else for what is proposed.
    questions : what separates causes the findings leave open.
    """

    plan: Plan
    card: tuple[str, ...]
    of_decided: bool
    questions: tuple[str, ...] = ()


class PlanControl:
    """Nothing is planned before a desk asks."""

    def __init__(self, open_job: OpenJob, tasks: Tasks, saving: Saving, solver: Solver) -> None:
        self.open = open_job
        self.saving = saving
        self.solver = solver
        self.planned: Planned | None = None
        self._made_of: object = None
        self.lookup = Lookup(tasks, LANE, lambda: open_job.hub.publish(PlanMade()))
        hub = open_job.hub
        hub.subscribe(JobClosed, lambda _: self.forget())
        hub.subscribe(SolutionShown, lambda _: self.look())
        hub.subscribe(ProposalChanged, lambda _: self.look())

    @property
    def minutes(self) -> float:
        """Of the next drive."""
        try:
            kept = float(self.open.setting(MINUTES, f"{USUAL_MINUTES:g}"))
        except ValueError:
            return USUAL_MINUTES
        return min(max(kept, MINUTES_RANGE[0]), MINUTES_RANGE[1])

    @property
    def where(self) -> Where:
        """What holds the states."""
        return "road" if self.open.setting(WHERE, "dyno") == "road" else "dyno"

    def set_minutes(self, minutes: float) -> None:
        """Keep how long the drive is to be, and plan anew."""
        if minutes != self.minutes:
            self._keep(MINUTES, f"{minutes:g}")

    def set_where(self, where: Where) -> None:
        """Keep what holds the states, and plan anew."""
        if where != self.where:
            self._keep(WHERE, where)

    def _keep(self, key: str, value: str) -> None:
        if self.saving.attempt(lambda: self.open.save_setting(key, value)):
            self.look()

    @property
    def said(self) -> str:
        """Why there is no plan, "" where there is one or it is being made."""
        return self._refusal or self.lookup.failure

    @property
    def _refusal(self) -> str:
        if self.solver.solution is None or self.solver.proposal is None:
            return str(Say.NO_SOLUTION())
        return ""

    def want(self) -> None:
        """A desk shows plans from now on."""
        self.lookup.is_wanted = True
        self.look()

    def look(self) -> None:
        """Plan, unless that plan is there."""
        if not self.lookup.is_wanted:
            return
        solution = self.solver.solution
        step = self._step_pct()
        vehicle = self.open.vehicle
        if solution is None or step is None or vehicle is None or self._refusal:
            if self.planned is not None:
                self.planned = None
                self.open.hub.publish(PlanMade())
            return
        minutes = self.minutes
        where = self.where
        of_decided = self._is_decided()
        name = vehicle.name
        settle_min = solution.settings.sieve.values(settling)["minutes"]

        def work(_: object) -> Planned:
            from lean_trim.core.pipeline.planning import plan_next

            plan = plan_next(solution, step, minutes, where)
            questions = open_questions(solution.findings)
            return Planned(plan, card_lines(plan, name, settle_min), of_decided, questions)

        # The solution itself, which compares by identity: a number of one that is gone may come again.
        key = (self.open.number, solution, step.tobytes(), minutes, where, of_decided)
        if self.planned is not None and self._made_of == key:
            return
        self.lookup.look(key, str(Say.PLANNING()), work, lambda planned: self._take(key, planned))

    def _take(self, key: object, planned: Planned) -> None:
        self.planned = planned
        self._made_of = key

    def _is_decided(self) -> bool:
        current = self.open.round
        return current is not None and current.decided.changed > 0

    def _step_pct(self) -> Floats | None:
        """What would be written of what was asked, percent: as decided, else as proposed."""
        current = self.open.round
        proposal = self.solver.proposal
        if current is None or proposal is None:
            return None
        if not self._is_decided():
            return np.asarray(proposal.step_pct)
        return np.asarray(100.0 * (current.decided.values / current.table.values - 1.0))

    def shown(self) -> Planned:
        """The plan. Raises BadInputError if none was made."""
        if self.planned is None:
            raise BadInputError(self.said or Say.NOT_MADE())
        return self.planned

    def forget(self) -> None:
        """Another job or none."""
        self.planned = None
        self._made_of = None
        self.lookup.forget()
