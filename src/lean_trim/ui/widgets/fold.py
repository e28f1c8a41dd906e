"""A group that is shown or hidden by its head, and made when it is first shown."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from lean_trim.ui.theme import font

FOLDED = "▸"
UNFOLDED = "▾"
INDENT = 18
"""How far the contents stand in, px; the head's own mark has this room."""


class Fold(QWidget):
    """A head with a mark, and contents below it.

    Parameters
    ----------
    title : beside the mark; "" where other widgets stand there.
    make : builds the contents when they are first shown, so that a page of many folds opens
        quickly.
    beside : widgets in the head's line; the first one takes what room is left.
    """

    def __init__(
        self, title: str, make: Callable[[], Iterable[QWidget]], beside: Iterable[QWidget] = ()
    ) -> None:
        super().__init__()
        self._title = title
        self._make: Callable[[], Iterable[QWidget]] | None = make
        self.mark = QToolButton(self)
        self.mark.setObjectName("flat")
        self.mark.setFont(font(9))
        self.mark.clicked.connect(self._turn_over)
        if not title:
            self.mark.setFixedSize(INDENT, 20)
        self.contents: QWidget = QWidget(self)
        self._column = QVBoxLayout(self.contents)
        self._column.setContentsMargins(INDENT, 0, 2, 8)
        self._column.setSpacing(2)
        self.contents.hide()
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(2)
        line.addWidget(self.mark)
        others = list(beside)
        for place, widget in enumerate(others):
            line.addWidget(widget, int(place == 0))
        if not others:
            line.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(line)
        layout.addWidget(self.contents)
        self._show_mark(False)

    def _turn_over(self) -> None:
        self.unfold(self.contents.isHidden())

    def _show_mark(self, on: bool) -> None:
        sign = UNFOLDED if on else FOLDED
        self.mark.setText(f"{sign}  {self._title}" if self._title else sign)

    def fill(self) -> None:
        """Build the contents, if that has not been done."""
        if self._make is not None:
            make = self._make
            self._make = None
            for widget in make():
                self._column.addWidget(widget)

    def unfold(self, on: bool) -> None:
        """Show or hide the contents."""
        if on:
            self.fill()
        self.contents.setVisible(on)
        self._show_mark(on)
