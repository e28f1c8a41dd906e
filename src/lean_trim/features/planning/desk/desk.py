"""The Plan desk: which states are worth driving next, in which order, and which may not be driven yet."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QAction, QGuiApplication, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.planning.full_throttle import full_throttle_lines
from lean_trim.core.planning.plan import Where
from lean_trim.features.planning.checklist import Checklist
from lean_trim.features.planning.control import MINUTES_RANGE, PlanControl, PlanMade
from lean_trim.features.planning.desk.card_view import CardView
from lean_trim.features.planning.desk.checklist_view import ChecklistView
from lean_trim.features.planning.desk.state_map import StateMap
from lean_trim.features.planning.plan_json import plan_text
from lean_trim.features.recording.live_drive import LiveChanged
from lean_trim.features.recording.pages.record_page import RecordPage
from lean_trim.simcar.planned import WARM_UP_S
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.label import plain_tip
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.picture import ask_where
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox

CAUTION = (
    "A plan is an estimate, not a permission. On a closed course or a dynamometer, with a second person; the "
    "driver never reads a screen. Lean at load destroys engines."
)
PLANNING = "Planning the next drive."
CARD_W = 330
SLOWER_MIN = 1.0
"""The simulated driver takes longer from state to state than the plan says."""
DRIVE_TIP = "The simulated driver holds these states, once the engine is warm, in the next round"
DECIDE_TIP = "Decide first: the plan is for the table as it is proposed"
WHERES: tuple[tuple[Where, str, str], ...] = (
    ("dyno", "Dynamometer", "A brake holds the engine speed: any load at any speed"),
    ("road", "Road", "What a gear, a road speed and a grade from -2 to +4 % hold, up to 130 km/h"),
)


PAGES = (
    ("Card", "The plan in at most twelve sentences, to be read aloud"),
    ("Before the drive", "What has to be so, and which of it the last log answers"),
    ("Record", "Log the running car here, with alarms, the plan ticked and the table filling"),
)


class PlanDesk(QWidget):
    """Speaks of the shown round's table, as it would be written now."""

    hovered = Signal(str)

    def __init__(
        self, session: Session, appearance: Appearance, actions: Mapping[str, QAction]
    ) -> None:
        super().__init__()
        self.session = session
        self.control = session.part(PlanControl)
        self.map = StateMap(appearance, self)
        self.card = CardView(appearance)
        self.checks = ChecklistView(session.part(Checklist), appearance, self)
        self.record = RecordPage(session, appearance, self)
        self.summary = running_text(9.5)
        self.full = running_text(9.0)
        self.questions = running_text(9.0)
        self.caution = running_text(8.5, CAUTION)
        self.minutes = DoubleSpinBox(self)
        self.minutes.setRange(*MINUTES_RANGE)
        self.minutes.setDecimals(0)
        self.minutes.setSuffix(" min")
        self.minutes.setAccessibleName("Minutes of the next drive")
        self.minutes.setToolTip(plain_tip("How long the next drive may be"))
        self.minutes.editingFinished.connect(
            lambda: self.control.set_minutes(round(self.minutes.value()))
        )
        self.wheres = QButtonGroup(self)
        self.page_buttons = QButtonGroup(self)
        self.copy = QPushButton("Copy the card", self)
        self.copy.setToolTip("As text; as a picture from its context menu")
        self.copy.clicked.connect(self._copy)
        self.print = QPushButton("Print…", self)
        self.print.setToolTip("The card as a PDF page, or as a picture for a phone")
        self.print.clicked.connect(lambda: ask_where(self.card.pictured, suffix=".pdf"))
        self.drive = QPushButton("Drive it", self)
        self.drive.clicked.connect(self._drive)
        self._lay_out()
        session.told(PlanMade).connect(lambda *_: self.refresh())
        session.told(LiveChanged).connect(self._live_changed)
        for signal in (session.round_changed, session.job_changed):
            signal.connect(lambda *_: self._again())
        for signal in (session.decided, session.solved):
            signal.connect(self._again)
        self.refresh()

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.setSpacing(4)
        for place, (_, title, tip) in enumerate(WHERES):
            button = QToolButton(self)
            button.setText(title)
            button.setToolTip(plain_tip(tip))
            button.setCheckable(True)
            self.wheres.addButton(button, place)
            top.addWidget(button)
        self.wheres.idClicked.connect(lambda place: self.control.set_where(WHERES[place][0]))
        top.addWidget(self.minutes)
        top.addStretch(1)
        self.pages = QStackedWidget(self)
        for page in (self.card, self.checks, self.record):
            scroll = QScrollArea(self)
            scroll.setWidget(page)
            scroll.setWidgetResizable(True)
            scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            self.pages.addWidget(scroll)
        heads = QHBoxLayout()
        heads.setSpacing(4)
        for place, (title, tip) in enumerate(PAGES):
            button = QToolButton(self)
            button.setText(title)
            button.setToolTip(plain_tip(tip))
            button.setCheckable(True)
            button.setChecked(place == 0)
            self.page_buttons.addButton(button, place)
            heads.addWidget(button)
        heads.addStretch(1)
        self.page_buttons.idClicked.connect(self.pages.setCurrentIndex)
        buttons = QHBoxLayout()
        buttons.addWidget(self.copy)
        buttons.addWidget(self.print)
        buttons.addWidget(self.drive)
        buttons.addStretch(1)
        side = QWidget(self)
        side.setFixedWidth(CARD_W)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(heads)
        column.addWidget(self.pages, 1)
        column.addLayout(buttons)
        column.addWidget(self.full)
        column.addWidget(self.questions)
        column.addWidget(self.caution)
        middle = QHBoxLayout()
        middle.setSpacing(10)
        middle.addWidget(self.map, 1)
        middle.addWidget(side)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 10, 4)
        layout.setSpacing(6)
        layout.addLayout(top)
        layout.addWidget(self.summary)
        layout.addLayout(middle, 1)

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""
        return self

    def mark(self) -> str:
        """Nothing before it is asked."""
        return ""

    def showEvent(self, event: QShowEvent) -> None:
        """From now on drives are planned."""
        super().showEvent(event)
        self.control.want()
        self.refresh()

    def _again(self) -> None:
        # What nobody looks at stands as the job does when it is turned to.
        if self.isVisible():
            self.control.look()
            self.refresh()

    def _live_changed(self) -> None:
        """A drive goes on: its states are ticked, its fault codes stand in the checklist."""
        now = self.record.live.now()
        self.map.show_ticked(0 if now is None else now.next.place)
        self.checks.refresh()

    def refresh(self) -> None:
        """Stand as the plan does."""
        planned = self.control.planned
        said = self.control.said
        with QSignalBlocker(self.minutes):
            self.minutes.setValue(self.control.minutes)
        chosen = next(i for i, (where, _, _) in enumerate(WHERES) if where == self.control.where)
        self.wheres.button(chosen).setChecked(True)
        can = self.session.can_save
        self.checks.refresh()
        self.checks.setEnabled(can)
        left = self.checks.open_lines
        self.page_buttons.button(1).setText(f"{PAGES[1][0]}, {left} open" if left else PAGES[1][0])
        self.minutes.setEnabled(can)
        for button in self.wheres.buttons():
            button.setEnabled(can)
        if planned is None or said:
            waits = self.control.lookup.is_looking
            self.map.show_plan(None, said or (PLANNING if waits else ""))
            self.card.show_lines(())
            self.full.setText("")
            self.questions.setText("")
            self.summary.setText(said)
            self.copy.setEnabled(False)
            self.print.setEnabled(False)
            self.drive.setVisible(False)
            return
        plan = planned.plan
        self.map.show_plan(plan, "")
        self.card.show_lines(planned.card)
        self.full.setText(" ".join(full_throttle_lines(plan, plan.ratios)))
        self.questions.setText(" ".join(planned.questions))
        self.questions.setVisible(bool(planned.questions))
        self.copy.setEnabled(bool(plan.held))
        self.print.setEnabled(bool(plan.held))
        job = self.session.job
        self.drive.setVisible(job is not None and bool(job.car))
        self.drive.setEnabled(can and planned.of_decided and bool(plan.held))
        self.drive.setToolTip(DRIVE_TIP if planned.of_decided else DECIDE_TIP)
        of = "as decided" if planned.of_decided else "as proposed"
        left = int(plan.not_yet.sum())
        more = f" {left} states may be too lean or stand on nothing proven yet." if left else ""
        self.summary.setText(
            f"For the table {of}: {len(plan.held)} states in {plan.seconds / 60.0:.0f} minutes. Over all "
            f"that can be held it is expected off by {plan.rms_before_pct:.1f} % now, "
            f"{plan.rms_after_pct:.1f} % after.{more}"
        )

    def _drive(self) -> None:
        """The simulated driver drives the plan, on the table as decided, in the next round."""
        planned = self.control.planned
        current = self.session.round
        if planned is None or current is None:
            return
        told = plan_text(planned.plan, current.table, planned.card, planned.questions)
        minutes = (planned.plan.seconds + WARM_UP_S) / 60.0 + SLOWER_MIN
        self.session.rounds.drive(told, minutes)

    def _copy(self) -> None:
        QGuiApplication.clipboard().setText("\n".join(self.card.lines))
