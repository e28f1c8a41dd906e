"""A label that is never cut: its height follows its text and width."""

from __future__ import annotations

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label

NO_BOUND = 16_777_215
"""Qt's own largest height of a widget, px."""


class WholeText(Label):
    """Running text as high as its lines, between two bounds.

    Parameters
    ----------
    size, bold : of the font.
    """

    def __init__(self, size: float, bold: bool = False, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.least = 0
        self.most = NO_BOUND
        self._fitted: tuple[object, ...] = ()
        self.setWordWrap(True)
        self.setFont(font(size, bold))

    def bound(self, least: int, most: int) -> None:
        """Keep the height between two bounds, px, so that what is around it does not jump."""
        self.least = least
        self.most = most
        self.fit()

    def setText(self, text: str) -> None:
        """Show a text, whole."""
        super().setText(text)
        self.fit()

    def setStyleSheet(self, rules: str) -> None:
        """Take rules; the same ones again would cost a whole polish."""
        if rules != self.styleSheet():
            super().setStyleSheet(rules)
            self._fitted = ()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Lines break elsewhere at another width."""
        super().resizeEvent(event)
        if event.oldSize().width() != event.size().width():
            self.fit()

    def fit(self) -> None:
        """Take the height the text needs; a layout that is short of room would cut it."""
        key = (self.text(), self.width(), self.least, self.most)
        # Measured anew only where something changed: every measuring lays the whole window out
        # again.
        if key == self._fitted:
            return
        self._fitted = key
        # Qt counts the present bounds into what a label needs, which would then never shrink.
        self.setMinimumHeight(0)
        self.setMaximumHeight(NO_BOUND)
        needed = self.heightForWidth(self.width()) if self.width() > 1 else self.sizeHint().height()
        self.setFixedHeight(min(max(needed, self.least), self.most))
