"""A ring around whatever has the keyboard, for controls whose style hardly shows it."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QCheckBox,
    QComboBox,
    QFocusFrame,
    QScrollBar,
    QWidget,
)

from lean_trim.ui.theme import Appearance

RINGED = (QAbstractSlider, QAbstractSpinBox, QComboBox, QCheckBox, QAbstractItemView)
"""Buttons and entries carry a border of their own by the style sheet; painted views their own
frame."""
WIDTH = 2.0


class FocusRing(QFocusFrame):
    """Follows the focus within one window."""

    def __init__(self, window: QWidget, appearance: Appearance) -> None:
        super().__init__(window)
        self._window = window
        self.appearance = appearance
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._follow)
        # A child of a window is shown with it, and a ring around nothing stands in its corner.
        self.hide()

    def _follow(self, old: QWidget | None, new: QWidget | None) -> None:
        rings = (
            isinstance(new, RINGED)
            and not isinstance(new, QScrollBar)
            and new.window() is self._window
        )
        if rings:
            assert new is not None
            self.setWidget(new)
        else:
            self.setWidget(None)  # type: ignore[arg-type]
            self.hide()

    def showEvent(self, event: QShowEvent) -> None:
        """Only around something."""
        super().showEvent(event)
        if self.widget() is None:
            self.hide()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Two pixels of the accent."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.appearance.theme.color("accent"), WIDTH))
        half = WIDTH / 2
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(half, half, -half, -half), 3, 3)
