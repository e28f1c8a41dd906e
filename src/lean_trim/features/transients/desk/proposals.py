"""The proposals beside the panels: what the ECU adds, what was needed, what to write, what is then left."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from lean_trim.core.text import signed
from lean_trim.core.transients.classes import ClassKey
from lean_trim.core.transients.needed import Amount, Change
from lean_trim.features.transients.desk.class_panels import title_of
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import plain_tip

HEADS = (
    ("class, 1000 rpm", "Kind, size and engine speed in thousands"),
    ("now %", "Fuel the ECU adds beyond the steady amount, at its largest"),
    ("need %", "By the wall film, for a mixture on target"),
    ("write %", "Proposed: a little rich is accepted, lean is not"),
    ("fade s", "Time over which the proposed amount fades"),
    ("lean %", "Mean of the leanest moment"),
    ("then %", "Leanest moment of the mean that is expected with the proposal"),
)
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
ROW_H = 21


class ProposalTable(QTableWidget):
    """One row a class."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFont(font(8.0))
        self.setAccessibleName("What to write for each class of quick change")
        self.setColumnCount(len(HEADS))
        for place, (head, tip) in enumerate(HEADS):
            item = QTableWidgetItem(head)
            item.setToolTip(plain_tip(tip))
            item.setTextAlignment(LEFT if place == 0 else RIGHT)
            self.setHorizontalHeaderItem(place, item)
        self.verticalHeader().setVisible(False)
        self.verticalHeader().setDefaultSectionSize(ROW_H)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        header = self.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setHighlightSections(False)

    def show_changes(self, changes: Sequence[Change]) -> None:
        """Show other proposals."""
        self.setRowCount(len(changes))
        for row, change in enumerate(changes):
            lean = change.of.mean_of("lean_pct")[0]
            texts = (
                _short(change.of.key),
                _percent(change.given),
                _percent(change.needed),
                signed(change.proposed.percent, 1),
                f"{change.proposed.decay_s:.2f}",
                f"{lean:.1f}",
                f"{change.expected_lean_pct:.1f}",
            )
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setTextAlignment(LEFT if column == 0 else RIGHT)
                item.setToolTip(plain_tip(f"{title_of(change.of.key)}: write {change.said}."))
                self.setItem(row, column, item)


def _short(key: ClassKey) -> str:
    """A class in the room of a column."""
    low = key.rpm_from / 1000.0
    high = key.rpm_to / 1000.0
    speed = f"> {low:g}" if math.isinf(high) else f"{low:g}–{high:g}" if low else f"< {high:g}"
    return f"{str(key.kind).capitalize()}, {key.size}, {speed}"


def _percent(amount: Amount) -> str:
    return "0" if amount.is_none else signed(amount.percent, 1)
