"""Pulls laid over each other, a lane a channel; the wheel zooms, dragging moves, a double click shows all."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.pulls.traces import UNITS, WORDS, Lane
from lean_trim.core.text import evenly_written
from lean_trim.core.types import Floats
from lean_trim.features.pulls.desk.overlay_data import Drawn, LaneLines, Overlay
from lean_trim.ui.theme import Appearance, Theme, font
from lean_trim.ui.widgets.picture import columns_text, offer_picture

LEFT = 104.0
RIGHT = 92.0
TOP = 4.0
BOTTOM = 34.0
GAP = 3.0
BOTH_ENDS_PX = 26
"""Height of a lane from which both ends of its scale are written; in a lower one they would lie over each
other."""
TALL = 36.0
"""A lane higher than this has room for two lines of text."""
ZOOM = 1.25
LEAST_SHARE = 0.02
"""Of the whole width, the narrowest part that is shown."""
BAND_PCT = 2.0
"""Full throttle is to lie within so much of its target (common practice, no source)."""
EMPTY = (
    "Full-throttle runs are found by themselves. Add a log with one, or drive the simulated car."
)
NOTHING_CHOSEN = "Tick runs in the list to lay them over each other."
DECIMALS = {
    Lane.LAMBDA: 3,
    Lane.KNOCK: 1,
    Lane.ERROR: 1,
    Lane.ASKED: 1,
    Lane.TRIM: 1,
    Lane.SPARK: 1,
}

UNSETTLED = "acceleration enrichment: no airflow"


class OverlayChart(QWidget):
    """Paints an overlay; ``chosen`` and ``beside`` are places of its pulls, drawn strong."""

    hovered = Signal(str)

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.overlay: Overlay | None = None
        self.chosen = self.beside = -1
        self.nothing = EMPTY
        self.view = (0.0, 1.0)
        self.pointer: float | None = None
        self._grab: tuple[float, tuple[float, float]] | None = None
        self._polygons: dict[tuple[int, int, bool], QPolygonF] = {}
        self.setMouseTracking(True)
        self.setMinimumHeight(150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Pulls laid over each other")
        appearance.changed.connect(self.update)
        offer_picture(self, "pulls", self.numbers)

    def numbers(self) -> str:
        """Every line of every lane, over what lies across."""
        if self.overlay is None:
            return ""
        across = "rpm" if self.overlay.across == "rpm" else "s"
        columns: dict[str, Floats] = {}
        for lane in self.overlay.lanes:
            for place, line in enumerate(lane.lines, start=1):
                if line is not None:
                    name = f"pull {place}: {WORDS[lane.lane]}"
                    columns[f"{name} at, {across}"] = line.x
                    columns[f"{name}, {UNITS[lane.lane]}"] = line.y
        return columns_text(columns)

    def sizeHint(self) -> QSize:
        """Room for six lanes."""
        return QSize(640, 320)

    def show_overlay(self, overlay: Overlay | None, chosen: int, beside: int, nothing: str) -> None:
        """Show other pulls; the part that is looked at stays where it can."""
        before = self.overlay
        self.overlay = overlay
        self.chosen = chosen
        self.beside = beside
        self.nothing = nothing
        same = before is not None and overlay is not None and before.across == overlay.across
        if overlay is not None and not (
            same and before is not None and self.view != (before.first, before.last)
        ):
            self.view = (overlay.first, overlay.last)
        self._polygons = {}
        self.update()

    @property
    def _width(self) -> float:
        return max(self.width() - LEFT - RIGHT, 1.0)

    def _x(self, value: float) -> float:
        first, last = self.view
        return LEFT + (value - first) / (last - first) * self._width

    def _value(self, x: float) -> float:
        first, last = self.view
        return first + (x - LEFT) / self._width * (last - first)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom about the pointer."""
        if self.overlay is None or not event.angleDelta().y():
            return
        event.accept()
        at = self._value(event.position().x())
        factor = ZOOM if event.angleDelta().y() < 0 else 1.0 / ZOOM
        first, last = (at + (edge - at) * factor for edge in self.view)
        whole = self.overlay.last - self.overlay.first
        if last - first >= LEAST_SHARE * whole:
            self._look(first, last)

    def _look(self, first: float, last: float) -> None:
        assert self.overlay is not None
        low = self.overlay.first
        high = self.overlay.last
        span = min(last - first, high - low)
        first = min(max(first, low), high - span)
        self.view = (first, first + span)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold."""
        if event.button() is Qt.MouseButton.LeftButton:
            self._grab = (event.position().x(), self.view)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the view, or read the values under the pointer."""
        x = event.position().x()
        if self._grab is not None and self.overlay is not None:
            start, view = self._grab
            moved = (start - x) / self._width * (view[1] - view[0])
            self._look(view[0] + moved, view[1] + moved)
        self.pointer = self._value(x) if LEFT <= x <= LEFT + self._width else None
        self.hovered.emit(self._words_at(event.position().y()))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        self._grab = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Show all."""
        if self.overlay is not None:
            self._look(self.overlay.first, self.overlay.last)

    def leaveEvent(self, event: object) -> None:
        """No reading without a pointer."""
        self.pointer = None
        self.hovered.emit("")
        self.update()

    def _words_at(self, y: float) -> str:
        if self.overlay is None:
            return ""
        index = int((y - TOP) // self._lane_height)
        return WORDS[self.overlay.lanes[index].lane] if 0 <= index < len(self.overlay.lanes) else ""

    @property
    def _lane_height(self) -> float:
        count = len(self.overlay.lanes) if self.overlay is not None else 1
        return (self.height() - TOP - BOTTOM) / count

    def paintEvent(self, event: QPaintEvent) -> None:
        """Lanes, lines, axis."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("sheet"))
        p.setPen(theme.color("edge"))
        p.drawRect(self.rect().adjusted(0, 0, -1, -1))
        if self.overlay is None:
            p.setFont(font(9.5))
            p.setPen(theme.color("faint"))
            center = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            p.drawText(self.rect().adjusted(20, 10, -20, -10), center, self.nothing)
            return
        self._unsettled(p, theme, self.overlay)
        self._axis(p, theme, self.overlay)
        for index, lane in enumerate(self.overlay.lanes):
            top = TOP + index * self._lane_height
            area = QRectF(LEFT, top, self._width, self._lane_height - GAP)
            self._lane(p, theme, area, index, lane)
        self._pointer(p, theme)

    def _unsettled(self, p: QPainter, theme: Theme, overlay: Overlay) -> None:
        """The part of the chosen pull whose mixture is acceleration enrichment, and no airflow."""
        span = self._unsettled_of_chosen(overlay)
        if span is None:
            return
        left, right = (min(max(self._x(v), LEFT), LEFT + self._width) for v in span)
        area = QRectF(left, TOP, right - left, self.height() - BOTTOM - TOP)
        p.fillRect(area, theme.color("edge", 0.35))

    def _unsettled_of_chosen(self, overlay: Overlay) -> tuple[float, float] | None:
        if not 0 <= self.chosen < len(overlay.unsettled):
            return None
        span = overlay.unsettled[self.chosen]
        return span if np.isfinite(span).all() and span[1] > span[0] else None

    def _axis(self, p: QPainter, theme: Theme, overlay: Overlay) -> None:
        p.setFont(font(8))
        bottom = self.height() - BOTTOM
        for value in _ticks(*self.view):
            x = self._x(value)
            p.setPen(QPen(theme.color("edge", 0.45), 1.0))
            p.drawLine(QPointF(x, TOP), QPointF(x, bottom))
            p.setPen(theme.color("faint"))
            p.drawText(
                QRectF(x - 30, bottom + 2, 60, 14), Qt.AlignmentFlag.AlignCenter, f"{value:g}"
            )
        words = "engine speed, rpm" if overlay.across == "rpm" else "time from the trigger, s"
        p.drawText(QRectF(LEFT, bottom + 16, self._width, 14), Qt.AlignmentFlag.AlignRight, words)
        self._legend(p, theme, bottom + 23)

    def _legend(self, p: QPainter, theme: Theme, y: float) -> None:
        """Which line is which."""
        x = 10.0
        beside = self.beside >= 0
        entries = [
            (True, False, "chosen"),
            (False, True, "second selected"),
            (False, False, "ticked"),
        ]
        if self.overlay is not None and self.overlay.is_difference:
            entries = [(True, False, "chosen less second selected")]
        for is_chosen, is_beside, words in entries:
            if is_beside and not beside:
                continue
            p.setPen(_pen(theme, is_chosen, is_beside))
            p.drawLine(QPointF(x, y), QPointF(x + 22, y))
            p.setPen(theme.color("faint"))
            p.drawText(QRectF(x + 27, y - 7, 120, 14), Qt.AlignmentFlag.AlignLeft, words)
            x += 40 + p.fontMetrics().horizontalAdvance(words)
        if self.overlay is not None and self._unsettled_of_chosen(self.overlay) is not None:
            p.fillRect(QRectF(x, y - 5, 14, 10), theme.color("edge", 0.6))
            p.setPen(theme.color("faint"))
            p.drawText(QRectF(x + 19, y - 7, 220, 14), Qt.AlignmentFlag.AlignLeft, UNSETTLED)

    def _lane(self, p: QPainter, theme: Theme, area: QRectF, index: int, lane: LaneLines) -> None:
        p.setPen(QPen(theme.color("edge", 0.8), 1.0))
        p.drawLine(area.bottomLeft(), area.bottomRight())
        ends = evenly_written([_round(lane.low, lane), _round(lane.high, lane)])
        right = Qt.AlignmentFlag.AlignRight
        p.setFont(font(8.5))
        p.setPen(theme.color("ink"))
        unit = UNITS[lane.lane]
        name = str(lane.lane)
        tall = area.height() > TALL
        room = (
            QRectF(8, area.top(), LEFT - 46, 30) if tall else QRectF(8, area.top(), LEFT - 52, 14)
        )
        text = (
            name
            if tall
            else p.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(LEFT - 52))
        )
        p.drawText(room, Qt.TextFlag.TextWordWrap if tall else Qt.AlignmentFlag.AlignLeft, text)
        p.setFont(font(7.5))
        p.setPen(theme.color("faint"))
        p.drawText(QRectF(LEFT - 50, area.top(), 46, 12), right, ends[1])
        if area.height() >= BOTH_ENDS_PX:
            p.drawText(QRectF(LEFT - 50, area.bottom() - 12, 46, 12), right, ends[0])
        if unit != name and tall:
            p.drawText(QRectF(LEFT - 50, area.center().y() - 6, 46, 12), right, unit)
        p.save()
        p.setClipRect(area)
        if lane.low < 0.0 < lane.high:
            y = _y(area, lane, 0.0)
            p.setPen(QPen(theme.color("edge"), 1.0))
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        p.setTransform(self._place(area, lane), combine=True)
        strong = [place for place in (self.beside, self.chosen) if place >= 0]
        for place in [*(i for i in range(len(lane.lines)) if i not in strong), *strong]:
            drawn = lane.lines[place] if place < len(lane.lines) else None
            # Thin lines are drawn ten times as fast without, and so are all while the view is on
            # the move.
            p.setRenderHint(
                QPainter.RenderHint.Antialiasing, place in strong and self._grab is None
            )
            if drawn is not None:
                self._line(p, theme, area, (index, place), lane, drawn)
        p.restore()

    def _line(
        self,
        p: QPainter,
        theme: Theme,
        area: QRectF,
        key: tuple[int, int],
        lane: LaneLines,
        drawn: Drawn,
    ) -> None:
        place = key[1]
        if place == self.chosen and drawn.target is not None:
            self._target(p, theme, area, key, lane, drawn.x, drawn.target)
        p.setPen(_pen(theme, place == self.chosen, place == self.beside))
        p.drawPolyline(self._polygon((*key, False), drawn.x, drawn.y))

    def _target(
        self,
        p: QPainter,
        theme: Theme,
        area: QRectF,
        key: tuple[int, int],
        lane: LaneLines,
        x: Floats,
        target: Floats,
    ) -> None:
        """Target lambda and the band within which it counts as met."""
        line = self._polygon((*key, True), x, target)
        per_unit = area.height() / (lane.high - lane.low)
        half = BAND_PCT / 100.0 * float(np.nanmedian(target)) * per_unit
        for pen in (
            QPen(theme.color("accent", 0.16), max(2.0 * half, 1.0), c=Qt.PenCapStyle.FlatCap),
            QPen(theme.color("ink", 0.6), 1.0, Qt.PenStyle.DotLine),
        ):
            pen.setCosmetic(True)
            p.setPen(pen)
            p.drawPolyline(line)

    def _polygon(self, key: tuple[int, int, bool], x: Floats, y: Floats) -> QPolygonF:
        """A line in its own units: laid out once, however it is looked at."""
        if key not in self._polygons:
            known = np.isfinite(x) & np.isfinite(y)
            points = zip(x[known].tolist(), y[known].tolist(), strict=True)
            self._polygons[key] = QPolygonF([QPointF(a, b) for a, b in points])
        return self._polygons[key]

    def _place(self, area: QRectF, lane: LaneLines) -> QTransform:
        """From a lane's units to the screen."""
        first, last = self.view
        across = area.width() / (last - first)
        up = area.height() / (lane.high - lane.low)
        return QTransform(
            across, 0.0, 0.0, -up, area.left() - first * across, area.bottom() + lane.low * up
        )

    def _pointer(self, p: QPainter, theme: Theme) -> None:
        """A line under the pointer, and what the strong pulls read there."""
        if self.pointer is None or self.overlay is None:
            return
        at = self._x(self.pointer)
        p.setPen(QPen(theme.color("ink", 0.5), 1.0))
        p.drawLine(QPointF(at, TOP), QPointF(at, self.height() - BOTTOM))
        p.setFont(font(8))
        for index, lane in enumerate(self.overlay.lanes):
            top = TOP + index * self._lane_height
            for row, (place, purpose) in enumerate(
                ((self.chosen, "accent"), (self.beside, "remove"))
            ):
                text = _reading(lane, place, self.pointer)
                p.setPen(theme.color(purpose))
                # In a low lane both stand in one line.
                tall = self._lane_height > TALL
                x, y = (0.0, 12.0 * row) if tall else (0.5 * RIGHT * row, 0.0)
                where = QRectF(self.width() - RIGHT + 4 + x, top + y, RIGHT, 12)
                p.drawText(where, Qt.AlignmentFlag.AlignLeft, text)


