"""What a newcomer sees without a job: what to bring and what to press."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction, QFontMetrics
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.window.recent import RecentJob

TEXT = (
    "A job is one vehicle and its rounds of correction: logs in, a corrected airflow table out, "
    "until trims stay small and λ tracks target. Drop the log of a drive here, or begin with the "
    "car. Or learn on Heron, a simulated kit car whose table is several percent off."
)
MOST_RECENT = 6
COLUMN_W = 760
WHERE_W = 250
CAUTION = (
    "Estimates, not permission: lean mixtures at load destroy engines, and local rules and "
    "licensed practice decide what may be changed on a road vehicle."
)


class StartPage(QWidget):
    """Ways to begin, and the jobs opened lately. ``open_recent`` asks for one of them."""

    open_recent = Signal(object)

    def __init__(self, actions: dict[str, QAction], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QWidget(self)
        column.setFixedWidth(COLUMN_W)
        outer = QHBoxLayout(self)
        outer.addWidget(column, 0, Qt.AlignmentFlag.AlignHCenter)
        layout = QVBoxLayout(column)
        layout.setSpacing(10)
        layout.addStretch(2)
        for text, size, bold in (("Lean Trim", 24, True), (TEXT, 11, False)):
            label = Label(text, self)
            label.setFont(font(size, bold))
            label.setWordWrap(True)
            layout.addWidget(label)
        for name, text in (
            ("demo", "Open the demo job"),
            ("demo_swap", "Open the injector demo"),
            ("demo_fault", "Open the demo with something wrong"),
            ("new_job", "New job…"),
            ("open_job", "Open a job…"),
            ("look_at_log", "Look at a log…"),
        ):
            button = QPushButton(text, self)
            button.setFixedWidth(300)
            button.setMinimumHeight(34)
            if name == "demo":
                button.setObjectName("primary")
            button.clicked.connect(actions[name].trigger)
            layout.addWidget(button)
        self.recent_head = Label("Opened lately", self)
        self.recent_head.setFont(font(10, bold=True))
        layout.addSpacing(8)
        layout.addWidget(self.recent_head)
        self._recent = QGridLayout()
        self._recent.setHorizontalSpacing(14)
        self._recent.setVerticalSpacing(3)
        self._recent.setColumnStretch(3, 1)
        layout.addLayout(self._recent)
        self.recent: list[QToolButton] = []
        caution = Label(CAUTION, self)
        caution.setFont(font(9))
        caution.setWordWrap(True)
        layout.addSpacing(18)
        layout.addWidget(caution)
        layout.addStretch(3)
        self.show_recent([])

    def show_recent(self, jobs: Sequence[RecentJob]) -> None:
        """Offer the jobs opened lately, newest first, with how they stood."""
        while (item := self._recent.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.recent = []
        self.recent_head.setVisible(bool(jobs))
        for row, job in enumerate(jobs[:MOST_RECENT]):
            self._add_recent(row, job)

    def _add_recent(self, row: int, job: RecentJob) -> None:
        path = Path(job.path)
        button = QToolButton(self)
        button.setObjectName("flat")
        button.setText(job.name or path.stem)
        button.setFont(font(10, bold=True))
        button.setToolTip(plain_tip(job.path))
        button.setAccessibleName(f"Open {job.name or path.stem}, {job.state}")
        button.clicked.connect(lambda _=False, p=path: self.open_recent.emit(p))
        self._recent.addWidget(button, row, 0, Qt.AlignmentFlag.AlignLeft)
        # In the middle, so that both the file and where it lies can be read.
        where = QFontMetrics(font(8.5)).elidedText(job.path, Qt.TextElideMode.ElideMiddle, WHERE_W)
        for place, text in enumerate((job.state or "not worked out yet", job.when, where), 1):
            label = Label(text, self)
            label.setFont(font(8.5))
            label.setToolTip(plain_tip(job.path))
            self._recent.addWidget(label, row, place)
        self.recent.append(button)
