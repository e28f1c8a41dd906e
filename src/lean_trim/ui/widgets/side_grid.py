"""A table beside the airflow table as tiles: what is to be written, what is asked, what is in the ECU."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPoint, Signal
from PySide6.QtWidgets import QWidget

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision, Origin
from lean_trim.core.text import evenly_written, signed
from lean_trim.core.types import Floats, Mask
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.picture import columns_text, offer_picture
from lean_trim.ui.widgets.tile_grid import TileGrid
from lean_trim.ui.widgets.tile_view import TileView, layout_of, scale_for

LEAST_H = 64
"""Low enough for two of them above each other, high enough for a number and its bar, px."""
MOST_TILE_H = 46
"""A tile of such a table holds a number and a bar; higher ones are dead space."""


class SideGrid(TileGrid):
    """Keeps its own choice; a dashed bar is asked, a filled one decided."""

    choice_changed = Signal()

    def __init__(self, appearance: Appearance, name: str, parent: QWidget | None = None) -> None:
        super().__init__(appearance, name, parent)
        self.table: Table | None = None
        self.decision: Decision | None = None
        self.proposed: Floats | None = None
        self.shown_last: TileView | None = None
        self._cells: frozenset[int] = frozenset()
        self.setMinimumSize(140, LEAST_H)
        self.pictured = offer_picture(
            self, name.lower().replace(" ", "-"), self.numbers, menu=False
        )

    @property
    def chosen(self) -> frozenset[int]:
        """Its own choice."""
        return self._cells

    def choose(self, cells: frozenset[int], done: bool = True) -> None:
        """Choose cells."""
        self._cells = cells
        self.update()
        self.choice_changed.emit()

    def show_table(
        self,
        table: Table,
        decision: Decision,
        proposed: Floats | None = None,
        warned: Mask | None = None,
    ) -> None:
        """Show another table, or what became of it.

        Parameters
        ----------
        table : as it is in the ECU.
        decision : on it.
        proposed : what is asked, in the table's shape; None where nothing is.
        warned : cells that get a red corner; none if None.
        """
        if self.table is None or not self.table.same_axes(table):
            self._cells = frozenset()
        self.table = table
        self.decision = decision
        self.proposed = proposed
        step = 100.0 * (decision.values / table.values - 1.0).ravel()
        asked = step if proposed is None else 100.0 * (proposed / table.values - 1.0).ravel()
        open_ = decision.origin.ravel() == Origin.UNTOUCHED
        bar = np.where(open_, asked, step)
        rows, columns = layout_of(table)
        unknown = np.full(table.size, np.nan)
        self.setMaximumHeight(int(rows * MOST_TILE_H) + 44)
        self.shown_last = TileView(
            table=table,
            rows=rows,
            columns=columns,
            text=texts_of_table(table, decision.values),
            bar_pct=bar,
            error_pct=unknown,
            seconds=np.ones(table.size),
            solidity=np.ones(table.size),
            origin=decision.origin.ravel(),
            pinned=decision.pinned.ravel(),
            scale_pct=scale_for(bar),
            values=table.own_of(decision.values).ravel(),
            decimals=3,
            filled=np.asarray(open_ & (bar != 0.0), bool),
            warned=np.zeros(table.size, bool) if warned is None else warned.ravel(),
            timed=False,
        )
        self.show_view(self.shown_last)

    def show_preview(self, values: Floats | None) -> None:
        """Show values that are only tried, hollow; None shows what is decided again.

        Parameters
        ----------
        values : in the table's shape.
        """
        if self.table is None or self.decision is None or self.shown_last is None:
            return
        if values is None:
            self.show_view(self.shown_last)
            return
        last = self.shown_last
        moved = (values != self.decision.values).ravel()
        pct = 100.0 * (values / self.table.values - 1.0).ravel()
        bar = np.where(moved, pct, last.bar_pct)
        self.show_view(
            replace(
                last,
                text=texts_of_table(self.table, values),
                bar_pct=bar,
                scale_pct=scale_for(bar),
                values=self.table.own_of(values).ravel(),
                filled=np.asarray(moved | last.filled, bool),
            )
        )

    def point_text(self, cell: int) -> str:
        """Where a cell lies on the axes."""
        assert self.table is not None
        place = np.unravel_index(cell, self.table.shape)
        return ", ".join(
            f"{evenly_written(a.shown.tolist())[i]} {a.shown_unit}"
            for a, i in zip(self.table.axes, place, strict=True)
        )

    def texts(self, cell: int) -> tuple[str, str, str]:
        """A cell in the ECU, asked ("" where nothing is), and to write, as its ECU counts."""
        table = self.table
        assert table is not None and self.decision is not None
        proposed = table.values if self.proposed is None else self.proposed
        # With the digits all three need, so that equal numbers are equal texts.
        whole = np.concatenate(
            [table.own_of(v).ravel() for v in (table.values, proposed, self.decision.values)]
        )
        texts = evenly_written(np.asarray(whole, float).tolist())
        was, asked, to_write = (texts[cell + i * table.size] for i in range(3))
        return was, "" if self.proposed is None else asked, to_write

    def describe(self, cell: int) -> str:
        """One line about a cell."""
        if self.table is None or self.decision is None:
            return ""
        was, asked, to_write = self.texts(cell)
        unit = self.table.shown_unit
        pct = 100.0 * float((self.decision.values / self.table.values).ravel()[cell] - 1.0)
        parts = [f"now {was} {unit}"]
        parts += [f"asked {asked}"] if asked and asked != was else []
        parts += [f"to write {to_write} ({signed(pct)} %)"] if to_write != was else []
        return f"{self.point_text(cell)}: {', '.join(parts)}"

    def hint_at(self, point: QPoint) -> str:
        """A cell in words."""
        cell = self.cell_at(point)
        return "" if cell is None else self.describe(cell)

    def numbers(self) -> str:
        """Cells in the ECU, asked and to write, with their places."""
        table = self.table
        if table is None or self.decision is None:
            return ""
        mesh = np.meshgrid(*(a.shown for a in table.axes), indexing="ij")
        columns = {
            f"{a.name}, {a.shown_unit}": m.ravel() for a, m in zip(table.axes, mesh, strict=True)
        }
        columns[f"in the ECU, {table.shown_unit}"] = table.own_of(table.values).ravel()
        if self.proposed is not None:
            columns[f"asked, {table.shown_unit}"] = table.own_of(self.proposed).ravel()
        columns[f"to write, {table.shown_unit}"] = table.own_of(self.decision.values).ravel()
        return columns_text(columns)


def texts_of_table(table: Table, values: Floats) -> tuple[str, ...]:
    """Numbers of a table as its ECU counts, with equal digits, flat."""
    return evenly_written(np.asarray(table.own_of(values), float).ravel().tolist())
