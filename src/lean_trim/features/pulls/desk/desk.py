"""The Pulls desk: full-throttle runs found, listed, laid over each other, judged."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QAction, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QPushButton,
    QSplitter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.pulls.atmosphere import ALTITUDE_M
from lean_trim.core.pulls.pull import Pull
from lean_trim.core.pulls.pull_verdict import verdict_on_pull
from lean_trim.features.pulls.control import MOST_KW, PullsControl, PullsFound
from lean_trim.features.pulls.desk.controls import Controls
from lean_trim.features.pulls.desk.knock_page import KnockPage
from lean_trim.features.pulls.desk.overlay import EMPTY, NOTHING_CHOSEN, OverlayChart
from lean_trim.features.pulls.desk.overlay_data import difference_of, overlay_of
from lean_trim.features.pulls.desk.pull_list import PullList
from lean_trim.features.pulls.desk.pull_rows import Row
from lean_trim.features.pulls.desk.target_page import TargetPage
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.shown_stack import ShownStack
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox

CAUTION = (
    "Full throttle only off public roads or on a dynamometer, a second person reading the "
    "mixture. End a run at once on lean, knock or falling fuel pressure."
)
LOOKING = "Looking for full-throttle runs."
NONE = "No full-throttle run in this job's logs: the throttle was nowhere far open for two seconds."
NO_FIGURE = "–"
VIEWS = (
    ("Runs", "Full-throttle runs, laid over each other"),
    ("Knock", "Where knock took spark out, how much, and in which run"),
    ("Target λ", "What is asked for, beside what people run at that load"),
)
LIST_H = 190
LIST_SHARE = 0.3
"""Height of the list, and its share of a low window."""


class PullsDesk(QWidget):
    """Shows the pulls of every round of the job."""

    hovered = Signal(str)

    def __init__(
        self, session: Session, appearance: Appearance, actions: Mapping[str, QAction]
    ) -> None:
        super().__init__()
        self.session = session
        self.appearance = appearance
        self.pulls = session.part(PullsControl)
        self.list = PullList(appearance, self)
        self.controls = Controls(self)
        self.chart = OverlayChart(appearance, self)
        self.chart.hovered.connect(self.hovered)
        self.knock = KnockPage(session, appearance, self)
        self.targets = TargetPage(session, appearance, self)
        self.verdict = running_text(9.5)
        self.caution = running_text(8.5, CAUTION)
        self.out = QPushButton(self)
        self.out.clicked.connect(self._leave_out)
        self.figure = self._box("What a dynamometer showed of the chosen run", " kW", 0.0, MOST_KW)
        self.figure.setSpecialValueText(NO_FIGURE)
        self.figure.editingFinished.connect(self._set_figure)
        self.altitude = self._box("Metres above the sea", " m", *ALTITUDE_M)
        self.altitude.editingFinished.connect(
            lambda: self.pulls.set_altitude(round(self.altitude.value()))
        )
        self.altitude_label = Label("no barometer logged; altitude", self)
        self._lay_out()
        self.list.chosen.connect(self._chosen)
        self.list.drawn_changed.connect(self._draw)
        self.controls.changed.connect(self._draw)
        self.controls.speeds_changed.connect(self.refresh)
        for signal in (
            session.told(PullsFound),
            session.round_changed,
            session.job_changed,
            session.access_changed,
        ):
            signal.connect(lambda *_: self._again())
        session.decided.connect(self.targets.refresh)
        appearance.changed.connect(self.refresh)
        self.refresh()

    def _box(self, name: str, unit: str, low: float, high: float) -> DoubleSpinBox:
        box = DoubleSpinBox(self)
        box.setRange(low, high)
        box.setDecimals(0)
        box.setSuffix(unit)
        box.setAccessibleName(name)
        box.setToolTip(plain_tip(name))
        return box

    def _lay_out(self) -> None:
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self.verdict, 1)
        buttons.addWidget(self.altitude_label)
        buttons.addWidget(self.altitude)
        buttons.addWidget(Label("dynamometer", self))
        buttons.addWidget(self.figure)
        buttons.addWidget(self.out)
        below = QWidget(self)
        column = QVBoxLayout(below)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        column.addLayout(buttons)
        column.addWidget(self.controls)
        column.addWidget(self.chart, 1)
        column.addWidget(self.caution)
        self.parts = QSplitter(Qt.Orientation.Vertical, self)
        self.parts.addWidget(self.list)
        self.parts.addWidget(below)
        self.parts.setStretchFactor(0, 0)
        self.parts.setStretchFactor(1, 1)
        self.parts.setChildrenCollapsible(False)
        self.parts.splitterMoved.connect(lambda *_: self._keep_sizes())
        self.sizes_kept = False
        self.stack = ShownStack(self)
        self.stack.addWidget(self.parts)
        self.stack.addWidget(self.knock)
        self.stack.addWidget(self.targets)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 10, 4)
        layout.setSpacing(4)
        layout.addLayout(self._views())
        layout.addWidget(self.stack, 1)

    def _views(self) -> QHBoxLayout:
        """What the desk shows of the runs."""
        row = QHBoxLayout()
        row.setSpacing(2)
        self.view_buttons = QButtonGroup(self)
        for place, (title, tip) in enumerate(VIEWS):
            button = QToolButton(self)
            button.setText(title)
            button.setToolTip(plain_tip(tip))
            button.setCheckable(True)
            button.setChecked(place == 0)
            button.clicked.connect(partial(self.stack.setCurrentIndex, place))
            self.view_buttons.addButton(button, place)
            row.addWidget(button)
        row.addStretch(1)
        return row

    def _keep_sizes(self) -> None:
        """What the user drew wider stays so."""
        self.sizes_kept = True

    def resizeEvent(self, event: QResizeEvent) -> None:
        """The list takes its share until the user says otherwise."""
        super().resizeEvent(event)
        if not self.sizes_kept:
            least = self.list.minimumHeight()
            high = max(least, min(LIST_H, int(LIST_SHARE * self.height())))
            self.parts.setSizes([high, max(self.height() - high, 1)])

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""
        return self

    def mark(self) -> str:
        """Nothing before it is asked."""
        return ""

    def showEvent(self, event: QShowEvent) -> None:
        """From now on pulls are looked for."""
        super().showEvent(event)
        self.pulls.want()
        self.refresh()

    def _again(self) -> None:
        # What nobody looks at stands as the job does when it is turned to.
        if self.isVisible():
            self.pulls.look()
            self.refresh()

    def refresh(self) -> None:
        """Stand as the job does."""
        job = self.session.job
        found = (
            []
            if job is None
            else [self.pulls.found[r.id] for r in job.rounds if r.id in self.pulls.found]
        )
        rows = [
            Row(one.round_id, one.number, trace, self.pulls.is_left_out(one.round_id, trace.pull))
            for one in found
            for trace in one.traces
        ]
        self.list.show_rows(rows, self.controls.low.value(), self.controls.high.value())
        unknown = bool(rows) and not all(one.baro_logged for one in found)
        self.altitude_label.setVisible(unknown)
        self.altitude.setVisible(unknown)
        self.altitude.setValue(self.pulls.altitude_m)
        failures = [f"Round {one.number}: {one.failure}" for one in found if one.failure]
        logs = job is not None and any(r.logs for r in job.rounds)
        waiting = (
            logs and len(found) < sum(bool(r.logs) for r in job.rounds)
            if job is not None
            else False
        )
        failed = self.pulls.lookup.failure
        looking = failed or LOOKING
        self.nothing = EMPTY if not logs else looking if waiting else "  ".join(failures) or NONE
        self._show_chosen()
        self._draw()
        self.knock.refresh()
        self.targets.refresh()
        count = len(self.knock.rows)
        self.view_buttons.button(1).setText(f"Knock  ·  {count}" if count else "Knock")

    @property
    def row(self) -> Row | None:
        """The chosen pull."""
        return self.list.rows[self.list.current] if self.list.current >= 0 else None

    def _chosen(self) -> None:
        """Another row was chosen: the tape shows it, if it is of the round that is looked at."""
        row = self.row
        if row is not None and self.session.open.shows(row.round_id):
            pull = row.trace.pull
            self.session.selection.set_span(pull.start_s, pull.end_s, frozenset())
        self._show_chosen()
        self._draw()

    def _show_chosen(self) -> None:
        row = self.row
        for widget in (self.out, self.figure):
            widget.setEnabled(row is not None and self.session.can_save)
        self.out.setText(
            "Count this run again" if row is not None and row.left_out else "Leave this run out"
        )
        self.verdict.setText(
            "" if row is None else str(verdict_on_pull(row.trace.pull, self._before(row)))
        )
        with QSignalBlocker(self.figure):
            kw = 0.0 if row is None else self.pulls.figure_kw(row.round_id, row.trace.pull)
            self.figure.setValue(kw if kw > 0.0 else 0.0)

    def _before(self, row: Row) -> Pull | None:
        """The run before it in the same round."""
        same = [r.trace.pull for r in self.list.rows if r.round_id == row.round_id]
        place = same.index(row.trace.pull)
        return same[place - 1] if place > 0 else None

    def _draw(self) -> None:
        places = self.list.drawn
        rows = self.list.rows
        traces = [rows[i].trace for i in places]
        chosen, beside = (
            places.index(i) if i in places else -1 for i in (self.list.current, self.list.beside)
        )
        lanes = self.controls.shown_lanes
        self.controls.apart.setEnabled(beside >= 0)
        nothing = self.nothing if not rows else NOTHING_CHOSEN
        if self.controls.apart.isChecked() and beside >= 0 and chosen >= 0:
            self.chart.show_overlay(
                difference_of(traces[chosen], traces[beside], lanes), 0, -1, nothing
            )
            return
        overlay = overlay_of(
            traces,
            lanes,
            self.controls.across,
            self.controls.trigger_kind,
            self.controls.level.value(),
        )
        self.chart.show_overlay(overlay, chosen, beside, nothing)

    def _leave_out(self) -> None:
        if self.row is not None:
            self.pulls.leave_out(self.row.round_id, self.row.trace.pull)

    def _set_figure(self) -> None:
        if self.row is not None:
            self.pulls.set_figure(
                self.row.round_id, self.row.trace.pull, round(self.figure.value())
            )
