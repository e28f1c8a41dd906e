"""The Vehicle desk: what the car is and what its tables are; every change is saved as it is made."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QTimer, Signal
from PySide6.QtGui import QAction, QGuiApplication, QHideEvent
from PySide6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.data.calibration import TARGET
from lean_trim.core.data.table_kinds import table_words
from lean_trim.core.messages import Message
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.vehicle.car_form import CarForm
from lean_trim.ui.vehicle.grid_preview import GridPreview
from lean_trim.ui.widgets.label import Label
from lean_trim.ui.widgets.page import scrolling_column
from lean_trim.ui.widgets.turning import Turning
from lean_trim.workspace.vehicle.draft import VehicleDraft, draft_of

REST_MS = 900
"""Typing that rests this long is kept."""
LEFT_W = 488
KEPT = "Every change is saved when the typing rests, and can be undone. The shown round is worked out anew."
SIMULATED = (
    "A simulated car: what its engine is cannot be changed here. Begin a new job for your own."
)
LOOK_ONLY = "This job can only be looked at now."
NO_TARGET = "No target table: the target comes from the logs."


class Say:
    """What the desk says."""

    TARGETS_THERE = Message(
        "vehicle_desk.targets_there",
        "Targets are changed on the Pulls desk, under Targets; paste them there.",
    )
    NOT_KEPT = Message(
        "vehicle_desk.not_kept",
        "What was being typed of the vehicle is not in the job that was closed: {reason}.",
    )


class VehicleDesk(QWidget):
    """Shows the vehicle of the open job."""

    hovered = Signal(str)

    def __init__(
        self, session: Session, appearance: Appearance, actions: Mapping[str, QAction]
    ) -> None:
        super().__init__()
        self.session = session
        self.appearance = appearance
        self.form = CarForm(appearance, fixed=("airflow",))
        self.form.edited.connect(self._edited)
        self.airflow = GridPreview(appearance, "")
        self.target = GridPreview(appearance, NO_TARGET)
        self.tables = Turning((("Airflow table", self.airflow), ("Target λ", self.target)))
        self.state = Label(KEPT, self)
        self.state.setWordWrap(True)
        self.state.setFont(font(9))
        self.about = Label(self)
        self.about.setFont(font(9))
        self.about.setWordWrap(True)
        self.export = QPushButton("Export the vehicle sheet…", self)
        self.export.clicked.connect(actions["export_sheet"].trigger)
        self._draft: VehicleDraft | None = None
        self._draft_of = 0
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(REST_MS)
        self._timer.timeout.connect(self.keep)
        self._lay_out()
        for signal in (session.job_changed, session.round_changed, session.access_changed):
            signal.connect(lambda *_: self.refresh())
        session.job_closing.connect(self.keep)
        session.job_closed.connect(self._drop)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        # Whoever turns to something else has finished typing.
        app.focusChanged.connect(self._focus_moved)
        self.refresh()

    def _lay_out(self) -> None:
        left = scrolling_column([self.form])
        left.setFixedWidth(LEFT_W)
        side = QVBoxLayout()
        side.addWidget(self.tables, 1)
        row = QHBoxLayout()
        row.addWidget(self.about, 1)
        row.addWidget(self.export)
        side.addLayout(row)
        middle = QHBoxLayout()
        middle.setSpacing(14)
        middle.addWidget(left)
        middle.addLayout(side, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 10, 4)
        layout.addWidget(self.state)
        layout.addLayout(middle, 1)

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""
        return self

    def paste_table(self) -> None:
        """Put the table on the clipboard over the one that is shown; targets are pasted on the Pulls desk."""
        if self.tables.stack.currentWidget() is self.airflow:
            edited = self.session.elsewhere.read_text(QGuiApplication.clipboard().text())
            if edited is not None:
                self.session.elsewhere.decide(edited)
        else:
            self.session.note(Say.TARGETS_THERE())

    def mark(self) -> str:
        """Nothing: what is wrong is told where it is typed."""
        return ""

    def refresh(self) -> None:
        """Stand as the job says, unless something is being typed."""
        job = self.session.job
        current = self.session.round
        if job is None or current is None:
            return
        if self._draft is None:
            self.form.show_draft(draft_of(job.vehicle))
        self.form.setEnabled(not job.car and self.session.can_save)
        locked = SIMULATED if job.car else "" if self.session.can_save else LOOK_ONLY
        self._say(locked or KEPT, wrong=False)
        calibration = current.revision.calibration
        self.airflow.show_table(current.table)
        self.target.show_table(calibration.tables.get(TARGET))
        words = table_words(current.table)
        self.about.setText(
            f"The {words} that round {current.number} was driven on. Tables belong to rounds: "
            "what is decided on the Table desk is the next one."
        )

    def _edited(self, draft: VehicleDraft) -> None:
        self._draft = draft
        # What is typed belongs to this job, whichever is open when the typing rests.
        self._draft_of = self.session.open.number
        wrong = (*draft.wrong, *(f"{what} is missing" for what in draft.missing))
        self._say(f"Not kept yet: {wrong[0]}" if wrong else KEPT, wrong=bool(wrong))
        if wrong:
            self._timer.stop()
        else:
            self._timer.start()

    def _say(self, text: str, wrong: bool) -> None:
        theme = self.appearance.theme
        self.state.setText(text)
        self.state.setStyleSheet(f"color: {theme.danger if wrong else theme.faint};")

    def _focus_moved(self, old: QWidget | None, new: QWidget | None) -> None:
        if old is not None and self.isAncestorOf(old):
            self.keep()

    def hideEvent(self, event: QHideEvent) -> None:
        """Keep what was typed before the desk is out of sight."""
        self.keep()
        super().hideEvent(event)

    def keep(self) -> None:
        """Save what was typed, if it can be; what cannot stays where it is, and is said."""
        self._timer.stop()
        draft = self._draft
        if draft is None or not draft.is_ready or self.session.job is None:
            return
        self._draft = None
        if not self.session.vehicles.change(draft, self._draft_of):
            self._draft = draft

    def _drop(self) -> None:
        """The job is closed: what of its vehicle could not be kept goes with it, and is named."""
        self._timer.stop()
        draft = self._draft
        self._draft = None
        if draft is not None:
            wrong = (*draft.wrong, *(f"{what} is missing" for what in draft.missing))
            self.session.note(Say.NOT_KEPT(reason="; ".join(wrong) or "the job could not be saved"))
