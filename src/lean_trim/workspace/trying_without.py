"""What would change if one stretch were left out: worked out beside the solution, decided by nobody."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.pipeline.solve import Solution, refit
from lean_trim.core.types import Floats
from lean_trim.workspace.changes import JobClosed, RoundShown, SolutionShown, TriedWithout
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tasks import Lane, Tasks

TITLE = "Looking what changes without it"


@dataclass(frozen=True, eq=False)
class WithoutIt:
    """A correction with one stretch left out.

    Attributes
    ----------
    span : s on the joined log.
    asked_pct, error_pct : of the estimate without it, flat, percent.
    moved_pct : by how much it differs from the one with it, percent points; 0 where nothing is known.
    """

    span: tuple[float, float]
    asked_pct: Floats
    error_pct: Floats
    moved_pct: Floats


class TryingWithout:
    """One stretch at a time; what is asked for next takes the place of what runs."""

    def __init__(self, open_job: OpenJob, tasks: Tasks, solver: Solver) -> None:
        self.open = open_job
        self.tasks = tasks
        self.solver = solver
        self.found: WithoutIt | None = None
        for kind in (JobClosed, RoundShown, SolutionShown):
            open_job.hub.subscribe(kind, lambda _: self.clear())

    def clear(self) -> None:
        """Nothing is tried any more."""
        self.tasks.drop(Lane.TRYING)
        if self.found is not None:
            self.found = None
            self.open.hub.publish(TriedWithout())

    def try_span(self, start_s: float, end_s: float) -> None:
        """Work out what changes without a stretch, in the background.

        Parameters
        ----------
        start_s, end_s : on the joined log, s.
        """
        solution = self.solver.solution
        if solution is None:
            return
        self.tasks.start(
            Lane.TRYING,
            TITLE,
            lambda _: without(solution, start_s, end_s),
            done=lambda found: self._take(solution, found),
            # Too little would be left to fit: there is nothing to show.
            failed=lambda _: self.clear(),
            replace=True,
        )

    def _take(self, solution: Solution, found: WithoutIt) -> None:
        if solution is self.solver.solution:
            self.found = found
            self.open.hub.publish(TriedWithout())


def without(solution: Solution, start_s: float, end_s: float) -> WithoutIt:
    """The correction with one stretch left out.

    Parameters
    ----------
    solution : with it.
    start_s, end_s : on the joined log, s.

    Returns
    -------
    What is asked then.

    Raises
    ------
    LogError
        If too little is left to fit.
    """
    time = solution.frame.log.time_s
    mask = (time >= start_s) & (time <= end_s)
    if solution.sifted.by_hand is not None:
        mask = mask | solution.sifted.by_hand
    found = refit(solution, solution.settings, mask).estimate
    asked = found.correction_pct.ravel()
    before = solution.estimate.correction_pct.ravel()
    return WithoutIt(
        span=(start_s, end_s),
        asked_pct=asked,
        error_pct=found.own_error_pct.ravel(),
        moved_pct=np.nan_to_num(asked - before),
    )
