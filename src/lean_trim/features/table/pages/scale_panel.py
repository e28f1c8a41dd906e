"""Moving the scale of the airflow table: why, by how much, where, and what shifts with it."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.data.calibration import ScaleAt
from lean_trim.core.decision.scale import FACTOR_RANGE
from lean_trim.core.pipeline.sensor_end import SensorEnd, options, sensor_end
from lean_trim.core.pipeline.solve import Solution
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.label import Label
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox

ABOUT = (
    "What the table is multiplied by goes one way, the table the other; the fuel stays the same. "
    "Write both together."
)
NEITHER = "The table lies well inside its field and near what such tables hold."
ENDS = (
    "The numbers of such a table stand on nothing the vehicle sheet knows; move its scale in the "
    "ECU and paste the table anew."
)
USUAL_FACTOR = 1.1


class Way(QWidget):
    """One way to move the scale."""

    def __init__(self, at: ScaleAt, panel: ScalePanel) -> None:
        super().__init__(panel)
        self.button = QPushButton(self)
        self.button.clicked.connect(partial(panel.move_at, at))
        self.shifts = running_text(8.5)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(2)
        layout.addWidget(self.button)
        layout.addWidget(self.shifts)


class ScalePanel(QWidget):
    """Speaks of the shown round."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.scale = session.scale
        self.suggested = 1.0
        self._of: Solution | None = None
        self._end: SensorEnd | None = None
        self.reasons = running_text(9.0)
        self.sensor = running_text(8.5)
        self.factor = DoubleSpinBox(self)
        self.factor.setRange(*FACTOR_RANGE)
        self.factor.setDecimals(2)
        self.factor.setSingleStep(0.05)
        self.factor.setPrefix("× ")
        self.factor.setValue(USUAL_FACTOR)
        self.factor.setAccessibleName("Factor of the scale; the table is divided by it")
        self.factor.setToolTip("The scale is multiplied by it, the table divided by it")
        self.factor.valueChanged.connect(lambda _: self._show_ways())
        self.ways = {at: Way(at, self) for at in ScaleAt}
        self.back = QPushButton("Put the scale back", self)
        self.back.clicked.connect(lambda: self.scale.put_back())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.reasons)
        layout.addWidget(self.sensor)
        layout.addWidget(running_text(8.5, ABOUT))
        row = QHBoxLayout()
        row.addWidget(Label("Scale", self))
        row.addWidget(self.factor)
        row.addStretch(1)
        layout.addLayout(row)
        for way in self.ways.values():
            layout.addWidget(way)
        layout.addWidget(self.back)

    def move_at(self, at: ScaleAt) -> None:
        """Move the scale there."""
        self.scale.move(at, round(self.factor.value(), 2))

    def refresh(self) -> bool:
        """Stand as the round does; True if there is a reason to look here."""
        current = self.session.round
        if current is None:
            return False
        moved = current.scale_moved != 1.0
        need = self.scale.need()
        # What the user set stays until the table asks for something else.
        if need.factor not in (1.0, self.suggested):
            self.suggested = need.factor
            with QSignalBlocker(self.factor):
                self.factor.setValue(need.factor)
        theme = self.appearance.theme
        entry = self.scale.entry()
        told = " ".join(str(reason) for reason in need.reasons)
        end = self._sensor_end()
        if end is not None and entry is None:
            seen, *ways = options(end)
            told = str(seen)
            self.sensor.setText("• " + "\n• ".join(map(str, ways)))
        self.sensor.setVisible(end is not None and entry is None)
        self.reasons.setText(str(entry) if entry is not None else told or NEITHER)
        urgent = bool(told) or entry is not None
        self.reasons.setStyleSheet(f"color: {theme.danger if urgent else theme.faint};")
        self.back.setVisible(moved and self.session.is_last)
        if moved:
            with QSignalBlocker(self.factor):
                self.factor.setValue(current.scale_moved)
        self.factor.setEnabled(not moved and self.session.is_last)
        self._show_ways()
        return urgent

    def _sensor_end(self) -> SensorEnd | None:
        """What was seen of the airflow sensor's end in the shown solution; worked out once for each."""
        solution = self.session.solution
        if solution is not self._of:
            self._of = solution
            self._end = None if solution is None else sensor_end(solution)
        return self._end

    def _show_ways(self) -> None:
        current = self.session.round
        if current is None:
            return
        moved = current.scale_moved
        factor = round(self.factor.value(), 2)
        found = {way.at: way for way in self.scale.ways(moved if moved != 1.0 else factor)}
        for at, widget in self.ways.items():
            way = found.get(at)
            widget.setVisible(way is not None and factor != 1.0 and self._is_open(at))
            if way is not None:
                words = str(way.entry)
                widget.button.setText(words[:1].upper() + words[1:])
                widget.button.setVisible(moved == 1.0)
                widget.button.setEnabled(self.session.is_last)
                widget.shifts.setText("• " + "\n• ".join(str(shift) for shift in way.shifts))
        if not found:
            self.reasons.setText(ENDS)

    def _is_open(self, at: ScaleAt) -> bool:
        """Before a move every way, after it the one that was taken."""
        return self.scale.moved_at in (None, at)
