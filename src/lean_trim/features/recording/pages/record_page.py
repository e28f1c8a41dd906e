"""The page a recording is begun, watched and ended on."""

from __future__ import annotations

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.features.recording.hearing import Now
from lean_trim.features.recording.live_drive import LiveChanged, LiveDrive
from lean_trim.features.recording.pages.drive_view import DriveView
from lean_trim.live.forms import FORMS
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.page import heading, running_text

LOOK_MS = 250
SOURCES_H = 62
CAUTION = (
    "On a closed course or a dynamometer, with somebody beside the driver who watches the drive view. "
    "Nothing is ever written to an ECU. A watch that is OFF warns of nothing."
)
NOT_YET = "What is heard stands here once a recording runs."


class RecordPage(QWidget):
    """Sources, how they stand, which watches see something.

    Parameters
    ----------
    session : of the window.
    appearance : theme and units.
    """

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.live = session.part(LiveDrive)
        self.view = DriveView(self.live)
        self.sources = QPlainTextEdit(self)
        self.sources.setFont(font(9))
        self.sources.setFixedHeight(SOURCES_H)
        self.sources.setTabChangesFocus(True)
        self.sources.setPlaceholderText("obd:/dev/ttyUSB0\nlines:/dev/ttyUSB1?baud=9600")
        self.sources.setAccessibleName("Sources, one a line")
        forms = "\n".join(FORMS.values())
        self.sources.setToolTip(plain_tip(f"One source a line:\n{forms}"))
        self.begin = QPushButton("Start recording", self)
        self.begin.setObjectName("primary")
        self.begin.clicked.connect(self._press)
        self.look = QPushButton("Drive view", self)
        self.look.setToolTip(
            plain_tip("Fills the screen: what to hold, λ against target, alarms. Esc leaves it")
        )
        self.look.clicked.connect(self.view.open)
        self.codes = QPushButton("Read fault codes", self)
        self.codes.setToolTip(
            plain_tip("Stored and pending ones, into the checklist; nothing is cleared")
        )
        self.codes.clicked.connect(
            lambda: self.live.read_codes(self.sources.toPlainText().splitlines())
        )
        self.speaks = QCheckBox("Speak", self)
        self.speaks.setFont(font(9))
        self.speaks.toggled.connect(self._speak)
        self.ask = QPushButton("Answer…", self)
        self.ask.setObjectName("primary")
        self.ask.setToolTip(plain_tip("Which channel is which, in which unit, as of a log file"))
        self.ask.clicked.connect(self.live.ask)
        self.go = QPushButton("Start as it is", self)
        self.go.setToolTip(
            plain_tip(
                "What is in doubt is recorded and not solved; it is asked when it is taken in"
            )
        )
        self.go.clicked.connect(self.live.start_drive)
        self.rest = QPushButton(self)
        self.rest.clicked.connect(self._take_rest)
        self.state = running_text(9.0, NOT_YET)
        self.allowed = running_text(9.0)
        self.doubts = running_text(8.5)
        self.watches = running_text(9.0)
        self._lay_out()
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK_MS)
        self._timer.timeout.connect(self.show_now)
        session.told(LiveChanged).connect(self.refresh)
        session.job_changed.connect(self._other_job)
        self._other_job()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 8, 6)
        column.setSpacing(5)
        more = QHBoxLayout()
        more.setSpacing(4)
        more.addWidget(self.codes)
        more.addWidget(self.speaks)
        more.addStretch(1)
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        buttons.addWidget(self.begin)
        buttons.addWidget(self.look)
        buttons.addStretch(1)
        before = QHBoxLayout()
        before.setSpacing(4)
        before.addWidget(self.ask)
        before.addWidget(self.go)
        before.addStretch(1)
        column.addWidget(heading("Sources, one a line"))
        column.addWidget(self.sources)
        column.addLayout(buttons)
        column.addLayout(more)
        for widget in (self.rest, self.state, self.allowed, self.doubts):
            column.addWidget(widget)
        column.addLayout(before)
        column.addWidget(self.watches)
        column.addWidget(running_text(8.5, CAUTION))
        column.addStretch(1)

    def _other_job(self) -> None:
        self.sources.setPlainText("\n".join(self.live.addresses))
        self.refresh()

    def _press(self) -> None:
        if self.live.is_running:
            self.live.stop()
        elif self.live.start(self.sources.toPlainText().splitlines()):
            self.view.tone.prepare()

    def _speak(self, on: bool) -> None:
        self.view.tone.speaks = on

    def _take_rest(self) -> None:
        left = self.live.left_over()
        if left:
            self.session.imports.add(list(left[:1]))

    def refresh(self) -> None:
        """Stand as the recording does."""
        runs = self.live.is_running
        can = self.session.can_save and self.session.job is not None
        self.begin.setText("End, and take it in" if runs else "Start recording")
        self.begin.setEnabled(can)
        self.look.setEnabled(runs)
        self.codes.setEnabled(can and not runs)
        self.sources.setReadOnly(runs)
        has_speaker = self.view.tone.speaker is not None
        self.speaks.setEnabled(has_speaker)
        tip = (
            "The next state and dangers are spoken"
            if has_speaker
            else "No command that speaks is installed"
        )
        self.speaks.setToolTip(plain_tip(tip))
        left = () if runs else self.live.left_over()
        self.rest.setVisible(bool(left))
        if left:
            self.rest.setText(f"Take in {left[0].name}")
        if runs:
            self._timer.start()
        else:
            self._timer.stop()
        self._show_understood()
        self.show_now()

    def _show_understood(self) -> None:
        found = self.live.understood if self.live.is_running else None
        self.allowed.setVisible(found is not None)
        doubted = found is not None and bool(found.doubts)
        self.doubts.setVisible(doubted)
        self.ask.setVisible(doubted and self.live.listens)
        self.go.setVisible(self.live.listens)
        if found is None:
            return
        self.allowed.setText(f"{len(found.matches)} channels understood. {found.allowed.said}.")
        when = (
            "Not started yet, in doubt:"
            if self.live.listens
            else "In doubt, so recorded and not solved; asked when it is taken in:"
        )
        self.doubts.setText("\n".join([when, *(f"• {doubt}" for doubt in found.doubts)]))

    def show_now(self) -> None:
        """How sources and watches stand now."""
        now = self.live.now()
        self.watches.setVisible(now is not None)
        if now is None:
            self.state.setText(NOT_YET)
            return
        self.state.setText("\n".join(state_lines(now)))
        off = [f"{w.title} OFF: {w.off}" for w in now.watches if w.off is not None]
        on = ", ".join(w.title.lower() for w in now.watches if w.off is None)
        watched = [f"Watched: {on}."] if on else []
        self.watches.setText("\n".join([*watched, *off]))


def state_lines(now: Now) -> list[str]:
    """How every source stands, and what keeps the recording from being written."""
    lines = [str(now.state.trouble)] if now.state.trouble is not None else []
    minutes, seconds = divmod(int(now.seconds), 60)
    listens = "listening before the start, " if now.listens else ""
    lines.append(f"{listens}{minutes}:{seconds:02d} min recorded")
    for source in now.state.sources:
        why = f": {source.said}" if source.said is not None else ""
        lines.append(f"{source.address} {source.condition}, {source.readings:,} readings{why}")
    return lines
