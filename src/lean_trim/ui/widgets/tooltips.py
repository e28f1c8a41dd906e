"""Tooltips in lines that can be read: Qt leaves a long plain one on one line across the whole screen."""

from __future__ import annotations

import textwrap

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QToolTip, QWidget

LINE_CHARACTERS = 72


def folded(text: str) -> str:
    """A text in short lines; lines it has already stay apart.

    Returns plain text; markup is left as it is, for Qt folds that itself.
    """
    if "<" in text:
        return text
    # A path is one word, and has to stay one: it may be copied from here.
    wrap = textwrap.TextWrapper(LINE_CHARACTERS, break_long_words=False, break_on_hyphens=False)
    return "\n".join("\n".join(wrap.wrap(line)) or line for line in text.split("\n"))


class ShortLines(QObject):
    """Watches the application; shows every widget's tooltip folded."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Take over where a tooltip is longer than a line."""
        if event.type() is not QEvent.Type.ToolTip or not isinstance(watched, QWidget):
            return False
        text = watched.toolTip()
        if len(text) <= LINE_CHARACTERS or not isinstance(event, QHelpEvent):
            return False
        QToolTip.showText(event.globalPos(), folded(text), watched)
        return True
