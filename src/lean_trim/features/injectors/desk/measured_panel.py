"""What was measured apart from the mixture: fuel weighed, flow on a bench, one injection a cycle or two."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from lean_trim.core.injectors.measured_words import ERROR_PCT
from lean_trim.core.injectors.steady import SteadyState
from lean_trim.ui.session import Session
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox
from lean_trim.workspace.injector_study import INJECTIONS

NOT_DONE = "–"
BOX_H = 31
BOX_W = 116
ABOUT = (
    "A constant error of the airflow table is a flow error; what was measured apart from the "
    "mixture tells them apart. Burn fuel from a can on a scale over the whole log, or have an "
    "injector measured with the fuel in the tank."
)
TEST = (
    "Dead time without trust, where the ECU can inject once or twice a cycle: warm engine at "
    "idle, fans and lamps as they are, a minute with one, a minute with two, all in this log. "
    "Then drag over each on the tape and press its button. Over voltage: lamps and fan on and off "
    "there, ten seconds each."
)


@dataclass(frozen=True)
class Field:
    """One box: a field of ``MeasuredWords``."""

    key: str
    name: str
    unit: str
    most: float
    digits: int
    least: float = 0.0


ROWS: tuple[tuple[str, tuple[Field, ...]], ...] = (
    (
        "fuel burnt",
        (
            Field("fuel_g", "Fuel burnt over the logs, grams", " g", 200_000.0, 0),
            Field("fuel_error_pct", "Error of the fuel burnt", " %", ERROR_PCT[1], 1, ERROR_PCT[0]),
        ),
    ),
    (
        "bench flow",
        (
            Field("flow_g_per_s", "Flow of one injector at its rated pressure", " g/s", 200.0, 3),
            Field(
                "flow_error_pct", "Error of the measured flow", " %", ERROR_PCT[1], 1, ERROR_PCT[0]
            ),
        ),
    ),
    (
        "pulse at 1, 2",
        (
            Field("one_ms", "Pulse with one injection a cycle", " ms", 60.0, 3),
            Field("two_ms", "Pulse with two injections a cycle", " ms", 60.0, 3),
        ),
    ),
    ("at battery", (Field("at_volts", "Battery at that state", " V", 32.0, 1, 4.0),)),
)


class MeasuredPanel(QWidget):
    """Speaks of the shown round."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.study = session.study
        self.boxes: dict[str, DoubleSpinBox] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        for row, (words, fields) in enumerate(ROWS):
            grid.addWidget(Label(words, self), row, 0)
            grid.setRowMinimumHeight(row, BOX_H)
            for column, field in enumerate(fields, 1):
                self.boxes[field.key] = self._box(field)
                grid.addWidget(self.boxes[field.key], row, column)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(running_text(9.0, ABOUT))
        layout.addLayout(grid)
        layout.addWidget(running_text(9.0, TEST))
        layout.addLayout(self._stretches(session))
        self.read = running_text(8.5)
        layout.addWidget(self.read)

    def _stretches(self, session: Session) -> QHBoxLayout:
        """A button for each kind of stretch that is chosen on the tape."""
        row = QHBoxLayout()
        self.stretch_buttons = {}
        for injections in INJECTIONS:
            button = QPushButton(f"Chosen: {injections} a cycle", self)
            button.clicked.connect(
                lambda _=False, n=injections: self.study.read_stretch(n, session.selection.span)
            )
            self.stretch_buttons[injections] = button
            row.addWidget(button)
        row.addStretch(1)
        return row

    def _box(self, field: Field) -> DoubleSpinBox:
        box = DoubleSpinBox(self)
        box.setRange(field.least, field.most)
        box.setMinimumHeight(BOX_H - 6)
        box.setDecimals(field.digits)
        box.setSuffix(field.unit)
        if field.least == 0.0:
            box.setSpecialValueText(NOT_DONE)
        else:
            box.setPrefix("± " if field.unit == " %" else "")
        box.setMaximumWidth(BOX_W)
        box.setAccessibleName(field.name)
        box.setToolTip(plain_tip(field.name))
        box.editingFinished.connect(
            lambda: self.study.measure(field.key, round(box.value(), field.digits))
        )
        return box

    def refresh(self) -> None:
        """Stand as the round does."""
        words = self.study.measured
        for key, box in self.boxes.items():
            box.setValue(getattr(words, key))
        self.read.setText(
            "\n".join(_in_words(n, s) for n, s in sorted(self.study.stretches.items()))
        )


def _in_words(injections: int, state: SteadyState) -> str:
    return (
        f"{injections} a cycle: {state.pulse_ms:.3f} ms at {state.rpm:.0f} rpm, {state.load:.4g} "
        f"{state.load_unit}, {state.volts:.1f} V, {state.seconds:.0f} s"
    )
