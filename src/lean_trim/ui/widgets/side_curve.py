"""A table beside the airflow table as a curve: in the ECU, asked, to write."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtWidgets import QWidget

from lean_trim.core.data.tables import Table
from lean_trim.core.explore.slices import Slice, slice_of
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.curve_plot import CurvePlot
from lean_trim.ui.widgets.side_grid import SideGrid

LEAST_H = 112
"""Lines and words above and below take 66 px of it."""


class SideCurve(CurvePlot):
    """The other look of tiles, with the same choice; of a grid a row or column."""

    def __init__(
        self, grid: SideGrid, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(appearance, f"{grid.accessibleName()} as a curve", parent)
        self.grid = grid
        self.setMinimumSize(140, LEAST_H)
        self.setMaximumHeight(220)
        grid.choice_changed.connect(self.refresh)

    @property
    def table(self) -> Table | None:
        """The table as it is in the ECU."""
        return self.grid.table

    @property
    def chosen(self) -> frozenset[int]:
        """The choice of the tiles."""
        return self.grid.chosen

    def choose(self, cells: frozenset[int]) -> None:
        """Choose on the tiles."""
        self.grid.current = min(cells, default=0)
        self.grid.choose(cells)

    def cut(self) -> Slice | None:
        """Through what is in the ECU, asked and to write."""
        grid = self.grid
        if grid.table is None or grid.decision is None:
            return None
        table = grid.table
        along = min(self.look.along, len(table.axes) - 1)
        at = min(self.current, table.size - 1)
        found = slice_of(table, at, along, grid.decision)
        if grid.proposed is not None:
            found = replace(found, proposed=grid.proposed.ravel()[found.cells])
        return found.in_percent() if self.look.percent else found.in_own(table)
