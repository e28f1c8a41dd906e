"""The right-hand side: what stands behind the choice, and everything that can be turned."""

from __future__ import annotations

from functools import cached_property

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from lean_trim.ui.pages.evidence_page import Inspector
from lean_trim.ui.pages.fit_page import EstimatePanel
from lean_trim.ui.pages.logs_page import LogsPanel
from lean_trim.ui.pages.sieve_page import SievePanel
from lean_trim.ui.pages.write_page import WritingPanel
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font

WIDTH = 262
PAGES = (
    ("Evidence", "What stands behind the chosen cells, and the findings"),
    ("Sieve", "Which samples are left out, and why"),
    ("Fit", "The sensor delay and the way of estimating"),
    ("Logs", "Which logs count, airflow source, what was inferred"),
    ("Write", "How much is written at once"),
)


class Side(QWidget):
    """Five pages, one at a time, each made when it is first turned to. ``look`` asks for a stretch of the tape."""

    look = Signal(float, float)

    def __init__(self, session: Session, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.appearance = session, appearance
        self.inspector = Inspector(session, appearance)
        self.inspector.look.connect(self.look)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.inspector)
        self.buttons = QButtonGroup(self)
        row = QHBoxLayout()
        row.setContentsMargins(4, 4, 4, 0)
        row.setSpacing(0)
        for i, (name, tip) in enumerate(PAGES):
            button = QToolButton(self)
            button.setText(name)
            button.setObjectName("tab")
            button.setToolTip(f"{tip} (Ctrl+{i + 1})")
            button.setFont(font(8.5))
            button.setCheckable(True)
            button.setChecked(i == 0)
            self.buttons.addButton(button, i)
            row.addWidget(button)
        row.addStretch(1)
        self.buttons.idClicked.connect(self.show_page)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(row)
        layout.addWidget(self.pages, 1)
        self.setFixedWidth(WIDTH)

    @cached_property
    def sieve(self) -> SievePanel:
        panel = SievePanel(self.session, self.appearance)
        panel.look.connect(self.look)
        self.pages.addWidget(panel)
        return panel

    @cached_property
    def estimate(self) -> EstimatePanel:
        panel = EstimatePanel(self.session, self.appearance)
        self.pages.addWidget(panel)
        return panel

    @cached_property
    def logs(self) -> LogsPanel:
        panel = LogsPanel(self.session, self.appearance)
        self.pages.addWidget(panel)
        return panel

    @cached_property
    def writing(self) -> WritingPanel:
        panel = WritingPanel(self.session, self.appearance)
        self.pages.addWidget(panel)
        return panel

    def page(self, index: int) -> QWidget:
        """The page by its place in ``PAGES``."""
        if index == 0:
            return self.inspector
        return self.sieve if index == 1 else self.estimate if index == 2 else self.logs if index == 3 else self.writing

    def show_page(self, index: int) -> None:
        """Turn to a page."""
        self.buttons.button(index).setChecked(True)
        self.pages.setCurrentWidget(self.page(index))
