"""A stack of pages that needs no more room than the page it shows."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QStackedWidget, QWidget


class ShownStack(QStackedWidget):
    """Qt's own stack is as wide as its widest page for good, whichever is shown."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.currentChanged.connect(lambda _: self.updateGeometry())

    def minimumSizeHint(self) -> QSize:
        """Of the page that is shown."""
        shown = self.currentWidget()
        return super().minimumSizeHint() if shown is None else _least(shown)

    def sizeHint(self) -> QSize:
        """Of the page that is shown."""
        shown = self.currentWidget()
        return super().sizeHint() if shown is None else shown.sizeHint()


def _least(widget: QWidget) -> QSize:
    """Its hint, and what it was told to be at least."""
    return widget.minimumSizeHint().expandedTo(widget.minimumSize())
