"""States over engine speed and pressure: what is known, what is planned in which order, what is not yet."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.planning.choosing import light
from lean_trim.core.planning.plan import Plan
from lean_trim.ui.theme import Appearance, Theme, font
from lean_trim.ui.widgets.curve_scale import ticks
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import columns_text, offer_picture

LEFT = 46.0
RIGHT = 14.0
TOP = 30.0
BOTTOM = 38.0
LEAST_PX = 1.5
MOST_PX = 6.5
MOST_ERROR_PCT = 6.0
"""Standard error at which a mark is largest."""
NEAR_PX = 12.0
EMPTY = "States to hold appear here once a drive was worked out."


class StateMap(QWidget):
    """Paints a plan; nothing is chosen here."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.plan: Plan | None = None
        self.ticked = 0
        self.said = EMPTY
        self.setMinimumSize(260, 160)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("States of the plan over engine speed and manifold pressure")
        appearance.changed.connect(self.update)
        offer_picture(self, "plan", self.numbers)

    def show_plan(self, plan: Plan | None, said: str) -> None:
        """Show a plan, or why there is none."""
        self.plan = plan
        self.said = said or EMPTY
        self.update()

    def show_ticked(self, count: int) -> None:
        """Tick the first states of the plan, which were driven."""
        if count != self.ticked:
            self.ticked = count
            self.update()

    def numbers(self) -> str:
        """The states in their order."""
        if self.plan is None:
            return ""
        held = self.plan.held
        return columns_text(
            {
                "rpm": np.array([h.rpm for h in held]),
                "kPa": np.array([h.map_kpa for h in held]),
                "gear": np.array([float(h.gear) for h in held]),
                "km/h": np.array([h.speed_kmh for h in held]),
                "grade, %": np.array([100.0 * h.grade for h in held]),
                "s": np.array([h.seconds for h in held]),
                "std. error before, %": np.array([h.before_pct for h in held]),
                "after, %": np.array([h.after_pct for h in held]),
            }
        )

    # ---- layout ------------------------------------------------------------------------------

    def _area(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)

    def _spans(self, plan: Plan) -> tuple[float, float, float, float]:
        rpm = plan.known.rpm
        kpa = plan.known.map_kpa
        return float(rpm.min()), float(rpm.max()), float(kpa.min()), float(kpa.max())

    def _point(self, plan: Plan, rpm: float, kpa: float) -> QPointF:
        area = self._area()
        low_rpm, high_rpm, low_kpa, high_kpa = self._spans(plan)
        across = (rpm - low_rpm) / max(high_rpm - low_rpm, 1.0)
        up = (kpa - low_kpa) / max(high_kpa - low_kpa, 1.0)
        inner = area.adjusted(MOST_PX + 2, MOST_PX + 2, -MOST_PX - 2, -MOST_PX - 2)
        return QPointF(inner.left() + across * inner.width(), inner.bottom() - up * inner.height())

    # ---- painting ----------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Axes, what is known, the way through what is planned."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.color("sheet"))
        plan = self.plan
        if plan is None or not len(plan.known):
            p.setPen(theme.color("faint"))
            p.setFont(font(9.5))
            inside = QRectF(self.rect()).adjusted(20, 20, -20, -20)
            p.drawText(
                inside, int(Qt.AlignmentFlag.AlignCenter) | int(Qt.TextFlag.TextWordWrap), self.said
            )
            return
        self._axes(p, plan, theme)
        self._states(p, plan, theme)
        self._way(p, plan, theme)
        self._key(p, theme)

    def _axes(self, p: QPainter, plan: Plan, theme: Theme) -> None:
        area = self._area()
        low_rpm, high_rpm, low_kpa, high_kpa = self._spans(plan)
        p.setFont(font(8))
        for value in ticks(low_rpm, high_rpm):
            x = self._point(plan, value, low_kpa).x()
            p.setPen(QPen(theme.color("edge", 0.6), 1.0))
            p.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            p.setPen(theme.color("faint"))
            p.drawText(
                QRectF(x - 30, area.bottom() + 2, 60, 16),
                Qt.AlignmentFlag.AlignHCenter,
                f"{value:g}",
            )
        for value in ticks(low_kpa, high_kpa):
            y = self._point(plan, low_rpm, value).y()
            p.setPen(QPen(theme.color("edge", 0.6), 1.0))
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            p.setPen(theme.color("faint"))
            box = QRectF(0, y - 8, LEFT - 6, 16)
            p.drawText(
                box,
                int(Qt.AlignmentFlag.AlignRight) | int(Qt.AlignmentFlag.AlignVCenter),
                f"{value:g}",
            )
        p.drawText(QRectF(4, 8, 60, 16), Qt.AlignmentFlag.AlignLeft, "kPa")
        below = QRectF(area.left(), area.bottom() + 18, area.width(), 16)
        p.drawText(below, Qt.AlignmentFlag.AlignRight, "engine speed, rpm")

    def _states(self, p: QPainter, plan: Plan, theme: Theme) -> None:
        """Every state that can be held: the larger, the less is known; crossed where it is not offered."""
        for i in range(len(plan.known)):
            point = self._point(plan, float(plan.known.rpm[i]), float(plan.known.map_kpa[i]))
            size = _radius(float(plan.known.error_pct[i]))
            if plan.offered[i]:
                p.setPen(QPen(theme.color("faint", 0.8), 1.0))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawEllipse(point, size, size)
            else:
                p.setPen(QPen(theme.color("danger"), 1.4))
                p.drawLine(point + QPointF(-size, -size), point + QPointF(size, size))
                p.drawLine(point + QPointF(-size, size), point + QPointF(size, -size))

    def _way(self, p: QPainter, plan: Plan, theme: Theme) -> None:
        """The planned states in their order; the ring is round the next, those before it are ticked."""
        points = [self._point(plan, h.rpm, h.map_kpa) for h in plan.held]
        p.setPen(QPen(theme.color("accent", 0.45), 1.2))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawPolyline(QPolygonF(points))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("accent"))
        for point, held in zip(points, plan.held, strict=True):
            size = _radius(float(plan.known.error_pct[held.state]))
            p.drawEllipse(point, size, size)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(theme.color("ink"), 1.8))
        for point in points[: self.ticked]:
            tick = [QPointF(-4.0, -1.0), QPointF(-1.0, 3.0), QPointF(6.0, -7.0)]
            p.drawPolyline(QPolygonF([point + part for part in tick]))
        if self.ticked < len(points):
            p.setPen(QPen(theme.color("ink"), 1.6))
            p.drawEllipse(points[self.ticked], MOST_PX + 3, MOST_PX + 3)

    def _key(self, p: QPainter, theme: Theme) -> None:
        p.setFont(font(8))
        x = LEFT
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("accent"))
        p.drawEllipse(QPointF(x + 5, 14), 4.5, 4.5)
        x = self._word(p, theme, x + 14, "planned; ring: next; tick: driven")
        p.setPen(QPen(theme.color("faint", 0.8), 1.0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(QPointF(x + 5, 14), 4.5, 4.5)
        x = self._word(p, theme, x + 14, "can be held; larger: less known")
        p.setPen(QPen(theme.color("danger"), 1.4))
        p.drawLine(QPointF(x + 1, 10), QPointF(x + 9, 18))
        p.drawLine(QPointF(x + 1, 18), QPointF(x + 9, 10))
        self._word(p, theme, x + 14, "not yet")

    def _word(self, p: QPainter, theme: Theme, x: float, word: str) -> float:
        p.setPen(theme.color("faint"))
        width = p.fontMetrics().horizontalAdvance(word)
        p.drawText(QRectF(x, 6, width + 2, 16), Qt.AlignmentFlag.AlignVCenter, word)
        return x + width + 14

    # ---- words -------------------------------------------------------------------------------

    def hint_at(self, point: QPoint) -> str:
        """A state in words."""
        plan = self.plan
        if plan is None or not len(plan.known):
            return ""
        places = [
            self._point(plan, float(r), float(k))
            for r, k in zip(plan.known.rpm, plan.known.map_kpa, strict=True)
        ]
        far = np.array([np.hypot(q.x() - point.x(), q.y() - point.y()) for q in places])
        near = int(np.argmin(far))
        return state_words(plan, near) if far[near] <= NEAR_PX else ""

    def event(self, event: QEvent) -> bool:
        """Explain what is under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)


def _radius(error_pct: float) -> float:
    return LEAST_PX + (MOST_PX - LEAST_PX) * min(error_pct / MOST_ERROR_PCT, 1.0)


def state_words(plan: Plan, state: int) -> str:
    """A state: what is known of it, and why it is planned or not.

    Parameters
    ----------
    plan : of the next drive.
    state : its place among the known ones.

    Returns
    -------
    A few lines.
    """
    known = plan.known
    lines = [
        f"{known.rpm[state]:.0f} rpm, {known.map_kpa[state]:.0f} kPa: expected off by "
        f"{known.off_pct[state]:+.1f} ± {known.error_pct[state]:.1f} %, "
        f"{known.seconds[state]:.0f} s of used driving near it"
    ]
    held = next((i for i, h in enumerate(plan.held) if h.state == state), None)
    if held is not None:
        h = plan.held[held]
        gear = f", gear {h.gear} at {h.speed_kmh:.0f} km/h" if h.gear else ""
        grade = f", {100.0 * h.grade:+.1f} % grade" if np.isfinite(h.grade) else ""
        lines.append(
            f"Number {held + 1} of the plan{gear}{grade}: {h.seconds:.0f} s, then ± {h.after_pct:.1f} %"
        )
    elif not plan.offered[state]:
        heavy = not bool(light(known, plan.baro_kpa)[state])
        edge = known.lean_edge_pct[state]
        lines.append(
            f"Not offered: it may be {edge:.0f} % lean"
            + (", or the load below it is not proven" if heavy else "")
        )
    return "\n".join(lines)