def _pen(theme: Theme, is_chosen: bool, is_beside: bool) -> QPen:
    pen = QPen(theme.color("ink", 0.28), 1.0)
    if is_chosen:
        pen = QPen(theme.color("accent"), 2.0)
    elif is_beside:
        pen = QPen(theme.color("remove"), 2.0, Qt.PenStyle.DashLine)
    # Its width is that of the screen, whatever the lane's units are.
    pen.setCosmetic(True)
    return pen


def _y(area: QRectF, lane: LaneLines, value: float) -> float:
    return area.bottom() - (value - lane.low) / (lane.high - lane.low) * area.height()


def _round(value: float, lane: LaneLines) -> float:
    return round(value, DECIMALS.get(lane.lane, 0))


def _reading(lane: LaneLines, place: int, at: float) -> str:
    """What one pull reads at a place of the axis, "" where it was not."""
    drawn = lane.lines[place] if 0 <= place < len(lane.lines) else None
    if drawn is None or len(drawn.x) < 2:
        return ""
    near = int(np.argmin(np.abs(drawn.x - at)))
    step = 3.0 * float(np.median(np.abs(np.diff(drawn.x)))) + 1e-9
    if abs(float(drawn.x[near]) - at) > step or not np.isfinite(drawn.y[near]):
        return ""
    unit = UNITS[lane.lane]
    return f"{drawn.y[near]:.{DECIMALS.get(lane.lane, 0)}f} {unit}"


def _ticks(low: float, high: float) -> Sequence[float]:
    """Round numbers within a range, five or so."""
    raw = (high - low) / 6.0
    power = 10.0 ** np.floor(np.log10(raw))
    step = next(m * power for m in (1.0, 2.0, 5.0, 10.0) if m * power >= raw)
    first = np.ceil(low / step)
    return [float(step * (first + i)) for i in range(int((high - first * step) / step) + 1)]
