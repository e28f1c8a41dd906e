"""Shaping the table under correction: nudge, blend, straighten, smooth, fill, lay a correction elsewhere.

Everything goes the way accepting goes: looked at for danger, saved first, one undo a gesture.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision import shaping
from lean_trim.core.decision.choices import Choice
from lean_trim.core.decision.choosing import Known, chosen_by
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.driving_shares import driving_seconds
from lean_trim.core.decision.shaping import Correction, Evidence, Shape
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.estimation.cell_evidence import SEEN_S
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Floats, Mask
from lean_trim.job.records import Round
from lean_trim.workspace.changes import JobClosed
from lean_trim.workspace.deciding import Deciding
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.solving import Solver

COARSE_PCT = 1.0
FINE_PCT = 0.2
"""What one press of a nudge key moves a cell by, percent; a step of its field at least."""
Wanted = Callable[[Table, Floats, Mask], Floats]
"""Wanted values from the driven table, the values as decided, and the chosen cells."""


class Say:
    """What shaping says."""

    CHOOSE_FIRST = Message("shaping.choose_first", "Choose the cells first: drag over the tiles.")
    REFUSED = Message("shaping.refused", "{reason}")
    RAISE = Message("shaping.raise", "Nudge {cells} up")
    LOWER = Message("shaping.lower", "Nudge {cells} down")
    BLEND = Message("shaping.blend", "Blend {cells}")
    STRAIGHTEN = Message("shaping.straighten", "Straighten {cells}")
    SMOOTH = Message("shaping.smooth", "Smooth {cells}")
    FILL = Message("shaping.fill", "Fill {cells} by the surface")
    LAY = Message("shaping.lay", "Lay a correction on {cells}")
    COPIED = Message(
        "shaping.copied",
        "The correction of {cells} is copied. Choose where it is to go, then lay it there.",
    )
    SAME = Message("shaping.same", "Nothing changes: these cells already stand so, or are pinned.")


SAID = {
    Shape.BLEND: Say.BLEND,
    Shape.STRAIGHTEN: Say.STRAIGHTEN,
    Shape.SMOOTH: Say.SMOOTH,
    Shape.FILL: Say.FILL,
}


class Shaping:
    """Acts on cells of the newest round's table; keeps nothing but a copied correction."""

    def __init__(self, open_job: OpenJob, solver: Solver, deciding: Deciding) -> None:
        self.open = open_job
        self.solver = solver
        self.deciding = deciding
        self.copied: Correction | None = None
        open_job.hub.subscribe(JobClosed, lambda _: self._forget())

    def _forget(self) -> None:
        self.copied = None

    @property
    def evidence(self) -> Evidence:
        """What the shown drive says of each cell."""
        solution = self.solver.solution
        current = self.open.round
        assert current is not None
        if solution is None:
            return shaping.no_evidence(current.table.shape)
        estimate = solution.estimate
        return Evidence(
            error_pct=estimate.own_error_pct,
            asked_pct=estimate.correction_pct,
            seen=estimate.seconds > SEEN_S,
        )

    def cells_by(self, choice: Choice) -> frozenset[int]:
        """Cells of the shown round's table that have something in common.

        Parameters
        ----------
        choice : what.

        Returns
        -------
        Flat indices; none without a job.
        """
        current = self.open.round
        if current is None:
            return frozenset()
        evidence = self.evidence
        solution = self.solver.solution
        known = Known(
            table=current.table,
            decision=current.decided,
            seen=evidence.seen,
            asked_pct=evidence.asked_pct,
            proposal=self.solver.proposal,
            words=self.solver.tuning.state.policy.regions,
            tip_in=self.solver.tip_in,
            driving=None
            if solution is None
            else driving_seconds(solution.sifted, solution.observations).shares(
                current.table.shape
            ),
        )
        return frozenset(np.flatnonzero(chosen_by(choice, known)).tolist())

    def nudge(self, cells: frozenset[int], pct: float, goes_on: bool = False) -> bool:
        """Move cells by a little.

        Parameters
        ----------
        cells : flat indices.
        pct : percent; its sign tells the direction.
        goes_on : the key is still held; all of it is one undo.

        Returns
        -------
        Whether it was done.
        """
        vehicle = self.open.vehicle
        if vehicle is None:
            return False
        limits = vehicle.limits
        own = vehicle.table.own
        return self._change(
            Say.RAISE if pct > 0 else Say.LOWER,
            cells,
            lambda _, values, chosen: shaping.nudged(values, chosen, pct, limits, own),
            goes_on,
        )

    def shape(self, how: Shape, cells: frozenset[int], along: int | None = None) -> bool:
        """Make chosen cells smooth, blend or straighten them between their edges, or fill them.

        Parameters
        ----------
        how : which of those.
        cells : flat indices.
        along : the axis along which edges face each other; None takes the rows, or the columns
            where one row is chosen.

        Returns
        -------
        Whether it was done.
        """
        return self._change(
            SAID[how],
            cells,
            lambda driven, values, chosen: shaping.shaped(
                how, driven, values, chosen, self.evidence, along
            ),
        )

    def copy(self, cells: frozenset[int]) -> bool:
        """Keep what the chosen cells are changed by, to be laid on others.

        Parameters
        ----------
        cells : flat indices.

        Returns
        -------
        Whether there was something to keep.
        """
        current = self.open.round
        if current is None or not cells:
            self.open.note(Say.CHOOSE_FIRST())
            return False
        chosen = decide.mask_of(current.decided, cells)
        self.copied = shaping.correction_of(current.table, current.decided.values, chosen)
        self.open.note(Say.COPIED(cells=cells_in_words(len(cells))))
        return True

    def lay(self, cells: frozenset[int]) -> bool:
        """Lay the copied correction on cells, from the first chosen one on.

        Parameters
        ----------
        cells : flat indices.

        Returns
        -------
        Whether it was done.
        """
        copied = self.copied
        if copied is None or (self.open.round and copied.factors.ndim != self._axes):
            self.open.error(Say.REFUSED(reason=str(shaping.Say.NOTHING_COPIED())))
            return False
        return self._change(
            Say.LAY,
            cells,
            lambda driven, values, chosen: shaping.laid(driven, values, chosen, copied),
        )

    @property
    def _axes(self) -> int:
        current = self.open.round
        return 0 if current is None else len(current.table.axes)

    def preview(self, how: Shape, cells: frozenset[int]) -> Floats | None:
        """What a shape would leave in the table, without deciding it.

        Parameters
        ----------
        how : which shape.
        cells : flat indices.

        Returns
        -------
        Values in the table's shape; None where it cannot be done.
        """
        current = self.open.round
        if current is None or not cells:
            return None
        chosen = decide.mask_of(current.decided, cells)
        driven = current.table
        values = current.decided.values
        try:
            wanted = shaping.shaped(how, driven, values, chosen, self.evidence, None)
        except LeanTrimError:
            return None
        return np.where(current.decided.pinned, values, wanted)

    def _change(
        self, said: Message, cells: frozenset[int], shape: Wanted, goes_on: bool = False
    ) -> bool:
        current: Round | None = self.open.round
        vehicle = self.open.vehicle
        if current is None or vehicle is None or not cells:
            self.open.note(Say.CHOOSE_FIRST())
            return False
        driven = current.table
        limits = vehicle.limits

        def shaped(decision: Decision) -> Decision:
            wanted = shape(driven, decision.values, decide.mask_of(decision, cells))
            return decide.moved_by_hand(decision, wanted, limits, driven.own)

        def words(count: str) -> Said:
            return said(cells=count)

        return self.deciding.change(words, shaped, goes_on, nothing=Say.SAME())
