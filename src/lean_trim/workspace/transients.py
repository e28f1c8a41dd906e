"""Quick changes, warm-up and idle of the shown round, looked for when a desk asks and kept by round."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from lean_trim.core.messages import Message
from lean_trim.core.transients.classes import ClassKey, TransientClass
from lean_trim.workspace.changes import TransientsFound
from lean_trim.workspace.tasks import Lane

if TYPE_CHECKING:
    from lean_trim.core.pipeline.solve import Solution
    from lean_trim.core.pipeline.transients import TransientReport
    from lean_trim.workspace.workspace import Workspace


class Say:
    """What looking for quick changes says."""

    LOOKING = Message("transients_control.looking", "Looking at quick changes of mixture")


@dataclass(frozen=True, eq=False)
class RoundTransients:
    """What one round's drive shows.

    Attributes
    ----------
    round_id, number : of the round.
    of : the solution it was read from.
    report : of it.
    """

    round_id: int
    number: int
    of: Solution
    report: TransientReport


class TransientsControl:
    """``found`` is by round id; nothing is looked for before a desk asks."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.found: dict[int, RoundTransients] = {}
        self.is_wanted = False

    @property
    def report(self) -> TransientReport | None:
        """Of the shown round as it is solved now; None until it is known."""
        r, solution = self.workspace.round, self.workspace.solver.solution
        kept = None if r is None else self.found.get(r.id)
        return kept.report if kept is not None and kept.of is solution else None

    def earlier(self, key: ClassKey) -> tuple[tuple[int, TransientClass], ...]:
        """The same class in rounds before the shown one, of those that were looked at.

        Parameters
        ----------
        key : of a class.

        Returns
        -------
        Numbers of rounds and their classes, the oldest first.
        """
        r = self.workspace.round
        before = sorted(
            (f for f in self.found.values() if r is not None and f.number < r.number), key=_number
        )
        return tuple((f.number, c) for f in before for c in f.report.classes if c.key == key)

    def want(self) -> None:
        """A desk shows quick changes from now on."""
        self.is_wanted = True
        self.look()

    def look(self) -> None:
        """Look at the shown round, if it is solved otherwise than when it was last looked at."""
        from lean_trim.core.pipeline.transients import transients_of

        r, solution = self.workspace.round, self.workspace.solver.solution
        if not self.is_wanted or r is None or solution is None or self.report is not None:
            return
        number = self.workspace.number
        self.workspace.tasks.start(
            Lane.TRANSIENTS,
            str(Say.LOOKING()),
            lambda _: transients_of(solution),
            done=lambda report: self._take(number, RoundTransients(r.id, r.number, solution, report)),
            failed=lambda _: None,
            replace=True,
        )

    def _take(self, number: int, found: RoundTransients) -> None:
        # Another job is open by now.
        if number != self.workspace.number:
            return
        self.found = {**self.found, found.round_id: found}
        self.workspace.hub.publish(TransientsFound())
        # It may have been solved anew in the meantime.
        self.look()

    def forget(self) -> None:
        """Another job or none."""
        self.found = {}


def _number(found: RoundTransients) -> int:
    return found.number
