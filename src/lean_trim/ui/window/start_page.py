"""What a newcomer sees without a job: what to bring and what to press."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lean_trim.ui.theme import font

TEXT = (
    "A job is one vehicle and its rounds of correction. To begin one, bring a vehicle sheet (vehicle.json) "
    "with its airflow table as CSV, and the log of a drive: engine speed, manifold pressure or airflow "
    "signal, lambda, target and fuel trims. "
    "Or learn on Heron, a simulated kit car whose table is several percent off."
)
CAUTION = (
    "Estimates, not permission: lean mixtures at load destroy engines, and local rules and licensed practice "
    "decide what may be changed on a road vehicle."
)


class StartPage(QWidget):
    """Three ways to begin."""

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
        caution = QLabel(CAUTION, self)
        caution.setFont(font(9))
        caution.setWordWrap(True)
        layout.addSpacing(18)
        layout.addWidget(caution)
        layout.addStretch(3)
