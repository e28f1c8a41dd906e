"""What the shown desk is for, in its place until it is left."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QPushButton, QScrollArea, QVBoxLayout, QWidget

from lean_trim.ui.specs import DeskSpec
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label, RichLabel, escaped
from lean_trim.ui.widgets.page import running_text

TEXT_W = 620
"""About seventy letters a line, which is read without losing the next one, px."""
TEXT_PT = 10.5


def key_table(keys: Sequence[tuple[str, str]], columns: int) -> RichLabel:
    """Keys and what they do, in columns beside each other.

    Parameters
    ----------
    keys : key and what it does.
    columns : 1 or 2.

    Returns
    -------
    A label.
    """
    half = -(-len(keys) // columns)
    rows = []
    for place in range(half):
        pair = [keys[place], *keys[half + place : half + place + 1]][:columns]
        cells = "".join(
            f"<td style='padding-right:10px'><b>{escaped(key)}</b></td>"
            f"<td style='padding-right:18px'>{escaped(what)}</td>"
            for key, what in pair
        )
        rows.append(f"<tr>{cells}</tr>")
    label = RichLabel()
    label.setFont(font(9))
    label.setText(f"<table cellspacing='2'>{''.join(rows)}</table>")
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return label


class HelpSheet(QWidget):
    """``left`` tells that the desk is wanted again."""

    left = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.title = Label("", self)
        self.title.setFont(font(14, bold=True))
        self.back = QPushButton("Back to the desk", self)
        self.back.setToolTip("Esc")
        self.back.clicked.connect(self.left)
        self.setFocusProxy(self.back)
        self._body = QVBoxLayout()
        self._body.setSpacing(10)
        self._paragraphs: list[Label] = []
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(24, 18, 24, 18)
        column.setSpacing(12)
        column.addWidget(self.title)
        column.addLayout(self._body)
        column.addWidget(self.back, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        scroll = QScrollArea(self)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(inside)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scroll)

    def show_help(self, desk: DeskSpec, keys: Sequence[tuple[str, str]] = ()) -> None:
        """Say what a desk is for, and which keys do what.

        Parameters
        ----------
        desk : that is shown.
        keys : key and what it does.
        """
        self.title.setText(desk.help.title)
        for label in self._paragraphs:
            label.deleteLater()
        self._paragraphs = [running_text(TEXT_PT, text) for text in desk.help.paragraphs]
        for title, group in (("Keys", desk.help.keys), ("Keys of every command", keys)):
            if group:
                columns = 1 if group is desk.help.keys else 2
                head = running_text(12, title, bold=True)
                self._paragraphs += [head, key_table(group, columns)]
        for label in self._paragraphs:
            # A table is as wide as its columns.
            if not isinstance(label, RichLabel):
                label.setMaximumWidth(TEXT_W)
            self._body.addWidget(label)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape goes back."""
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
