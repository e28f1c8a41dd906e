"""Sliders, boxes and lists that the mouse wheel turns only while they have the focus.

A page is scrolled with the pointer wherever it happens to be; a setting under it must not follow.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QSlider, QWidget


def _leave_to_page(widget: QWidget, event: QWheelEvent) -> bool:
    """Hand a turn of the wheel on to what lies around the widget, unless the widget has the focus."""
    if widget.hasFocus():
        return False
    event.ignore()
    return True


class Slider(QSlider):
    """A slider; scrolled over, it stays where it is."""

    def __init__(self, orientation: Qt.Orientation, parent: QWidget | None = None) -> None:
        super().__init__(orientation, parent)
        # Qt's own policy would give it the focus by the wheel, and then the turn.
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Turn only with the focus."""
        if not _leave_to_page(self, event):
            super().wheelEvent(event)


class DoubleSpinBox(QDoubleSpinBox):
    """A box for a number; scrolled over, it keeps it."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Turn only with the focus."""
        if not _leave_to_page(self, event):
            super().wheelEvent(event)


class ComboBox(QComboBox):
    """A list to choose from; scrolled over, it keeps its choice."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Turn only with the focus."""
        if not _leave_to_page(self, event):
            super().wheelEvent(event)
