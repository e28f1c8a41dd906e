"""What a newcomer sees without a job: what to bring and what to press."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QAction, QFontMetrics
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QToolButton, QVBoxLayout, QWidget

from lean_trim.ui.theme import font

TEXT = (
    "A job is one vehicle and its rounds of correction. To begin one, bring a vehicle sheet (vehicle.json) "
    "with its airflow table as CSV, and the log of a drive: engine speed, manifold pressure or airflow "
    "signal, lambda, target and fuel trims. "
    "Or learn on Heron, a simulated kit car whose table is several percent off."
)
MOST_RECENT = 5
CAUTION = (
    "Estimates, not permission: lean mixtures at load destroy engines, and local rules and licensed practice "
    "decide what may be changed on a road vehicle."
)


class StartPage(QWidget):
    """Ways to begin, and the jobs opened lately. ``open_recent`` asks for one of them."""

    open_recent = Signal(object)

    def __init__(self, actions: dict[str, QAction], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QWidget(self)
        column.setFixedWidth(640)
        outer = QHBoxLayout(self)
        outer.addWidget(column, 0, Qt.AlignmentFlag.AlignHCenter)
        layout = QVBoxLayout(column)
        layout.setSpacing(10)
        layout.addStretch(2)
        for text, size, bold in (("Lean Trim", 24, True), (TEXT, 11, False)):
            label = QLabel(text, self)
            label.setFont(font(size, bold))
            label.setWordWrap(True)
            layout.addWidget(label)
        for name, text in (
            ("demo", "Open the demo job"),
            ("new_job", "New job from a vehicle sheet…"),
            ("open_job", "Open a job…"),
        ):
            button = QPushButton(text, self)
            button.setFixedWidth(300)
            button.setMinimumHeight(34)
            if name == "demo":
                button.setObjectName("primary")
            button.clicked.connect(actions[name].trigger)
            layout.addWidget(button)
        self.recent_head = QLabel("Opened lately", self)
        self.recent_head.setFont(font(10, bold=True))
        layout.addSpacing(8)
        layout.addWidget(self.recent_head)
        self._recent = QVBoxLayout()
        self._recent.setSpacing(2)
        layout.addLayout(self._recent)
        self.recent: list[QToolButton] = []
        caution = QLabel(CAUTION, self)
        caution.setFont(font(9))
        caution.setWordWrap(True)
        layout.addSpacing(18)
        layout.addWidget(caution)
        layout.addStretch(3)
        self.show_recent([])

    def show_recent(self, paths: Sequence[Path]) -> None:
        """Offer the jobs opened lately, newest first."""
        for button in self.recent:
            button.hide()
            self._recent.removeWidget(button)
            button.deleteLater()
        self.recent = []
        self.recent_head.setVisible(bool(paths))
        for path in paths[:MOST_RECENT]:
            button = QToolButton(self)
            button.setObjectName("flat")
            # In the middle, so that both the file and where it lies can be read.
            shown = QFontMetrics(font(9.5)).elidedText(str(path), Qt.TextElideMode.ElideMiddle, 600)
            button.setText(shown)
            button.setFont(font(9.5))
            button.setToolTip(str(path))
            button.clicked.connect(lambda _=False, p=path: self.open_recent.emit(p))
            self._recent.addWidget(button)
            self.recent.append(button)
