"""The Injectors desk: after a swap, how far flow and dead time are off, and what to write."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.calibration import DEAD_TIME, INJECTOR_FLOW, SMALL_PULSES
from lean_trim.core.injectors.injector_verdict import Verdict
from lean_trim.core.injectors.methods import Methods, compare_methods
from lean_trim.core.pipeline.injectors import TRUST_PCT, InjectorReport, verdict_of
from lean_trim.features.injectors.desk.cards import injector_card
from lean_trim.features.injectors.desk.curves import CELLS, VIEWS
from lean_trim.features.injectors.desk.headroom_panel import HeadroomPanel
from lean_trim.features.injectors.desk.injector_chart import InjectorChart
from lean_trim.features.injectors.desk.measured_panel import MeasuredPanel
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.fold import Fold
from lean_trim.ui.widgets.label import Label, escaped, plain_tip
from lean_trim.ui.widgets.page import running_markup, running_text, scrolling_column
from lean_trim.ui.widgets.table_card import TableCard
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox
from lean_trim.workspace.work_state import Stage

SIDE_W = 376
ABOUT = (
    "After other injectors went in and their data was entered: a constant percentage is flow, a "
    "constant time is dead time, a shape over engine speed and load is airflow. The airflow table "
    "is left alone here; say how good it was."
)
CAUTION = (
    "Write flow or dead time only where they are told, begin on the rich side, and log again. A "
    "change of more than 20 % may need other injector settings too."
)
FAR_PCT = 20.0
FIRST = "Add a log of the new injectors first."
ALONE = "Both are told apart from the airflow table. One standard error stands behind each."


class InjectorsDesk(QWidget):
    """Shows what the shown round says of the injectors."""

    hovered = Signal(str)

    def __init__(
        self, session: Session, appearance: Appearance, actions: Mapping[str, QAction]
    ) -> None:
        super().__init__()
        self.session = session
        self.appearance = appearance
        self.study = session.study
        self.chart = InjectorChart(appearance)
        self.trust = DoubleSpinBox(self)
        self.trust.setRange(*TRUST_PCT)
        self.trust.setDecimals(1)
        self.trust.setSuffix(" %")
        self.trust.setPrefix("± ")
        self.trust.setAccessibleName("How good the airflow table's level is, percent")
        self.trust.setToolTip(
            plain_tip(
                "Standard deviation of the table's mean error over what was driven, before the swap"
            )
        )
        self.trust.editingFinished.connect(lambda: self.study.trust(round(self.trust.value(), 1)))
        self.tell = QPushButton("Tell them apart", self)
        self.tell.setObjectName("primary")
        self.tell.clicked.connect(self.study.run)
        self.flow = TableCard(injector_card(INJECTOR_FLOW, session), session, appearance)
        self.dead = TableCard(injector_card(DEAD_TIME, session), session, appearance)
        self.small = TableCard(injector_card(SMALL_PULSES, session), session, appearance)
        self.dead.add_action("Paste a small-pulse table of the ECU…", self._ask_small)
        self.first = QCheckBox("This round is the first on other injectors", self)
        self.first.setToolTip(plain_tip(actions["swap"].toolTip()))
        self.first.toggled.connect(actions["swap"].setChecked)
        self.first.setChecked(actions["swap"].isChecked())
        self.first.setEnabled(actions["swap"].isEnabled())
        actions["swap"].toggled.connect(self.first.setChecked)
        actions["swap"].enabledChanged.connect(self.first.setEnabled)
        self.figures = [running_markup(10.5) for _ in range(2)]
        self.verdict = running_text(9.5)
        self.methods = running_markup(9.0)
        self.headroom = HeadroomPanel(session, appearance)
        self.measured = MeasuredPanel(session)
        self.caution = running_text(9.0, CAUTION)
        self.about = running_text(9.0, ABOUT)
        self._lay_out()
        for signal in (
            session.injectors_told,
            session.work_changed,
            session.solved,
            session.round_changed,
            session.job_changed,
            session.access_changed,
        ):
            signal.connect(lambda *_: self.refresh())
        appearance.changed.connect(self.refresh)
        self.refresh()

    def _lay_out(self) -> None:
        inner = QWidget(self)
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        word = QGridLayout()
        word.addWidget(Label("Table good to", inner), 0, 0)
        word.addWidget(self.trust, 0, 1)
        word.addWidget(self.tell, 0, 2)
        column.addWidget(self.about)
        column.addWidget(self.first)
        column.addLayout(word)
        for label in (*self.figures, self.verdict, self.methods, self.caution):
            column.addWidget(label)
        self.apart = Fold(
            "Measured apart: fuel weighed, flow bench, two injections", lambda: (self.measured,)
        )
        self.room = Fold("Headroom: duty, other fuel, boost or power", lambda: (self.headroom,))
        # Folded, but there: what they show is kept in step either way.
        for fold in (self.apart, self.room):
            fold.fill()
        side = scrolling_column([inner, self.apart, self.room], spacing=6)
        side.setFixedWidth(SIDE_W)
        tables = QHBoxLayout()
        tables.setSpacing(10)
        tables.addWidget(self.flow)
        tables.addWidget(self.dead)
        tables.addWidget(self.small)
        right = QVBoxLayout()
        right.addLayout(self._views())
        right.addWidget(self.chart, 1)
        right.addLayout(tables, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 8, 10, 4)
        layout.setSpacing(14)
        layout.addWidget(side)
        layout.addLayout(right, 1)

    def _views(self) -> QHBoxLayout:
        """Ways to look at what was told."""
        row = QHBoxLayout()
        row.setSpacing(2)
        self.view_buttons = QButtonGroup(self)
        for place, view in enumerate((*VIEWS, CELLS)):
            button = QToolButton(self)
            button.setText(view)
            button.setCheckable(True)
            button.setChecked(place == 0)
            button.clicked.connect(partial(self._view, view))
            self.view_buttons.addButton(button)
            row.addWidget(button)
        row.addStretch(1)
        return row

    def _view(self, view: str) -> None:
        self.chart.show_view(view)

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""
        return self

    def mark(self) -> str:
        """Nothing before it is asked."""
        return ""

    def refresh(self) -> None:
        """Stand as the study says."""
        tables = self.session.injectors
        told = self.study.report
        report = None if told is None else tables.in_force(told)
        self.headroom.refresh()
        self.measured.refresh()
        self.trust.setValue(self.study.trust_pct)
        self.tell.setEnabled(self.session.solution is not None)
        self.chart.show_report(report)
        self.flow.refresh()
        self.dead.refresh()
        self.small.refresh()
        there = tables.base(SMALL_PULSES) is not None
        self.small.setVisible(there or not self.small.sheet.isHidden())
        for widget in (self.caution, self.methods):
            widget.setVisible(report is not None)
        if report is None:
            self.figures[0].setText("")
            self.figures[1].setText("")
            state = self.session.work.state
            nothing = (
                FIRST if state.stage is Stage.NO_LOG else "" if state.shows_table else state.said
            )
            self._say(self.study.failure or nothing, wrong=bool(self.study.failure))
            return
        self._show(report, verdict_of(report))

    def _ask_small(self) -> None:
        """An ECU that adds to short pulses, of which the drive showed nothing."""
        self.small.sheet.ask_clipboard()
        self.small.show()

    def _say(self, text: str, wrong: bool) -> None:
        theme = self.appearance.theme
        self.verdict.setText(text)
        self.verdict.setStyleSheet(f"color: {theme.danger if wrong else theme.ink};")

    def _show(self, report: InjectorReport, verdict: Verdict) -> None:
        split = report.split
        theme = self.appearance.theme
        relative = 100.0 * split.flow_se / split.flow_scale
        change = 100.0 * (split.flow_scale - 1.0)
        sure = ("", "not told apart: ")
        unsure = [
            sure[not known] for known in (verdict.identifiable_flow, verdict.identifiable_dead_time)
        ]
        flow = f"{unsure[0]}× {split.flow_scale:.3f} ({change:+.1f} %) ± {relative:.1f} %"
        dead = f"{unsure[1]}{split.dead_ms:+.3f} ms ± {split.dead_se_ms:.3f} ms"
        self.figures[0].setText(f"<b>Flow</b> {escaped(flow)}")
        self.figures[1].setText(f"<b>Dead time</b> {escaped(dead)}")
        # What is told stands above in figures; said in words is only what is not, and why.
        unsaid = (
            (verdict.identifiable_flow, verdict.flow),
            (verdict.identifiable_dead_time, verdict.dead_time),
        )
        words = [str(said) for known, said in unsaid if not known]
        said = [str(s) for s in verdict.first] + words + [str(r) for r in verdict.remarks]
        self._say(" ".join(said) or ALONE, wrong=bool(verdict.first))
        self.methods.setText(_methods_html(compare_methods(report.places, split), theme.faint))
        far = abs(change) > FAR_PCT
        self.caution.setStyleSheet(f"color: {theme.danger if far else theme.faint};")


def _methods_html(methods: Methods, faint: str) -> str:
    """What each way of going on would leave."""
    rows = (
        ("as it is", f"{methods.as_it_is:.1f} %"),
        ("flow and dead time written as told", f"{methods.by_flow_and_dead_time:.1f} %"),
        (
            f"by hand: all dead times {methods.hand_shift_ms:+.2f} ms",
            f"{methods.by_dead_time_alone:.1f} %",
        ),
    )
    lines = "".join(
        f"<tr><td style='padding-right: 14px'>{escaped(a)}</td><td "
        f"align='right'>{escaped(b)}</td></tr>"
        for a, b in rows
    )
    after = (
        f"By hand the table is then bent by {methods.bent_pct:.0f} % to hide the rest, and the "
        "ECU's figures of consumption and range come out wrong."
    )
    quiet = f"<span style='color:{faint}'>{after}</span>"
    return f"Left of the error, rms over the drive:<table>{lines}</table>{quiet}"
