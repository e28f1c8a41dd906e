"""Explaining what is painted: a tooltip for the mark under the pointer."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QPoint, QRect
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QToolTip, QWidget

from lean_trim.ui.widgets.label import plain_tip

MARK_SIZE = 12
"""How far the pointer may move before another mark is looked for, px."""


def show_hint(widget: QWidget, event: QEvent, text_at: Callable[[QPoint], str]) -> bool:
    """Answer a tooltip event with what stands under the pointer.

    Parameters
    ----------
    widget : that is painted.
    event : any event of it.
    text_at : explains a point of the widget, "" for nothing.

    Returns
    -------
    True if it was a tooltip event.
    """
    if event.type() is not QEvent.Type.ToolTip or not isinstance(event, QHelpEvent):
        return False
    text = text_at(event.pos())
    if not text:
        QToolTip.hideText()
        event.ignore()
        return True
    around = QRect(0, 0, MARK_SIZE, MARK_SIZE)
    around.moveCenter(event.pos())
    QToolTip.showText(event.globalPos(), plain_tip(text), widget, around)
    return True
