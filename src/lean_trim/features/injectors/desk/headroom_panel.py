"""Headroom: how near the injectors are to their limit, and what other fuel, boost or power would need."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from lean_trim.core.data.fuels import FUELS
from lean_trim.core.pipeline.sizing import SizingWords, duty_over_rpm, headroom, plan_sizing
from lean_trim.core.types import Floats
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.label import Label, plain_tip
from lean_trim.ui.widgets.page import running_text
from lean_trim.ui.widgets.picture import columns_text, offer_picture
from lean_trim.ui.widgets.wheel_safe import ComboBox, DoubleSpinBox

AS_NOW = "as now"
BOX_H = 31
BARS_H = 96
BARS_LEFT = 34.0
RULE_OF_THUMB = "By a usual consumption for that power, which is a rule of thumb."


class DutyBars(QWidget):
    """Highest duty over engine speed, and the limit."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.rpm = self.duty = np.zeros(0)
        self.limit_pct = 100.0
        self.setFixedHeight(BARS_H)
        offer_picture(
            self, "duty", lambda: columns_text({"rpm": self.rpm, "highest duty, %": self.duty})
        )

    def show_duty(self, rpm: Floats, duty: Floats, limit_pct: float) -> None:
        """Show another drive's."""
        self.rpm = rpm
        self.duty = duty
        self.limit_pct = limit_pct
        self.setVisible(len(rpm) > 0)
        most = f"{np.nanmax(duty):.0f} %" if len(duty) else "not known"
        self.setAccessibleName(f"Injector duty over engine speed, at most {most}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Bars and a line."""
        if not len(self.rpm):
            return
        theme = self.appearance.theme
        p = QPainter(self)
        p.setFont(font(7.5))
        area = QRectF(BARS_LEFT, 6.0, self.width() - BARS_LEFT - 4.0, self.height() - 24.0)
        top = 1.05 * max(float(np.nanmax(self.duty)), self.limit_pct)
        step = area.width() / len(self.rpm)
        for i, duty in enumerate(self.duty.tolist()):
            if np.isfinite(duty):
                height = duty / top * area.height()
                over = theme.color("danger" if duty > self.limit_pct else "accent", 0.75)
                left = area.left() + i * step + 0.5
                p.fillRect(QRectF(left, area.bottom() - height, step - 1.0, height), over)
        limit = area.bottom() - self.limit_pct / top * area.height()
        p.setPen(QPen(theme.color("danger"), 1.0, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(area.left(), limit), QPointF(area.right(), limit))
        p.setPen(theme.color("faint"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        p.drawText(QRectF(0, limit - 7, BARS_LEFT - 4, 14), right, f"{self.limit_pct:.0f} %")
        p.drawText(QRectF(0, area.bottom() - 7, BARS_LEFT - 4, 14), right, "0 %")
        below = QRectF(area.left(), area.bottom() + 3, area.width(), 14)
        p.drawText(below, Qt.AlignmentFlag.AlignLeft, "duty at its highest, over engine speed")
        p.drawText(below, Qt.AlignmentFlag.AlignRight, f"{self.rpm[-1] + self.rpm[0]:.0f} rpm")


class HeadroomPanel(QWidget):
    """Speaks of the shown solution."""

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.bars = DutyBars(appearance, self)
        self.now = running_text(9.0)
        self.needed = running_text(9.0)
        self.limit = self._box("Duty limit", " %", 20.0, 100.0, 85.0, 0)
        self.fuel = ComboBox(self)
        self.fuel.addItems([AS_NOW, *FUELS])
        self.fuel.setAccessibleName("Fuel to be burnt")
        self.pressure = self._box("Manifold pressure to be reached", " kPa", 0.0, 500.0, 0.0, 0)
        self.pressure.setSpecialValueText(AS_NOW)
        self.power = self._box("Power to be reached", " kW", 0.0, 2000.0, 0.0, 0)
        self.power.setSpecialValueText("no goal")
        grid = QGridLayout()
        grid.setHorizontalSpacing(6)
        for place, (words, box) in enumerate(
            (
                ("duty limit", self.limit),
                ("fuel", self.fuel),
                ("at MAP", self.pressure),
                ("power", self.power),
            )
        ):
            row, column = divmod(place, 2)
            grid.addWidget(Label(words, self), row, 2 * column)
            # A column too long for the window scrolls; without a floor Qt squeezes its boxes first.
            grid.setRowMinimumHeight(row, BOX_H)
            grid.addWidget(box, row, 2 * column + 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.now)
        layout.addLayout(grid)
        layout.addWidget(self.bars)
        layout.addWidget(self.needed)
        for box in (self.limit, self.pressure, self.power):
            box.valueChanged.connect(lambda _: self.refresh())
        self.fuel.activated.connect(lambda _: self.refresh())

    def _box(
        self, name: str, unit: str, low: float, high: float, value: float, digits: int
    ) -> DoubleSpinBox:
        box = DoubleSpinBox(self)
        box.setRange(low, high)
        box.setMinimumHeight(BOX_H - 6)
        box.setDecimals(digits)
        box.setSuffix(unit)
        box.setValue(value)
        box.setAccessibleName(name)
        box.setToolTip(plain_tip(name))
        return box

    @property
    def words(self) -> SizingWords:
        """What is asked now."""
        return SizingWords(
            duty_limit_pct=self.limit.value(),
            fuel=FUELS.get(self.fuel.currentText()),
            map_kpa=self.pressure.value(),
            power_kw=self.power.value(),
        )

    def refresh(self) -> None:
        """Say what the drive asked, and what would be needed."""
        solution = self.session.solution
        self.bars.show_duty(
            *((np.zeros(0),) * 2 if solution is None else duty_over_rpm(solution)),
            self.limit.value(),
        )
        self.setVisible(solution is not None)
        if solution is None:
            return
        vehicle = solution.prepared.frame.vehicle
        found = headroom(solution)
        if not np.isfinite(found.fuel_g_per_s):
            self.now.setText("The drive does not tell how much fuel the engine took.")
            self.needed.setText("")
            return
        where = f" at {found.map_kpa:.0f} kPa" if np.isfinite(found.map_kpa) else ""
        duty = f"; duty up to {found.duty_pct:.0f}\u00a0%" if np.isfinite(found.duty_pct) else ""
        self.now.setText(
            f"At its hardest {found.fuel_g_per_s:.1f} g/s: "
            f"{found.rpm:.0f} rpm{where}, λ {found.lam:.2f}{duty}"
        )
        near = np.isfinite(found.duty_pct) and found.duty_pct > self.limit.value()
        theme = self.appearance.theme
        self.now.setStyleSheet(f"color: {theme.danger if near else theme.ink};")
        plan = plan_sizing(found, vehicle, self.words)
        one = plan.injector
        text = (
            f"Needed: {plan.fuel_g_per_s:.1f} g/s in all; each injector at least "
            f"{one.g_per_s:.2f} g/s ({one.lb_per_h:.0f} lb/h, {one.cm3_per_min:.0f} cm³/min) at "
            f"{vehicle.injectors.rated_pressure_kpa:.0f} kPa; the pump {plan.pump_l_per_h:.0f} "
            f"L/h at {plan.pump_kpa:.0f} kPa above the atmosphere."
        )
        self.needed.setText(f"{text} {RULE_OF_THUMB}" if plan.rule_of_thumb else text)
