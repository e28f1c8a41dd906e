"""What a shape would do, in words beside its picture on the tiles, before it is done."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from lean_trim.core.text import cells_in_words, signed
from lean_trim.core.types import Floats
from lean_trim.ui.session import Session
from lean_trim.ui.widgets.elided_line import ElidedLine

SAME_PCT = 0.005
"""Less than this is no change anybody could read, percent."""


class TryStrip(QWidget):
    """Shown while a shape is tried; whatever changes cells or table ends that."""

    done = Signal()
    left = Signal()
    shown = Signal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.tries: frozenset[int] = frozenset()
        self.said = ElidedLine()
        self.do = QPushButton("Smooth them")
        self.do.setObjectName("primary")
        self.not_now = QPushButton("Leave them")
        self.do.clicked.connect(lambda: self.done.emit())
        self.not_now.clicked.connect(self.leave)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.do)
        row.addWidget(self.not_now)
        row.addWidget(self.said, 1)
        session.selection.changed.connect(self.leave)
        session.decided.connect(self.leave)
        session.solved.connect(self.leave)
        session.round_changed.connect(self.leave)
        self.hide()

    def show_change(self, cells: frozenset[int], before: Floats, after: Floats) -> None:
        """Say by how much which cells would move.

        Parameters
        ----------
        cells : that were chosen.
        before, after : values in the table's shape.
        """
        moved = 100.0 * (after / before - 1.0)
        moved = moved[np.abs(moved) > SAME_PCT]
        self.said.setText(
            f"Smoothing would move {cells_in_words(len(moved))}, by {signed(float(moved.min()))} to "
            f"{signed(float(moved.max()))} %: dashed on the tiles. Again, or Enter, does it."
            if len(moved)
            else "Nothing would move: these cells bend no more than is known of them."
        )
        self.said.setToolTip(self.said.text())
        self.tries = cells
        self.show()
        self.shown.emit(True)
        self.do.setFocus(Qt.FocusReason.OtherFocusReason)

    def leave(self) -> None:
        """Leave all as it was."""
        if self.isVisible() or self.tries:
            self.tries = frozenset()
            self.hide()
            self.shown.emit(False)
            self.left.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter does it, Escape leaves it."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.done.emit()
        elif event.key() == Qt.Key.Key_Escape:
            self.leave()
        else:
            super().keyPressEvent(event)
