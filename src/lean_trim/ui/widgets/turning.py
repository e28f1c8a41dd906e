"""A thin row of words that turns between widgets."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from lean_trim.ui.theme import font
from lean_trim.ui.widgets.shown_stack import ShownStack


class Turning(QWidget):
    """Shows one of several widgets, named in a row above."""

    def __init__(self, named: Sequence[tuple[str, QWidget]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.stack = ShownStack(self)
        self.buttons = QButtonGroup(self)
        row = QHBoxLayout()
        row.setSpacing(2)
        for place, (name, widget) in enumerate(named):
            button = QToolButton(self)
            button.setText(name)
            button.setObjectName("tab")
            button.setFont(font(9.5, bold=True))
            button.setCheckable(True)
            button.setChecked(place == 0)
            self.buttons.addButton(button, place)
            row.addWidget(button)
            self.stack.addWidget(widget)
        row.addStretch(1)
        self.buttons.idClicked.connect(self.stack.setCurrentIndex)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(row)
        layout.addWidget(self.stack, 1)

    def turn_to(self, place: int) -> None:
        """Show one of them."""
        self.buttons.button(place).setChecked(True)
        self.stack.setCurrentIndex(place)
