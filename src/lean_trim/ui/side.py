"""The right-hand side: what stands behind the choice, and everything that can be turned."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from .estimate_panel import EstimatePanel
from .inspector import Inspector
from .logs_panel import LogsPanel
from .session import Session
from .sieve_panel import SievePanel
from .theme import Appearance, font
from .writing_panel import WritingPanel

WIDTH = 262


class Side(QWidget):
    """Five pages, one at a time. ``look`` asks for a stretch of the tape."""

    look = Signal(float, float)

    def __init__(self, session: Session, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.inspector = Inspector(session, appearance)
        self.sieve = SievePanel(session, appearance)
        self.estimate = EstimatePanel(session, appearance)
        self.logs = LogsPanel(session, appearance)
        self.writing = WritingPanel(session, appearance)
        self.inspector.look.connect(self.look)
        self.sieve.look.connect(self.look)
        self.pages = QStackedWidget()
        self.buttons = QButtonGroup(self)
        row = QHBoxLayout()
        row.setContentsMargins(4, 4, 4, 0)
        row.setSpacing(0)
        for i, (name, tip, page) in enumerate(
            (
                ("Evidence", "What stands behind the chosen cells, and the findings", self.inspector),
                ("Sieve", "Which samples are left out, and why", self.sieve),
                ("Fit", "The sensor delay and the way of estimating", self.estimate),
                ("Logs", "Which logs count, airflow source, what was inferred", self.logs),
                ("Write", "How much is written at once", self.writing),
            )
        ):
            button = QToolButton(self)
            button.setText(name)
            button.setObjectName("tab")
            button.setToolTip(tip)
            button.setFont(font(8.5))
            button.setCheckable(True)
            button.setChecked(i == 0)
            self.buttons.addButton(button, i)
            self.pages.addWidget(page)
            row.addWidget(button)
        row.addStretch(1)
        self.buttons.idClicked.connect(self.pages.setCurrentIndex)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(row)
        layout.addWidget(self.pages, 1)
        self.setFixedWidth(WIDTH)

    def show_page(self, index: int) -> None:
        """Turn to a page: 0 evidence, 1 sieve, 2 estimate, 3 logs, 4 writing."""
        self.buttons.button(index).setChecked(True)
        self.pages.setCurrentIndex(index)
