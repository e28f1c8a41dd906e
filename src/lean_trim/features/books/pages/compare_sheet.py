"""Two states of the calibration beside each other, table by table, cell by cell."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent, QKeySequence
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lean_trim.features.books.revisions import Difference, State, differences, states_of
from lean_trim.ui.session import Session
from lean_trim.ui.specs import Place
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.wheel_safe import ComboBox

WIDTH = 900
HEIGHT = 560
HOWS = ("Values after", "Values before", "Change, %")
VALUES_AFTER, VALUES_BEFORE, CHANGE = range(3)
MOST_TINT_PCT = 10.0
STRONGEST = 0.45
SAME = "Both are the same, in every table."


class CompareSheet(QDialog):
    """The base against the newest at first."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.setWindowTitle("Compare two states of the calibration")
        self.resize(WIDTH, HEIGHT)
        job = session.job
        self.states: tuple[State, ...] = () if job is None else states_of(job)
        self.found: tuple[Difference, ...] = ()
        words = [s.words for s in self.states]
        self.first = self._choice("The earlier state", words, 0)
        self.second = self._choice("The later state", words, len(words) - 1)
        self.which = self._choice("Which table", [], 0)
        self.how = self._choice("What the cells show", list(HOWS), CHANGE)
        self.only = QCheckBox("Only what changed", self)
        self.only.setFont(font(9))
        self.said = running_text(9.5)
        self.cells = QTableWidget(self)
        self.cells.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.cells.setFont(font(8.5))
        self.cells.setAccessibleName("Cells of the table in both states")
        self._lay_out()
        self.first.currentIndexChanged.connect(self._compare)
        self.second.currentIndexChanged.connect(self._compare)
        self.which.currentIndexChanged.connect(self._show)
        self.how.currentIndexChanged.connect(self._show)
        self.only.toggled.connect(self._show)
        self._compare()

    def _choice(self, name: str, entries: list[str], at: int) -> ComboBox:
        box = ComboBox(self)
        box.setFont(font(9))
        box.addItems(entries)
        box.setCurrentIndex(at)
        box.setAccessibleName(name)
        return box

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.addWidget(self.first, 1)
        top.addWidget(Label("and", self))
        top.addWidget(self.second, 1)
        row = QHBoxLayout()
        row.addWidget(self.which, 2)
        row.addWidget(self.how, 1)
        row.addWidget(self.only)
        column = QVBoxLayout(self)
        column.addLayout(top)
        column.addLayout(row)
        column.addWidget(self.said)
        column.addWidget(self.cells, 1)

    def _compare(self) -> None:
        """Which tables differ between the chosen states."""
        a, b = (self.states[box.currentIndex()] for box in (self.first, self.second))
        self.found = differences(a.calibration, b.calibration)
        self.which.blockSignals(True)
        self.which.clear()
        self.which.addItems([d.words for d in self.found])
        self.which.blockSignals(False)
        self._show()

    @property
    def shown(self) -> Difference | None:
        """The table that is shown."""
        place = self.which.currentIndex()
        return self.found[place] if 0 <= place < len(self.found) else None

    def _show(self) -> None:
        difference = self.shown
        self.cells.clear()
        self.cells.setRowCount(0)
        self.cells.setColumnCount(0)
        if difference is None:
            self.said.setText(SAME)
            return
        how = self.how.currentIndex()
        table = difference.before if how == VALUES_BEFORE else difference.after
        table = table if table is not None else difference.after or difference.before
        assert table is not None
        units = " over ".join(f"{axis.name} ({axis.shown_unit})" for axis in table.axes)
        self.said.setText(f"{_sentence(difference)} {units}.")
        grid = len(table.axes) == 2
        rows, columns = table.axes if grid else (None, table.axes[0])
        self.cells.setRowCount(len(rows) if rows is not None else 1)
        self.cells.setColumnCount(len(columns))
        self.cells.setHorizontalHeaderLabels([f"{x:g}" for x in columns.shown])
        self.cells.setVerticalHeaderLabels(
            [f"{y:g}" for y in rows.shown] if rows is not None else [table.unit]
        )
        changed = np.atleast_2d(difference.changed)
        change = np.atleast_2d(difference.change_pct)
        values = np.atleast_2d(table.shown)
        for i, j in np.ndindex(values.shape):
            same_shape = changed.shape == values.shape
            differs = bool(changed[i, j]) if same_shape else True
            pct = float(change[i, j]) if same_shape else float("nan")
            moved = f"{pct:+.1f}" if differs else "·"
            text = f"{values[i, j]:.4g}" if how != CHANGE or np.isnan(pct) else moved
            if self.only.isChecked() and not differs:
                text = ""
            self.cells.setItem(i, j, self._item(text, pct if differs else 0.0))
        self.cells.resizeColumnsToContents()

    def _item(self, text: str, pct: float) -> QTableWidgetItem:
        item = QTableWidgetItem(text)
        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if np.isfinite(pct) and pct:
            strength = STRONGEST * min(abs(pct) / MOST_TINT_PCT, 1.0)
            item.setBackground(
                self.appearance.theme.color("add" if pct > 0.0 else "remove", strength)
            )
        return item

    def as_text(self) -> str:
        """What is shown, with its axes, tab-separated."""
        heads = [
            item.text() if (item := self.cells.horizontalHeaderItem(j)) is not None else ""
            for j in range(self.cells.columnCount())
        ]
        lines = ["\t".join(["", *heads])]
        for i in range(self.cells.rowCount()):
            head = self.cells.verticalHeaderItem(i)
            cells = [
                item.text() if (item := self.cells.item(i, j)) is not None else ""
                for j in range(self.cells.columnCount())
            ]
            lines.append("\t".join(["" if head is None else head.text(), *cells]))
        return "\n".join(lines) + "\n"

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Ctrl+C copies what is shown."""
        if event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText(self.as_text())
            return
        super().keyPressEvent(event)


def _sentence(d: Difference) -> str:
    if not d.comparable:
        return f"{d.words}. Cell does not stand beside cell."
    pct = d.change_pct[d.changed]
    more = float(np.max(pct, initial=0.0))
    less = float(np.min(pct, initial=0.0))
    rms = float(np.sqrt(np.mean(pct**2))) if len(pct) else 0.0
    return f"{d.words} differ by {rms:.1f} % rms, {less:+.1f} to {more:+.1f} %. Ctrl+C copies them."


def show_over(place: Place) -> None:
    """Show the sheet over a window until it is closed.

    Parameters
    ----------
    place : the window.
    """
    parent = place if isinstance(place, QWidget) else None
    CompareSheet(place.session, place.appearance, parent).exec()
