"""Target lambda: what is asked for, beside what people run at that load; typed like the airflow table."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QGuiApplication
from PySide6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.targets import USUAL, Load, TargetAdvice
from lean_trim.core.text import evenly_written
from lean_trim.features.pulls.desk.knock_page import RIGHT, cell_table
from lean_trim.features.pulls.target_table import TargetTable
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.page import running_text

NO_TABLE = (
    "This car has no target table: its target comes from the logs. Paste one on the Vehicle desk "
    "to see it beside what people run, and to change it."
)
ODD_TIPS = {1: "leaner than people run", 0: "", -1: "richer than people run"}
SIDE_W = 250
LEAST_W = 44
FIGURES = 8.0


class TargetPage(QWidget):
    """Speaks of the shown round."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.targets = session.part(TargetTable)
        self.grid = cell_table("Target lambda, as it will be written")
        self.grid.setSelectionBehavior(self.grid.SelectionBehavior.SelectItems)
        self.grid.setFont(font(FIGURES))
        self.grid.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.axes = running_text(8.5)
        self.grid.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.grid.horizontalHeader().setMinimumSectionSize(LEAST_W)
        self.entry = QLineEdit(self)
        self.entry.setPlaceholderText("=0.86  x0.98  -0.02")
        self.entry.setAccessibleName("Change of the chosen targets")
        self.entry.returnPressed.connect(self._type)
        self.back = QPushButton("Put back", self)
        self.back.setToolTip("The chosen targets, or all, to what was driven on")
        self.back.clicked.connect(lambda: self.targets.put_back(self.cells))
        self.advice = running_text(9.0)
        self.caution = running_text(9.0)
        self.nothing = running_text(9.5, NO_TABLE)
        bar = QHBoxLayout()
        bar.addWidget(self.entry, 1)
        bar.addWidget(self.back)
        side = QVBoxLayout()
        side.addWidget(self.nothing)
        side.addWidget(self.advice)
        side.addWidget(self.caution)
        side.addLayout(bar)
        side.addStretch(1)
        self.side = QWidget(self)
        self.side.setLayout(side)
        self.side.setFixedWidth(SIDE_W)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        right = QVBoxLayout()
        right.setSpacing(2)
        right.addWidget(self.axes)
        right.addWidget(self.grid, 1)
        layout.addWidget(self.side)
        layout.addLayout(right, 1)

    @property
    def cells(self) -> frozenset[int]:
        """Flat indices of the chosen targets."""
        width = self.grid.columnCount()
        return frozenset(i.row() * width + i.column() for i in self.grid.selectedIndexes())

    def _type(self) -> None:
        chosen = self.cells
        if self.targets.type_in(self.entry.text(), chosen):
            self.entry.clear()

    def paste_table(self) -> None:
        """Put the targets on the clipboard over these."""
        self.targets.paste(QGuiApplication.clipboard().text())

    def refresh(self) -> None:
        """Stand as the round does."""
        table = self.targets.base
        decision = self.targets.decided
        advice = self.targets.advice
        there = table is not None and decision is not None and advice is not None
        can = there and self.session.is_last and self.session.can_save
        self.nothing.setVisible(not there)
        self.grid.setVisible(there)
        self.axes.setVisible(there)
        for widget in (self.entry, self.back):
            widget.setVisible(there)
            widget.setEnabled(can)
        self.back.setEnabled(can and decision is not None and decision.changed > 0)
        theme = self.appearance.theme
        self.advice.setText("" if advice is None else "\n\n".join(map(str, advice.said)))
        self.caution.setText("" if advice is None else "  ".join(map(str, advice.cautions)))
        self.caution.setStyleSheet(f"color: {theme.danger};")
        if table is not None and decision is not None and advice is not None:
            self._fill(table, decision, advice)

    def _fill(self, table: Table, decision: Decision, advice: TargetAdvice) -> None:
        rows, columns = table.axes
        # Filling anew would drop the choice while somebody types.
        if (self.grid.rowCount(), self.grid.columnCount()) != table.shape:
            self.grid.setRowCount(len(rows))
            self.grid.setColumnCount(len(columns))
        self.grid.setHorizontalHeaderLabels(list(evenly_written(columns.shown.tolist())))
        self.axes.setText(
            f"{rows.name} in {rows.shown_unit} down, {columns.name} in {columns.shown_unit} across"
        )
        self.grid.setVerticalHeaderLabels(list(evenly_written(rows.shown.tolist())))
        texts = evenly_written(np.round(decision.values, 3).ravel().tolist())
        for i, j in np.ndindex(table.shape):
            item = self.grid.item(i, j)
            if item is None:
                item = QTableWidgetItem()
                item.setTextAlignment(RIGHT)
                self.grid.setItem(i, j, item)
            self._show_cell(item, texts[i * len(columns) + j], table, decision, advice, (i, j))

    def _show_cell(
        self,
        item: QTableWidgetItem,
        text: str,
        table: Table,
        decision: Decision,
        advice: TargetAdvice,
        at: tuple[int, int],
    ) -> None:
        theme = self.appearance.theme
        load = advice.loads[at[0]]
        odd = int(advice.odd[at])
        was = float(table.values[at])
        value = float(decision.values[at])
        item.setText(text)
        item.setFont(font(FIGURES, bold=value != was))
        dangerous = odd > 0 and load in (Load.FULL, Load.BOOST)
        color = theme.danger if dangerous else theme.accent if value != was else theme.ink
        item.setForeground(QColor(color))
        usual = USUAL.get(load)
        people = "" if usual is None else f"; people run {usual[0]:.2f} to {usual[1]:.2f}"
        tip = f"{load}{people}. {ODD_TIPS[odd]}".rstrip(" .")
        item.setToolTip(plain_tip(tip if value == was else f"{tip}. In the ECU {was:.3f}"))
