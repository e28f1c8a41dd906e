"""Painting of the tape."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QPainter, QPen

from ..core.regimes import REGIME_LABELS, Regime
from .tape_data import SHORT, Lane
from .theme import Theme, font
from .trace_image import runs, trace_image

if TYPE_CHECKING:
    from .tape import Tape

LEFT, RIGHT, AXIS_H, BAND_H = 124, 8, 18, 15
SHORT_REGIMES = {
    Regime.STOPPED: "off",
    Regime.WARM_UP: "warm",
    Regime.IDLE: "idle",
    Regime.OVERRUN: "over",
    Regime.CRUISE: "part",
    Regime.TRANSIENT: "tip",
    Regime.FULL_THROTTLE: "full",
}
STEPS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800, 3600)


class TapePainter:
    """Paints one frame of a tape."""

    def __init__(self, painter: QPainter, tape: Tape, theme: Theme) -> None:
        assert tape.data is not None
        self.p, self.tape, self.theme, self.data = painter, tape, theme, tape.data
        self.width = max(tape.width() - LEFT - RIGHT, 10)
        self.body_h = tape.height() - AXIS_H - BAND_H - 2
        edges = np.linspace(tape.start_s, tape.end_s, self.width + 1)
        self.cut = np.searchsorted(self.data.log.time_s, edges)

    def paint(self) -> None:
        """Everything, back to front."""
        self._lit()
        height = self.body_h / max(len(self.data.lanes), 1)
        for i, lane in enumerate(self.data.lanes):
            self._lane(lane, int(i * height), int((i + 1) * height) - int(i * height) - 3)
        self._left_out()
        self._regimes()
        self._axis()
        self._span_and_cursor()

    def _column_share(self, mask: np.ndarray) -> np.ndarray:
        """True for pixel columns that hold at least one marked sample."""
        total = np.concatenate([[0], np.cumsum(mask)])
        right = np.maximum(self.cut[1:], np.minimum(self.cut[:-1] + 1, len(mask)))
        return np.asarray(total[right] > total[self.cut[:-1]])

    def _lit(self) -> None:
        if self.tape.lit is None or len(self.tape.lit) != len(self.data.log):
            return
        for first, last, on in runs(self._column_share(self.tape.lit).astype(int)):
            if on:
                self.p.fillRect(
                    QRectF(LEFT + first, 0, max(last - first, 2), self.body_h), self.theme.color("select", 0.28)
                )

    def _lane(self, lane: Lane, y: int, height: int) -> None:
        p, theme = self.p, self.theme
        p.setPen(QPen(theme.color("edge"), 0.6))
        p.drawLine(QPointF(0, y + height + 1.5), QPointF(LEFT + self.width, y + height + 1.5))
        p.setFont(font(8.5, bold=True))
        p.setPen(theme.color("ink"))
        p.drawText(QRectF(6, y + 1, LEFT - 44, 14), Qt.AlignmentFlag.AlignLeft, lane.title)
        beside = 10 + p.fontMetrics().horizontalAdvance(lane.title)
        p.setFont(font(7.5))
        p.setPen(theme.color("faint"))
        p.drawText(QRectF(beside, y + 2, LEFT - 44, 14), Qt.AlignmentFlag.AlignLeft, lane.unit)
        p.setFont(font(7))
        p.setPen(theme.color("faint"))
        inner = lane.high - lane.low
        for value, top in ((lane.high - 0.06 * inner, y), (lane.low + 0.06 * inner, y + height - 11)):
            text = f"{value:.2f}" if lane.unit == "λ" else f"{value:+.0f}" if lane.title == "Trims" else f"{value:.0f}"
            p.drawText(
                QRectF(LEFT - 46, top, 42, 11), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, text
            )
        self._zero_line(lane, y, height)
        ratio = self.tape.devicePixelRatioF()
        for i, (role, pyramid) in reversed(list(enumerate(lane.traces))):
            ink = theme.traces[i]
            low, high = pyramid.columns(self.tape.start_s, self.tape.end_s, int(self.width * ratio))
            image = trace_image(low, high, lane.low, lane.high, max(int(height * ratio), 4), QColor(ink))
            image.setDevicePixelRatio(ratio)
            p.drawImage(QPointF(LEFT, y), image)
            if len(lane.traces) > 1:
                p.setPen(QColor(ink))
                p.drawText(QRectF(6 + 40 * i, y + 17, 44, 12), Qt.AlignmentFlag.AlignLeft, f"— {SHORT.get(role, role)}")

    def _zero_line(self, lane: Lane, y: int, height: int) -> None:
        level = {"λ": 1.0, "%": 0.0}.get(lane.unit)
        if level is None or not lane.low < level < lane.high or lane.title == "Throttle":
            return
        at = y + (lane.high - level) / (lane.high - lane.low) * (height - 1)
        self.p.setPen(QPen(self.theme.color("faint", 0.6), 0.8, Qt.PenStyle.DashLine))
        self.p.drawLine(QPointF(LEFT, at), QPointF(LEFT + self.width, at))

    def _left_out(self) -> None:
        if self.data.bits is None:
            return
        used = self._column_share(self.data.bits == 0)
        any_sample = self.cut[1:] > self.cut[:-1]
        brush = QBrush(self.theme.color("faint", 0.38), Qt.BrushStyle.FDiagPattern)
        for first, last, out in runs((~used & (any_sample | (self.width > len(self.data.log)))).astype(int)):
            if out:
                rect = QRectF(LEFT + first, 0, last - first, self.body_h)
                self.p.fillRect(rect, self.theme.color("sheet", 0.55))
                self.p.fillRect(rect, brush)

    def _regimes(self) -> None:
        y = self.body_h + 1
        if self.data.regime is None:
            return
        middle = np.clip((self.cut[1:] + self.cut[:-1]) // 2, 0, len(self.data.regime) - 1)
        self.p.setFont(font(7))
        for first, last, regime in runs(self.data.regime[middle]):
            rect = QRectF(LEFT + first, y, last - first, BAND_H - 2)
            self.p.fillRect(rect, QColor(self.theme.regimes[regime]))
            label = REGIME_LABELS[Regime(regime)]
            label = label if rect.width() > 7 + 5.2 * len(label) else SHORT_REGIMES[Regime(regime)]
            if rect.width() > 6 + 5.2 * len(label):
                self.p.setPen(self.theme.color("ink"))
                self.p.drawText(rect, Qt.AlignmentFlag.AlignCenter, label)
        self.p.setPen(self.theme.color("faint"))
        self.p.drawText(
            QRectF(6, y, LEFT - 10, BAND_H - 2), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, "Regime"
        )

    def _axis(self) -> None:
        tape, y = self.tape, self.tape.height() - AXIS_H
        span = tape.end_s - tape.start_s
        step = next((s for s in STEPS if span / s <= self.width / 70), STEPS[-1])
        self.p.setFont(font(7.5))
        self.p.setPen(self.theme.color("faint"))
        self.p.drawText(QRectF(6, y, LEFT - 10, AXIS_H), Qt.AlignmentFlag.AlignVCenter, "Time  min:s")
        for k in range(int(np.ceil(tape.start_s / step)), int(tape.end_s / step) + 1):
            x = tape.x_of(k * step)
            self.p.drawLine(QPointF(x, y), QPointF(x, y + 3))
            if x < LEFT + self.width - 18:
                self.p.drawText(
                    QRectF(x - 30, y + 3, 60, AXIS_H - 3), Qt.AlignmentFlag.AlignCenter, _clock(k * step, step)
                )

    def _span_and_cursor(self) -> None:
        span, theme = self.tape.session.selection.span, self.theme
        if span is not None:
            x0, x1 = max(self.tape.x_of(span[0]), LEFT), min(self.tape.x_of(span[1]), LEFT + self.width)
            if x1 > x0:
                self.p.fillRect(QRectF(x0, 0, x1 - x0, self.body_h), theme.color("select", 0.2))
                self.p.setPen(QPen(theme.color("select"), 1.5))
                self.p.drawLine(QPointF(x0, 0), QPointF(x0, self.body_h))
                self.p.drawLine(QPointF(x1, 0), QPointF(x1, self.body_h))
        if self.tape.cursor_s is not None:
            x = self.tape.x_of(self.tape.cursor_s)
            if LEFT <= x <= LEFT + self.width:
                self.p.setPen(QPen(theme.color("ink", 0.7), 1.0))
                self.p.drawLine(QPointF(x, 0), QPointF(x, self.body_h + BAND_H))


def _clock(seconds: float, step: float) -> str:
    minutes, rest = divmod(seconds, 60.0)
    return f"{int(minutes)}:{rest:04.1f}" if step < 1 else f"{int(minutes)}:{round(rest):02d}"
