"""Asks in place what a file needs before it can be read: a sheet, a rate, or a DBC."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.formats.meaning.rows import RATES_HZ
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label
from lean_trim.ui.widgets.wheel_safe import ComboBox, DoubleSpinBox
from lean_trim.workspace.log_opening import Question

TITLES = {
    "sheet": "which sheet is the log?",
    "rate": "how many rows a second?",
    "dbc": "what do its frames mean?",
}
WHY = {
    "sheet": "Every sheet below has a header and rows of numbers. The others can be added "
    "afterwards.",
    "rate": "A log without times can still be used if its rows came at a steady rate. A wrong rate "
    "makes a "
    "wrong sensor delay: half of it if the rate is said twice too high.",
    "dbc": "A DBC is the list of frames and signals that belongs to a CAN trace. It is kept with "
    "this job, "
    "so that later traces do not ask. It can also be dropped onto the window.",
}
USUAL_HZ = 20.0


class AskSheet(QWidget):
    """Stands in place of the desk until it is answered; ``choose_dbc`` asks for that file."""

    def __init__(
        self,
        session: Session,
        appearance: Appearance,
        choose_dbc: Callable[[], Path | None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.choose_dbc = choose_dbc
        self.title = Label(self)
        self.title.setFont(font(13, bold=True))
        self.reason = Label(self)
        self.why = Label(self)
        for label in (self.title, self.reason, self.why):
            label.setWordWrap(True)
        self.sheets = ComboBox(self)
        self.sheets.setAccessibleName("Sheet that is the log")
        self.rate = DoubleSpinBox(self)
        self.rate.setRange(*RATES_HZ)
        self.rate.setDecimals(2)
        self.rate.setSuffix(" rows/s")
        self.rate.setValue(USUAL_HZ)
        self.rate.setAccessibleName("Rows a second")
        self.read = QPushButton(self)
        self.read.setObjectName("primary")
        self.read.clicked.connect(self._answer)
        self.leave = QPushButton("Leave it out of the job", self)
        self.leave.clicked.connect(session.imports.discard)
        row = QHBoxLayout()
        for widget in (self.sheets, self.rate, self.read, self.leave):
            widget.setMinimumHeight(34)
            row.addWidget(widget)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 24, 24, 24)
        layout.setSpacing(10)
        layout.addStretch(1)
        for label in (self.title, self.reason, self.why):
            layout.addWidget(label)
        layout.addSpacing(8)
        layout.addLayout(row)
        layout.addStretch(2)
        session.imports_changed.connect(self.refresh)

    @property
    def question(self) -> Question | None:
        """What is asked now."""
        waiting = self.session.imports.questions
        return waiting[0] if waiting else None

    def refresh(self) -> None:
        """Ask about the file that waits first."""
        question = self.question
        if question is None:
            return
        need = question.need
        self.title.setText(f"{question.path.name}: {TITLES[need]}")
        self.reason.setText(question.said)
        self.why.setText(WHY[need])
        self.sheets.setVisible(need == "sheet")
        self.rate.setVisible(need == "rate")
        self.sheets.clear()
        self.sheets.addItems(question.allowed)
        self.read.setText("Choose its DBC…" if need == "dbc" else "Read it so")

    def _answer(self) -> None:
        question = self.question
        if question is None:
            return
        if question.need == "dbc":
            path = self.choose_dbc()
            if path is not None:
                self.session.imports.answer(path)
        else:
            self.session.imports.answer(
                self.sheets.currentText() if question.need == "sheet" else self.rate.value()
            )
