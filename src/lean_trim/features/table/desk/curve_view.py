"""The airflow table as a curve: a whole curve, or a row or column of a grid, with what stands behind it."""

from __future__ import annotations

from collections.abc import Callable

from lean_trim.core.data.tables import Table
from lean_trim.core.estimation.averages import average_cells
from lean_trim.core.explore.slices import Slice, slice_of
from lean_trim.core.types import Floats
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.curve_plot import CurvePlot


class CurveView(CurvePlot):
    """Shows the slice through the current cell of the shown round's table."""

    def __init__(self, session: Session, appearance: Appearance) -> None:
        super().__init__(appearance, "The table as a curve")
        self.session = session
        self.truth: Callable[[], Floats | None] = lambda: None
        self._averages: tuple[object, object] | None = None
        self.setMinimumSize(300, 90)
        for signal in (
            session.round_changed,
            session.solved,
            session.decided,
            session.selection.changed,
            session.selection.changing,
        ):
            signal.connect(self.refresh)

    @property
    def table(self) -> Table | None:
        """The table under correction."""
        current = self.session.round
        return None if current is None else current.table

    @property
    def chosen(self) -> frozenset[int]:
        """The shared selection."""
        return self.session.selection.cells

    def choose(self, cells: frozenset[int]) -> None:
        """Choose through the shared selection."""
        self.session.selection.set_cells(cells)

    def cut(self) -> Slice | None:
        """Through what is decided, proposed and asked."""
        session = self.session
        current = session.round
        decision = session.decision
        if current is None or decision is None:
            return None
        table = current.table
        along = self.look.along if len(table.axes) == 2 else 0
        solution = session.solution
        fits = solution is not None and solution.estimate.table.same_axes(table)
        found = slice_of(
            table,
            min(self.current, table.size - 1),
            along,
            decision,
            proposal=session.proposal,
            estimate=solution.estimate if solution is not None and fits else None,
            averages=self._plain_averages() if fits else None,  # type: ignore[arg-type]
            truth=self.truth(),
        )
        return found.in_percent() if self.look.percent else found.in_own(table)

    def _plain_averages(self) -> object:
        """Cell averages of the same drive, worked out once a solution."""
        solution = self.session.solution
        assert solution is not None
        if self._averages is None or self._averages[0] is not solution:
            frame = solution.frame
            averages = average_cells(
                solution.observations,
                solution.estimate.table,
                frame.coordinates,
                frame.log.time_s,
                solution.settings.averages,
            )
            self._averages = (solution, averages)
        return self._averages[1]
