"""Painting of the tape."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap

from lean_trim.core.drive.regimes import REGIME_LABELS, Regime
from lean_trim.core.text import clock
from lean_trim.ui.tape.lanes import SHORT
from lean_trim.ui.tape.tape_data import SIGNED, Lane
from lean_trim.ui.tape.tape_view import TapeView
from lean_trim.ui.tape.trace_image import hatch_image, runs, trace_image
from lean_trim.ui.theme import Theme, font

LEFT = 124
RIGHT = 8
AXIS_H = 18
BAND_H = 15
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


def axis_height(is_ribbon: bool) -> int:
    """Room for the times below the strip; a ribbon has none.

    Returns px.
    """
    return 0 if is_ribbon else AXIS_H


class TapePainter:
    """Paints one frame of a tape."""

    def __init__(self, painter: QPainter, tape: TapeView, theme: Theme) -> None:
        assert tape.data is not None
        self.p = painter
        self.tape = tape
        self.theme = theme
        self.data = tape.data
        self.width = max(tape.width() - LEFT - RIGHT, 10)
        self.body_h = tape.height() - axis_height(tape.is_ribbon) - BAND_H - 2
        self.lanes = self.data.lanes[:1] if tape.is_ribbon else self.data.lanes
        edges = np.linspace(tape.start_s, tape.end_s, self.width + 1)
        self.cut = np.searchsorted(self.data.log.time_s, edges)

    def paint(self) -> None:
        """Everything, back to front."""
        self._lit()
        self.p.drawPixmap(0, 0, self._gutter())
        for place in self._places():
            self._lane(*place)
        self._left_out()
        self._regimes()
        self._axis()
        self._joints()
        self._marks()
        self._span_and_cursor()
        if self.tape.hasFocus():
            self.p.setPen(QPen(self.theme.color("accent"), 2.0))
            self.p.setBrush(Qt.BrushStyle.NoBrush)
            self.p.drawRect(QRectF(1, 1, self.tape.width() - 2, self.tape.height() - 2))

    def _any(self, before: np.ndarray) -> np.ndarray:
        """True for pixel columns that hold a marked sample, from counts of marks before each sample."""
        # Zoomed in, a column may hold no sample; it then shows the one that follows.
        right = np.maximum(self.cut[1:], np.minimum(self.cut[:-1] + 1, len(before) - 1))
        return np.asarray(before[right] > before[self.cut[:-1]])

    def _lit(self) -> None:
        # Lit seconds may belong to the log before, until the new solution is in.
        if self.tape.lit is None or len(self.tape.lit) != len(self.data.log) + 1:
            return
        lit = [
            # Two pixels at least: a single sample must not vanish.
            QRectF(LEFT + a, 0, max(b - a, 2), self.body_h)
            for a, b, on in runs(self._any(self.tape.lit).astype(int))
            if on
        ]
        self.p.setPen(Qt.PenStyle.NoPen)
        self.p.setBrush(self.theme.color("select", 0.28))
        self.p.drawRects(lit)

    def _gutter(self) -> QPixmap:
        """Names and scales of the lanes; the same while the strip is panned and zoomed, so kept."""
        height = self.body_h
        ratio = self.tape.devicePixelRatioF()
        key = (id(self.data), height, self.theme.name, ratio)
        if self.tape.gutter is None or self.tape.gutter[0] != key:
            pixmap = QPixmap(int(LEFT * ratio), max(int(height * ratio), 1))
            pixmap.setDevicePixelRatio(ratio)
            pixmap.fill(self.theme.color("sheet"))
            strip = self.p
            self.p = QPainter(pixmap)
            for lane, y, lane_h in self._places():
                self._names(lane, y, lane_h)
            self.p.end()
            self.p = strip
            self.tape.gutter = (key, pixmap)
        return self.tape.gutter[1]

    def _places(self) -> list[tuple[Lane, int, int]]:
        """Each lane with its top and height."""
        step = self.body_h / max(len(self.lanes), 1)
        return [
            (lane, int(i * step), int((i + 1) * step) - int(i * step) - 3)
            for i, lane in enumerate(self.lanes)
        ]

    def _lane(self, lane: Lane, y: int, height: int) -> None:
        p = self.p
        theme = self.theme
        p.setPen(QPen(theme.color("edge"), 0.6))
        p.drawLine(QPointF(0, y + height + 1.5), QPointF(LEFT + self.width, y + height + 1.5))
        self._zero_line(lane, y, height)
        ratio = self.tape.devicePixelRatioF()
        # The first trace is the one the lane is named for; it is painted over the others.
        for i, trace in reversed(list(enumerate(lane.traces))):
            low, high = trace.pyramid.columns(
                self.tape.start_s, self.tape.end_s, int(self.width * ratio)
            )
            image = trace_image(
                low, high, lane.low, lane.high, max(int(height * ratio), 4), QColor(theme.traces[i])
            )
            image.setDevicePixelRatio(ratio)
            p.drawImage(QPointF(LEFT, y), image)

    def _names(self, lane: Lane, y: int, height: int) -> None:
        """Title, unit, names of several traces in their inks, and the ends of the scale."""
        p = self.p
        theme = self.theme
        p.setFont(font(8.5, bold=True))
        p.setPen(theme.color("ink"))
        p.drawText(QRectF(6, y, LEFT - 44, 14), Qt.AlignmentFlag.AlignLeft, lane.title)
        beside = 10 + p.fontMetrics().horizontalAdvance(lane.title)
        p.setFont(font(7.5))
        p.setPen(theme.color("faint"))
        p.drawText(QRectF(beside, y + 1, LEFT - 44, 14), Qt.AlignmentFlag.AlignLeft, lane.own.unit)
        p.setFont(font(7))
        inner = lane.high - lane.low
        wide = height > 22
        signed = lane.traces[0].series.key in SIGNED
        shown = inner * lane.own.scale
        digits = 2 if shown < 3 else 1 if shown < 12 else 0
        # The scale has 6 % of air at either end, which the figures leave out.
        ends = ((lane.high - 0.06 * inner, y), (lane.low + 0.06 * inner, y + height - 11))
        for value, top in ends if wide else ends[:1]:
            text = f"{float(lane.own.own(value)):{'+' if signed else ''}.{digits}f}"
            p.drawText(
                QRectF(LEFT - 46, top, 42, 11),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )
        if len(lane.traces) > 1 and wide:
            x = 6.0
            for i, trace in enumerate(lane.traces):
                p.setPen(QColor(theme.traces[i]))
                name = f"— {SHORT.get(trace.series.key, trace.series.name)}"
                p.drawText(QRectF(x, y + 15, 90, 12), Qt.AlignmentFlag.AlignLeft, name)
                x += 6 + p.fontMetrics().horizontalAdvance(name)

    def _zero_line(self, lane: Lane, y: int, height: int) -> None:
        level = {"λ": 1.0, "%": 0.0}.get(lane.unit)
        if level is None or not lane.low < level < lane.high or lane.title == "Throttle":
            return
        at = y + (lane.high - level) / (lane.high - lane.low) * (height - 1)
        self.p.setPen(QPen(self.theme.color("faint", 0.6), 0.8, Qt.PenStyle.DashLine))
        self.p.drawLine(QPointF(LEFT, at), QPointF(LEFT + self.width, at))

    def _left_out(self) -> None:
        if self.data.used_before is None:
            return
        used = self._any(self.data.used_before)
        any_sample = self.cut[1:] > self.cut[:-1]
        # Zoomed far in, most columns hold no sample and stand for their neighbours.
        out = ~used & (any_sample | (self.width > len(self.data.log)))
        veil = self.theme.color("sheet", 0.5)
        line = self.theme.color("faint", 0.45)
        height = max(int(self.body_h), 1)
        hand = np.zeros_like(out)
        if self.data.by_hand_before is not None:
            hand = self._any(self.data.by_hand_before) & out
        self.p.drawImage(QPointF(LEFT, 0), hatch_image(out & ~hand, height, veil, line))
        if hand.any():
            # What the user left out looks other than what a rule did, also without colour: it is
            # crossed.
            line = self.theme.color("select", 0.65)
            self.p.drawImage(QPointF(LEFT, 0), hatch_image(hand, height, veil, line, crossed=True))

    def _regimes(self) -> None:
        y = self.body_h + 1
        if self.data.regime is None:
            return
        # One sample a column: a regime shorter than a pixel cannot be seen anyway.
        middle = np.clip((self.cut[1:] + self.cut[:-1]) // 2, 0, len(self.data.regime) - 1)
        bands: dict[int, list[QRectF]] = {}
        labels: list[tuple[QRectF, str]] = []
        for first, last, regime in runs(self.data.regime[middle]):
            rect = QRectF(LEFT + first, y, last - first, BAND_H - 2)
            bands.setdefault(regime, []).append(rect)
            label = REGIME_LABELS[Regime(regime)]
            # Measuring every label would take longer than painting; 5.2 px is the mean letter of
            # this size.
            label = label if rect.width() > 7 + 5.2 * len(label) else SHORT_REGIMES[Regime(regime)]
            if rect.width() > 6 + 5.2 * len(label):
                labels.append((rect, label))
        self.p.setPen(Qt.PenStyle.NoPen)
        for regime, rects in bands.items():
            self.p.setBrush(QColor(self.theme.regimes[regime]))
            self.p.drawRects(rects)
        self.p.setFont(font(7))
        self.p.setPen(self.theme.color("ink"))
        for rect, label in labels:
            self.p.drawText(rect, Qt.AlignmentFlag.AlignCenter, label)
        self.p.setPen(self.theme.color("faint"))
        side = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        self.p.drawText(QRectF(6, y, LEFT - 10, BAND_H - 2), side, "Regime")

    def _joints(self) -> None:
        """Where another recording begins: a double line with the log's name."""
        for time_s, name in self.data.joints:
            x = self.tape.x_of(time_s)
            if LEFT <= x <= LEFT + self.width:
                self.p.setPen(QPen(self.theme.color("ink"), 1.2))
                for shift in (-2.0, 1.0):
                    self.p.drawLine(QPointF(x + shift, 0), QPointF(x + shift, self.body_h + BAND_H))
                self._label(x + 5, name or "recording goes on")

    def _marks(self) -> None:
        """Bookmarks as small flags with their notes."""
        current = self.tape.session.round
        self.p.setFont(font(7.5))
        for mark in current.marks if current is not None else ():
            x = self.tape.x_of(mark.time_s)
            if LEFT <= x <= LEFT + self.width:
                self.p.setPen(QPen(self.theme.color("danger"), 1.2))
                self.p.drawLine(QPointF(x, 0), QPointF(x, self.body_h))
                self.p.fillRect(QRectF(x, 0, 9, 6), self.theme.color("danger"))
                self._label(x + 12, mark.text)

    def _label(self, x: float, text: str) -> None:
        """A word over the traces, on paper, or it could not be read."""
        if not text:
            return
        self.p.setFont(font(7.5))
        width = self.p.fontMetrics().horizontalAdvance(text)
        area = QRectF(x, 0, width + 4, 13)
        self.p.fillRect(area, self.theme.color("sheet", 0.85))
        self.p.drawText(area.adjusted(2, 0, 4, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def _axis(self) -> None:
        tape = self.tape
        if tape.is_ribbon:
            return
        y = self.tape.height() - AXIS_H
        span = tape.end_s - tape.start_s
        # A label and its air need 70 px.
        step = next((s for s in STEPS if span / s <= self.width / 70), STEPS[-1])
        self.p.setFont(font(7.5))
        self.p.setPen(self.theme.color("faint"))
        self.p.drawText(
            QRectF(6, y, LEFT - 10, AXIS_H), Qt.AlignmentFlag.AlignVCenter, "Time  min:s"
        )
        for k in range(int(np.ceil(tape.start_s / step)), int(tape.end_s / step) + 1):
            x = tape.x_of(k * step)
            self.p.drawLine(QPointF(x, y), QPointF(x, y + 3))
            # The last label would be cut by the edge.
            if x < LEFT + self.width - 18:
                self.p.drawText(
                    QRectF(x - 30, y + 3, 60, AXIS_H - 3),
                    Qt.AlignmentFlag.AlignCenter,
                    clock(k * step, int(step < 1)),
                )

    def _span_and_cursor(self) -> None:
        span = self.tape.session.selection.span
        theme = self.theme
        if span is not None:
            x0 = max(self.tape.x_of(span[0]), LEFT)
            x1 = min(self.tape.x_of(span[1]), LEFT + self.width)
            if x1 > x0:
                self.p.fillRect(QRectF(x0, 0, x1 - x0, self.body_h), theme.color("select", 0.2))
                self.p.setPen(QPen(theme.color("select"), 1.5))
                self.p.drawLine(QPointF(x0, 0), QPointF(x0, self.body_h))
                self.p.drawLine(QPointF(x1, 0), QPointF(x1, self.body_h))
        for time_s, ink in ((self.tape.spot_s, "accent"), (self.tape.cursor_s, "ink")):
            if time_s is None:
                continue
            x = self.tape.x_of(time_s)
            if LEFT <= x <= LEFT + self.width:
                self.p.setPen(QPen(theme.color(ink, 0.7), 1.0))
                self.p.drawLine(QPointF(x, 0), QPointF(x, self.body_h + BAND_H))
