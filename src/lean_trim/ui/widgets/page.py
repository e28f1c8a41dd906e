"""The common shape of the right-hand side's pages.

Widgets in a column that scrolls, headings, running text.
"""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label, RichLabel


def scrolling_column(widgets: Iterable[QWidget], spacing: int = 3) -> QScrollArea:
    """The widgets one below the other, scrolled up and down where they do not fit."""
    inner = QWidget()
    column = QVBoxLayout(inner)
    column.setContentsMargins(0, 0, 8, 0)
    column.setSpacing(spacing)
    for widget in widgets:
        column.addWidget(widget)
    column.addStretch(1)
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inner)
    return area


def fill_page(page: QWidget, *widgets: QWidget) -> None:
    """Lay a page out; the last widget takes what room is left."""
    layout = QVBoxLayout(page)
    layout.setContentsMargins(8, 4, 4, 4)
    layout.setSpacing(4)
    for i, widget in enumerate(widgets):
        layout.addWidget(widget, int(i == len(widgets) - 1))


def heading(text: str) -> Label:
    """A short line above a group."""
    label = Label(text)
    label.setFont(font(9.5, True))
    return label


def running_text(size: float = 9.0, text: str = "", bold: bool = False) -> Label:
    """A label that breaks its lines."""
    label = Label(text)
    label.setFont(font(size, bold))
    label.setWordWrap(True)
    return label


def running_markup(size: float = 9.0) -> RichLabel:
    """The same for our own markup; every value in it is ``escaped``."""
    label = RichLabel()
    label.setFont(font(size))
    label.setWordWrap(True)
    return label
