"""Tab leads through a page as it is read: part by part, from the top, in each line from the left."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QWidget

LINE_PX = 12
"""Middles that differ by less stand on one line."""


def tab_in_reading_order(page: QWidget, parts: Sequence[QWidget]) -> None:
    """Order what takes the focus by where it stands.

    Parameters
    ----------
    page : laid out, with all parts in it.
    parts : in the order in which they are read.
    """
    order: list[QWidget] = []
    for part in parts:
        found = [w for w in (part, *part.findChildren(QWidget)) if _takes_tab(w, page)]
        order += _read(found, page)
    for first, second in pairwise(order):
        QWidget.setTabOrder(first, second)


def _takes_tab(widget: QWidget, page: QWidget) -> bool:
    tabbed = bool(widget.focusPolicy().value & Qt.FocusPolicy.TabFocus.value)
    # The line of a box is the box's own.
    return tabbed and widget.isVisibleTo(page) and widget.focusProxy() is None


def _read(widgets: Sequence[QWidget], page: QWidget) -> list[QWidget]:
    """From the top, and what stands on one line from the left."""
    middles = {w: w.mapTo(page, QPoint(w.width() // 2, w.height() // 2)) for w in widgets}
    lines: list[list[QWidget]] = []
    for widget in sorted(widgets, key=lambda w: middles[w].y()):
        if lines and middles[widget].y() - middles[lines[-1][0]].y() < LINE_PX:
            lines[-1].append(widget)
        else:
            lines.append([widget])
    return [w for line in lines for w in sorted(line, key=lambda w: middles[w].x())]
