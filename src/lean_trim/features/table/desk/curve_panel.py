"""The curve with the buttons that say how it is looked at."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from lean_trim.core.types import Floats
from lean_trim.features.table.desk.curve_view import CurveView
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font


class CurvePanel(QWidget):
    """Takes the place of the tiles."""

    def __init__(self, session: Session, appearance: Appearance) -> None:
        super().__init__()
        self.session = session
        self.view = CurveView(session, appearance)
        self.along = self._button("", "Cut along the other axis, through the chosen cell")
        self.percent = self._switch(
            "In percent", "What differs from the driven curve, in percent of it"
        )
        self.log_across = self._switch("Log across", "A logarithmic axis below the curve")
        self.log_up = self._switch("Log up", "A logarithmic axis beside the curve")
        self.along.clicked.connect(self._turn)
        row = QHBoxLayout()
        row.setContentsMargins(10, 2, 10, 0)
        for button in (self.along, self.percent, self.log_across, self.log_up):
            row.addWidget(button)
        row.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addLayout(row)
        layout.addWidget(self.view, 1)
        session.round_changed.connect(self._show_axis)
        self._show_axis()

    def _button(self, text: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        button.setFont(font(8.5))
        return button

    def _switch(self, text: str, tip: str) -> QToolButton:
        button = self._button(text, tip)
        button.setCheckable(True)
        button.toggled.connect(lambda _: self._look())
        return button

    def _look(self) -> None:
        self.view.show_look(
            replace(
                self.view.look,
                percent=self.percent.isChecked(),
                log_across=self.log_across.isChecked(),
                log_up=self.log_up.isChecked(),
            )
        )
        self.log_up.setEnabled(not self.percent.isChecked())

    def _turn(self) -> None:
        self.view.show_look(replace(self.view.look, along=1 - self.view.look.along))
        self._show_axis()

    def _show_axis(self) -> None:
        current = self.session.round
        is_grid = current is not None and len(current.table.axes) == 2
        self.along.setVisible(is_grid)
        if current is not None and is_grid:
            axis = current.table.axes[self.view.look.along]
            self.along.setText(f"Along {axis.shown_unit}")

    def truth(self) -> Floats | None:
        """True values of every cell of a simulated car, None of a real one."""
        session = self.session
        if session.job is None or not session.job.car or session.vehicle is None:
            return None
        from lean_trim.simcar.cars import truth_of

        vehicle = session.vehicle
        table = vehicle.table
        points = [axis.points for axis in table.axes]
        at = tuple(mesh.ravel() for mesh in np.meshgrid(*points, indexing="ij"))
        true = truth_of(session.job.car, vehicle).airflow_value(vehicle, at)
        return np.asarray(true, float).reshape(table.shape)
