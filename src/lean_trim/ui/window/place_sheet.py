"""Asks in place which table a log was driven on, where neither the log nor the hand-over tells."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label
from lean_trim.workspace.destination import Place
from lean_trim.workspace.imports import Unplaced

WHY = (
    "A correction is relative to the table that was in the ECU during the drive. A log that "
    "counts for the wrong table spoils the round without a word, so it is asked."
)


class PlaceSheet(QWidget):
    """Stands in place of the desk until it is answered."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.title = Label(self)
        self.title.setFont(font(13, bold=True))
        self.reason = Label(self)
        self.why = Label(WHY, self)
        for label in (self.title, self.reason, self.why):
            label.setWordWrap(True)
        self.here = QPushButton(self)
        self.next = QPushButton(self)
        self.leave = QPushButton("Leave it out of the job", self)
        self.here.clicked.connect(lambda: session.imports.place(Place.HERE))
        self.next.clicked.connect(lambda: session.imports.place(Place.NEXT))
        self.leave.clicked.connect(session.imports.discard)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 24, 24, 24)
        layout.setSpacing(10)
        layout.addStretch(1)
        for widget in (self.title, self.reason, self.why):
            layout.addWidget(widget)
        layout.addSpacing(8)
        for button in (self.here, self.next, self.leave):
            button.setMinimumHeight(34)
            button.setMaximumWidth(460)
            layout.addWidget(button)
        layout.addStretch(2)
        session.imports_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Ask about the logs that wait."""
        waiting = self.session.imports.unplaced
        if not waiting:
            return
        names = ", ".join(u.stored.log.name for u in waiting)
        self.title.setText(f"{names}: driven on which table?")
        self.reason.setText(self._reason(waiting[0]))
        number = self._number(waiting[0])
        handed = self._handed_over(waiting[0])
        decided = "the table that was handed over" if handed else "what is decided now"
        self.here.setText(f"On the table of round {number}, as it was: add to round {number}")
        self.next.setText(f"On {decided}: begin the next round with it")
        self.leave.setText(
            "Leave it out of the job" if len(waiting) == 1 else "Leave them out of the job"
        )

    def _number(self, waiting: Unplaced) -> int:
        job = self.session.job
        found = job.round_of(waiting.where.round_id) if job is not None else None
        return found.number if found is not None else 0

    def _handed_over(self, waiting: Unplaced) -> bool:
        job = self.session.job
        found = job.round_of(waiting.where.round_id) if job is not None else None
        return found is not None and bool(found.handed_over)

    def _reason(self, waiting: Unplaced) -> str:
        number = self._number(waiting)
        if self._handed_over(waiting):
            return (
                f"Round {number} was handed over, but the pulse width of this log fits the table "
                "as it was before. Was it driven before the new table was written?"
            )
        return (
            f"Changes are decided in round {number} and not handed over, and the log does not "
            "tell which of the two tables was in the ECU."
        )
