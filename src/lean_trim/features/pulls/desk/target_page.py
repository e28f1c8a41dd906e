"""Target lambda: what is asked for, beside what people run at that load; typed like the airflow table."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.targets import USUAL, Load, TargetAdvice
from lean_trim.features.pulls.target_table import TargetTable
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.operation_entry import OperationEntry
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.picture import add_picture_actions
from lean_trim.ui.widgets.side_grid import SideGrid
from lean_trim.ui.widgets.side_looks import SideActs, SideLooks

NO_TABLE = (
    "This car has no target table: its target comes from the logs. Paste one on the Vehicle desk "
    "to see it beside what people run, and to change it."
)
ODD_TIPS = {1: "leaner than people run", 0: "", -1: "richer than people run"}
SIDE_W = 250


class TargetPage(QWidget):
    """Speaks of the shown round."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.targets = session.part(TargetTable)
        self.grid = TargetGrid(appearance, "Target lambda, as it will be written", self)
        self.grid.typed.connect(self._begin_typing)
        acts = SideActs(
            what="the target table",
            shape=lambda cells, how: self.targets.shape(how, cells),
            put=self._put,
            trail=lambda: self.targets.trail,
            go_back=self.targets.go_back_to,
        )
        self.looks = SideLooks(self.grid, acts, session, appearance, self)
        self.curve = self.looks.curve
        self.curve.typed.connect(self._begin_typing)
        for shown in (self.grid, self.curve):
            shown.nudged.connect(self._nudge)
            shown.menu_wanted.connect(self._open_menu)
        self.looks.as_curve.toggled.connect(lambda _: self.refresh())
        self.entry = OperationEntry(self)
        self.entry.setPlaceholderText("=0.86")
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
        bar.addWidget(self.looks.as_curve)
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
        right.addWidget(self.grid, 1)
        right.addWidget(self.curve, 1)
        layout.addWidget(self.side)
        layout.addLayout(right, 1)

    @property
    def cells(self) -> frozenset[int]:
        """Flat indices of the chosen targets."""
        return self.grid.chosen

    def _begin_typing(self, text: str) -> None:
        self.entry.setFocus()
        self.entry.setText(text)

    def _nudge(self, pct: float, goes_on: bool) -> None:
        self.targets.nudge(self.cells, pct, goes_on)

    def _put(self, cell: int, value: float) -> bool:
        """A target a point was dragged to; one that waits for a word stands as it was until then."""
        return self.targets.type_in(f"={value:.4f}", frozenset({cell}))

    def _open_menu(self, place: QPoint) -> None:
        menu = QMenu(self)
        back = menu.addAction("Put these targets back")
        back.setEnabled(self.back.isEnabled())
        back.triggered.connect(lambda: self.targets.put_back(self.cells))
        menu.addSeparator()
        self.looks.add_to(menu, self.entry.isEnabled())
        menu.addSeparator()
        add_picture_actions(menu, self.looks.pictured)
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(place)

    def _type(self) -> None:
        chosen = self.cells
        done = self.targets.type_in(self.entry.text(), chosen)
        # What waits for a word is kept there; what was refused stays to be put right.
        if done or self.session.deciding.confirming.waiting is not None:
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
        self.looks.show_parts(there)
        for widget in (self.entry, self.back):
            widget.setVisible(there)
            widget.setEnabled(can)
        self.back.setEnabled(can and decision is not None and decision.changed > 0)
        theme = self.appearance.theme
        self.advice.setText("" if advice is None else "\n\n".join(map(str, advice.said)))
        self.caution.setText("" if advice is None else "  ".join(map(str, advice.cautions)))
        self.caution.setStyleSheet(f"color: {theme.danger};")
        if table is not None and decision is not None and advice is not None:
            self.grid.show_targets(table, decision, advice)
            self.curve.refresh()


class TargetGrid(SideGrid):
    """Tiles of targets; one leaner than people run under load has a red corner."""

    advice: TargetAdvice | None = None

    def show_targets(self, table: Table, decision: Decision, advice: TargetAdvice) -> None:
        """Show another table of targets, with what is said of them."""
        self.advice = advice
        heavy = np.array([load in (Load.FULL, Load.BOOST) for load in advice.loads])
        self.show_table(table, decision, warned=(advice.odd > 0) & heavy[:, None])

    def describe(self, cell: int) -> str:
        """One line about a target, with what people run at its load."""
        told = super().describe(cell)
        if self.advice is None or self.table is None or not told:
            return told
        row, column = np.unravel_index(cell, self.table.shape)
        load = self.advice.loads[int(row)]
        usual = USUAL.get(load)
        people = "" if usual is None else f"; people run {usual[0]:.2f} to {usual[1]:.2f}"
        odd = ODD_TIPS[int(self.advice.odd[row, column])]
        return f"{told}. {str(load).capitalize()}{people}. {odd}".rstrip(" .")
