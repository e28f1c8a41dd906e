"""The list of pulls: which are drawn, which is chosen, what each showed."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QItemSelectionModel, QSignalBlocker, Signal
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

from lean_trim.features.pulls.desk.pull_rows import COLUMNS, RIGHT, PullRows, Row, key_of
from lean_trim.ui.theme import Appearance, font

ROW_H = 22
LEAST_ROWS = 3
AROUND_PX = 14
TICK_PX = 24
"""Room around a text, and for the tick."""


class PullList(QTableView):
    """Ticked rows are drawn; the row that is current is the chosen one, another selected one is beside it."""

    chosen = Signal()
    drawn_changed = Signal()

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.pulls = PullRows(appearance)
        self.setFont(font(9))
        self.setAccessibleName("Pulls of all rounds")
        self.setModel(self.pulls)
        self.verticalHeader().setVisible(False)
        self.verticalHeader().setDefaultSectionSize(ROW_H)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        header = self.horizontalHeader()
        header.setDefaultAlignment(RIGHT)
        header.setStretchLastSection(True)
        header.setHighlightSections(False)
        self.setMinimumHeight((LEAST_ROWS + 1) * ROW_H + 12)
        self.selectionModel().selectionChanged.connect(lambda *_: self.chosen.emit())
        self.pulls.drawn_changed.connect(self.drawn_changed)

    @property
    def rows(self) -> list[Row]:
        """All of them, in their order."""
        return self.pulls.rows

    def show_rows(self, rows: Sequence[Row], low: float, high: float) -> None:
        """Show other pulls; those that were ticked and chosen stay so.

        Parameters
        ----------
        rows : in their order.
        low, high : engine speeds between which they are timed, 1/min.
        """
        current = key_of(self.rows[self.current]) if self.current >= 0 else None
        second = key_of(self.rows[self.beside]) if self.beside >= 0 else None
        with QSignalBlocker(self):
            self.pulls.take(rows, low, high)
            self._widen()
            keys = [key_of(row) for row in rows]
            if rows:
                self.choose(keys.index(current) if current in keys else len(rows) - 1)
            if second in keys:
                self.select_beside(keys.index(second))

    def _widen(self) -> None:
        """Columns as wide as their longest text; measured once a column, not once a cell."""
        texts = [self.pulls.texts(place) for place in range(len(self.rows))]
        metrics = QFontMetrics(font(9, bold=True))
        for column, spec in enumerate(COLUMNS):
            longest = max((row[column] for row in texts), key=len, default="")
            wide = max(metrics.horizontalAdvance(t) for t in (spec.head, longest))
            self.setColumnWidth(column, wide + AROUND_PX + (TICK_PX if column == 0 else 0))

    def choose(self, place: int) -> None:
        """Choose one row and no other, whatever keys are held down."""
        how = (
            QItemSelectionModel.SelectionFlag.ClearAndSelect
            | QItemSelectionModel.SelectionFlag.Rows
        )
        self.selectionModel().setCurrentIndex(self.pulls.index(place, 0), how)

    def select_beside(self, place: int) -> None:
        """Select one more row, to be held against the chosen one."""
        how = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
        self.selectionModel().select(self.pulls.index(place, 0), how)

    @property
    def current(self) -> int:
        """Row that is chosen, -1 if none."""
        place = self.currentIndex().row()
        return place if 0 <= place < len(self.rows) else -1

    @property
    def beside(self) -> int:
        """Another row that is selected, -1 if none."""
        selected = {i.row() for i in self.selectionModel().selectedRows()}
        others = sorted(selected - {self.currentIndex().row()})
        return others[0] if others else -1

    @property
    def drawn(self) -> list[int]:
        """Rows that are drawn: the ticked ones, the chosen one and the one beside it."""
        strong = {self.current, self.beside}
        return [i for i in range(len(self.rows)) if self.pulls.is_ticked(i) or i in strong]
