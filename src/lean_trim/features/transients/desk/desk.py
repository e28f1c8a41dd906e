"""The Transients desk: quick changes by class, the wall film, what to write; warm-up and idle beside."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.core.data.fuel_corrections import WARM_UP
from lean_trim.core.transients.events import Transient
from lean_trim.features.transients.control import TransientsControl, TransientsFound
from lean_trim.features.transients.desk.class_panels import ClassPanels, panels_of
from lean_trim.features.transients.desk.proposals import ProposalTable
from lean_trim.features.transients.desk.tables import CorrectionTables
from lean_trim.features.transients.desk.words import film_words, idle_words, temperature_words
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.page import running_text
from lean_trim.workspace.work_state import Stage

SIDE_W = 476
AXES = "λ error beside the table's own, % of target, lean is up; seconds from the edge of throttle or fuel."
AROUND_S = (1.0, 3.5)
"""What of a change is chosen on the tape, before and after its edge."""
EMPTY = (
    "Quick changes of a drive are laid over each other here: add a log with a few of them first."
)
LOOKING = "Looking at quick changes of mixture."
SELDOM = "No class of quick change was driven twice."
CAUTION = (
    "Lean under load destroys engines. Write part of a large change first, drive gently and look "
    "again before the next. After the airflow table changed, look at cold starts the next "
    "morning, and at a hot restart after a normal stop and after one that dries the manifold."
)


class TransientsDesk(QWidget):
    """Shows what the shown round's drive says beside its table."""

    hovered = Signal(str)

    def __init__(
        self, session: Session, appearance: Appearance, actions: Mapping[str, QAction]
    ) -> None:
        super().__init__()
        self.session = session
        self.transients = session.part(TransientsControl)
        self.panels = ClassPanels(appearance)
        self.panels.chosen.connect(self._chosen)
        self.proposals = ProposalTable(self)
        self.tables = CorrectionTables(session, appearance, self)
        self.axes = running_text(8.5, AXES)
        self.film = running_text(9.5)
        self.warm_up = running_text(9.0)
        self.idle = running_text(9.0)
        self.caution = running_text(8.5, CAUTION)
        self._lay_out()
        for signal in (session.told(TransientsFound), session.job_changed, session.access_changed):
            signal.connect(lambda *_: self.refresh())
        appearance.changed.connect(self.refresh)
        self.tables.turned.connect(self.refresh)
        for signal in (session.solved, session.round_changed, session.work_changed):
            signal.connect(lambda *_: self._again())
        self.refresh()

    def _lay_out(self) -> None:
        scroll = QScrollArea(self)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(self.panels)
        side = QVBoxLayout()
        side.setSpacing(6)
        side.addWidget(self.film)
        side.addLayout(self._views())
        side.addWidget(self.proposals, 1)
        side.addWidget(self.tables, 1)
        side.addWidget(self.warm_up)
        side.addWidget(self.idle)
        side.addWidget(self.caution)
        right = QWidget(self)
        right.setLayout(side)
        right.setFixedWidth(SIDE_W)
        side.setContentsMargins(0, 0, 0, 0)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 8, 10, 4)
        layout.setSpacing(14)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.axes)
        left.addWidget(scroll, 1)
        layout.addLayout(left, 1)
        layout.addWidget(right)

    def _views(self) -> QHBoxLayout:
        """What to write, by class of change or on the ECU's own tables."""
        row = QHBoxLayout()
        row.setSpacing(2)
        group = QButtonGroup(self)
        self.by_class, self.by_table = QToolButton(self), QToolButton(self)
        self.by_class.setText("By class")
        self.by_class.setToolTip("What each class of quick change needs")
        self.by_table.setText("In the ECU's tables")
        self.by_table.setToolTip(
            "The same on the axes of the tables that are in the ECU, to decide"
        )
        for button in (self.by_class, self.by_table):
            button.setCheckable(True)
            button.clicked.connect(self.refresh)
            group.addButton(button)
            row.addWidget(button)
        self.by_class.setChecked(True)
        row.addStretch(1)
        return row

    @property
    def widget(self) -> QWidget:
        """What fills the middle."""
        return self

    def mark(self) -> str:
        """Nothing: it is looked for when the desk is turned to."""
        return ""

    def showEvent(self, event: QShowEvent) -> None:
        """From now on quick changes are looked for."""
        super().showEvent(event)
        self.transients.want()
        self.refresh()

    def _again(self) -> None:
        # What nobody looks at stands as the job does when it is turned to.
        if self.isVisible():
            self.transients.look()
            self.refresh()

    def _chosen(self, event: Transient) -> None:
        before, after = AROUND_S
        self.session.selection.set_span(event.edge_s - before, event.edge_s + after, frozenset())

    def _nothing(self) -> str:
        """Why there is nothing to show."""
        state = self.session.work.state
        if state.stage in (Stage.NO_JOB, Stage.NO_LOG):
            return EMPTY
        return self.transients.lookup.failure or state.why or state.said or LOOKING

    def refresh(self) -> None:
        """Stand as the shown round does."""
        report = self.transients.report
        told = (
            self.axes,
            self.film,
            self.warm_up,
            self.idle,
            self.by_class,
            self.by_table,
            self.caution,
        )
        for widget in told:
            widget.setVisible(report is not None)
        shows_tables = self.by_table.isChecked()
        self.tables.setVisible(report is not None and shows_tables)
        self.proposals.setVisible(report is not None and not shows_tables)
        if report is None:
            self.panels.show_panels((), self._nothing())
            return
        earlier = {c.key: self.transients.earlier(c.key) for c in report.classes}
        nothing = SELDOM if report.missing is None else str(report.missing)
        self.panels.show_panels(panels_of(report.classes, report.changes, earlier), nothing)
        self.proposals.show_changes(report.changes)
        if shows_tables:
            self.tables.refresh()
        # What stands beside the list would crowd out the table; by coolant only warm-up is decided.
        self.warm_up.setVisible(not shows_tables or self.tables.name == WARM_UP)
        self.idle.setVisible(not shows_tables)
        self.film.setText(film_words(report))
        self.warm_up.setText(temperature_words(report))
        self.idle.setText(idle_words(report))
