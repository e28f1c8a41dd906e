"""A line of text that ends in dots where it has no room, so that it never widens the window."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QResizeEvent
from PySide6.QtWidgets import QLabel, QSizePolicy

from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label

LINE_H = 22
"""Height of one line, px."""


class ElidedLine(Label):
    """As much of a text as fits; ``text`` is the whole. A click anywhere on it counts."""

    clicked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._whole = ""
        self.setFont(font(9))
        self.setMinimumWidth(10)
        self.setFixedHeight(LINE_H)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def text(self) -> str:
        """The whole text, also where some of it has no room."""
        return self._whole

    def setText(self, text: str) -> None:
        """Show a text, as much of it as fits."""
        if text != self._whole:
            self._whole = text
            self.setAccessibleDescription(text)
            self._fit()

    def sizeHint(self) -> QSize:
        """One line, as wide as it is given."""
        return QSize(60, LINE_H)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """More or less of it fits."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        room = max(self.contentsRect().width() - 4, 8)
        dots = Qt.TextElideMode.ElideRight
        QLabel.setText(self, self.fontMetrics().elidedText(self._whole, dots, room))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Whoever listens opens more."""
        self.clicked.emit()
