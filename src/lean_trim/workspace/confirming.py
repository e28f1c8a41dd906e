"""Changes that need a deliberate word: held until it is given, never done by the way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.decision.confirmation import Danger, Ground, Warned, warned_of
from lean_trim.core.decision.decision import Decision, accept, undecided
from lean_trim.core.decision.knock import knock_cells, sagging_cells
from lean_trim.core.decision.restraints import Restraints, no_restraints
from lean_trim.core.estimation.cell_evidence import SEEN_S
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.job.records import Round
from lean_trim.job.trail import confirmed_cells
from lean_trim.workspace.changes import (
    ConfirmationAsked,
    JobClosed,
    ProposalChanged,
    RoundShown,
    SolutionShown,
)
from lean_trim.workspace.decision_change import DecisionChange
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.solving import Solver


@dataclass(frozen=True, eq=False)
class Waiting:
    """Something that was not done yet.

    Attributes
    ----------
    text : what it is.
    warned : what needs a word, the gravest first.
    go_on : does it, as it was meant; True where it was done.
    others : does it without the cells that need a word; None where nothing would be left of it.
    """

    text: str
    warned: tuple[Warned, ...]
    go_on: Callable[[], bool]
    others: Callable[[], bool] | None = None


class Confirming:
    """Holds one change at most; whatever makes it another one drops it."""

    def __init__(self, open_job: OpenJob, solver: Solver) -> None:
        self.open = open_job
        self.solver = solver
        self.waiting: Waiting | None = None
        self._restraints: tuple[Solution, Restraints] | None = None
        for kind in (RoundShown, ProposalChanged, SolutionShown, JobClosed):
            open_job.hub.subscribe(kind, lambda _: self.drop())

    def needs(self, current: Round, before: Decision, after: Decision) -> tuple[Warned, ...]:
        """What of a change was not confirmed in this round yet.

        Parameters
        ----------
        current : the round that is decided.
        before, after : what is decided on its table, and what would be.

        Returns
        -------
        None where nothing is to be asked.
        """
        known = confirmed_cells(current.steps, current.subject)
        asked = warned_of(self.ground(current), before, after)
        # Said once for a cell it is not asked again: a question too many is clicked away.
        return tuple(w for w in asked if not w.cells <= known.get(w.danger, frozenset()))

    def dangers(self, current: Round) -> dict[int, tuple[Danger, ...]]:
        """What stands or is proposed in a round and needs a word, given or not, by cell.

        Parameters
        ----------
        current : the round that is shown.

        Returns
        -------
        Dangers of every cell that has any.
        """
        proposal = self.solver.proposal
        decision = current.decided
        would = decision
        if proposal is not None and proposal.table.same_axes(current.table):
            # What is decided stays; only what waits would be taken.
            waits = frozenset(np.flatnonzero(decision.origin.ravel() == 0).tolist())
            would = accept(decision, proposal, waits)
        out: dict[int, tuple[Danger, ...]] = {}
        for warned in warned_of(self.ground(current), undecided(current.table), would):
            for cell in warned.cells:
                out[cell] = (*out.get(cell, ()), warned.danger)
        return out

    def ground(self, current: Round) -> Ground:
        """What changes of a round's table are looked at with.

        Parameters
        ----------
        current : the round that is shown.

        Returns
        -------
        Without a solution, no cell was seen.
        """
        solution = self.solver.solution
        proposal = self.solver.proposal
        policy = self.solver.tuning.state.policy if proposal is None else proposal.policy
        # A table pasted a moment ago may have other axes than what is still shown.
        if solution is None or not solution.estimate.table.same_axes(current.table):
            return Ground(
                driven=current.table, policy=policy, seen=np.zeros(current.table.shape, bool)
            )
        return Ground(
            driven=current.table,
            policy=policy,
            seen=solution.estimate.seconds > SEEN_S,
            restraints=self._restraints_of(solution),
            proposal=proposal,
        )

    def _restraints_of(self, solution: Solution) -> Restraints:
        if self._restraints is None or self._restraints[0] is not solution:
            # A rule that was switched off does not make knock unseen.
            knock = knock_cells(solution.sifted, even_if_off=True)
            restraints = (
                summary_of(solution).restraints
                if solution.seen.done
                # Until faults were looked for, what the sieve marks is all there is.
                else replace(no_restraints(knock.shape), fault=sagging_cells(solution.sifted))
            )
            self._restraints = (solution, replace(restraints, knock=restraints.knock | knock))
        return self._restraints[1]

    def hold(self, waiting: Waiting) -> None:
        """Keep something until a word is given.

        Parameters
        ----------
        waiting : takes the place of what waited before.
        """
        self.waiting = waiting
        self.open.hub.publish(ConfirmationAsked())

    def take(self) -> Waiting | None:
        """What waits; it waits no longer.

        Returns None where nothing did.
        """
        waiting = self.waiting
        self.drop()
        return waiting

    def drop(self) -> None:
        """Leave all as it was."""
        if self.waiting is not None:
            self.waiting = None
            self.open.hub.publish(ConfirmationAsked())


def without_warned(change: DecisionChange, warned: tuple[Warned, ...]) -> DecisionChange | None:
    """A change without the cells that need a word.

    Parameters
    ----------
    change : as it was meant.
    warned : of it.

    Returns
    -------
    None where no other cell would change.
    """
    before = change.before
    after = change.after
    cells = list(frozenset().union(*(w.cells for w in warned)))
    grave = np.isin(np.arange(after.values.size), cells).reshape(after.values.shape)
    rest = Decision(
        values=np.where(grave, before.values, after.values),
        origin=np.where(grave, before.origin, after.origin),
        pinned=np.where(grave, before.pinned, after.pinned),
    )
    others = (rest.values != before.values) | (rest.origin != before.origin)
    return replace(change, after=rest) if others.any() else None
