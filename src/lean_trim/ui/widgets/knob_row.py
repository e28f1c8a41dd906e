"""One setting as a line: what it is, a slider to drag, a box to type in.

Bold, and with a button that takes it back, where it differs from its default.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from lean_trim.core.knobs import Knob
from lean_trim.ui.theme import font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.wheel_safe import DoubleSpinBox, Slider

STEPS = 400


class KnobRow(QWidget):
    """``turned`` is called with every new value, also while the slider is dragged."""

    def __init__(
        self, knob: Knob, turned: Callable[[float], None], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.knob = knob
        self._turned = turned
        self.name = Label(knob.label, self)
        self.name.setFont(font(8.5))
        self.name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        # On two lines where one is too short: a setting whose name is cut is turned for another.
        self.name.setWordWrap(True)
        self.box = DoubleSpinBox(self)
        self.box.setRange(knob.low, knob.high)
        self.box.setDecimals(decimals_of_knob(knob))
        self.box.setSingleStep(knob.step)
        self.box.setSuffix(f" {knob.unit}" if knob.unit else "")
        self.box.setFont(font(8.5))
        self.box.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.box.setFixedWidth(82)
        self.box.setKeyboardTracking(False)
        self.box.setAccessibleName(knob.label)
        self.slider = Slider(Qt.Orientation.Horizontal, self)
        self.slider.setRange(0, STEPS)
        self.slider.setAccessibleName(f"{knob.label}, slider")
        tip = knob_tip(knob)
        for widget in (self.name, self.box, self.slider):
            widget.setToolTip(plain_tip(tip))
        self.reset = QToolButton(self)
        self.reset.setObjectName("flat")
        self.reset.setText("↺")
        self.reset.setToolTip(
            plain_tip(f"Back to the default, {knob.default:g} {knob.unit}".rstrip())
        )
        self.reset.setAccessibleName(f"{knob.label}, back to the default")
        self.reset.clicked.connect(lambda: self._turn(knob.default))
        # Its room stays, or the row would jump when it comes.
        keeps = self.reset.sizePolicy()
        keeps.setRetainSizeWhenHidden(True)
        self.reset.setSizePolicy(keeps)
        top = QHBoxLayout()
        top.setSpacing(2)
        top.addWidget(self.name, 1)
        top.addWidget(self.reset)
        top.addWidget(self.box)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 1, 0, 1)
        layout.setSpacing(0)
        layout.addLayout(top)
        layout.addWidget(self.slider)
        self.slider.valueChanged.connect(self._dragged)
        self.box.valueChanged.connect(self._typed)
        self.show_value(knob.default)

    def show_value(self, value: float) -> None:
        """Stand at a value without telling anyone."""
        with QSignalBlocker(self.slider), QSignalBlocker(self.box):
            self.box.setValue(value)
            self.slider.setValue(self._place(value))
        turned = abs(value - self.knob.default) > 1e-9
        self.name.setFont(font(8.5, bold=turned))
        self.reset.setVisible(turned)

    def _place(self, value: float) -> int:
        """Slider place; wide ranges are dragged along their square, so that small values can be met."""
        share = (value - self.knob.low) / (self.knob.high - self.knob.low)
        exponent = 0.5 if self._wide else 1.0
        return round(float(STEPS * share**exponent))

    @property
    def _wide(self) -> bool:
        return self.knob.high - self.knob.low > 20.0 * max(self.knob.default - self.knob.low, 1e-9)

    def _dragged(self, place: int) -> None:
        share = (place / STEPS) ** (2.0 if self._wide else 1.0)
        value = self.knob.low + share * (self.knob.high - self.knob.low)
        self._turn(round(value / self.knob.step) * self.knob.step)

    def _typed(self, value: float) -> None:
        self._turn(value)

    def _turn(self, value: float) -> None:
        value = min(max(round(value, 6), self.knob.low), self.knob.high)
        self.show_value(value)
        self._turned(value)


def knob_tip(knob: Knob) -> str:
    """What a setting does, its range and its default.

    Returns one line or two.
    """
    span = f"{knob.low:g} to {knob.high:g} {knob.unit}".rstrip()
    tip = f"{knob.label}: {span}, by default {knob.default:g}."
    return f"{knob.tip}\n{tip}" if knob.tip else tip


def decimals_of_knob(knob: Knob) -> int:
    """Decimals a setting is shown with.

    Returns 0 to 3.
    """
    return 3 if knob.step < 0.005 else 2 if knob.step < 0.1 else 1 if knob.step < 1.0 else 0
