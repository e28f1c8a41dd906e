"""What each visit asks, over time or over the state the engine was in; a dot chooses its visit."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.explore.visit_states import UNITS, Over, VisitStates
from lean_trim.core.text import clock, signed
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.curve_scale import ticks
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import columns_text, offer_picture

HEIGHT = 128
LEAST_H = 60
"""Height it would have, and below which nothing could be read, px."""
LEFT = 38.0
RIGHT = 8.0
TOP = 6.0
BOTTOM = 18.0
NEAR_PX = 9.0
LEAST_RANGE_PCT = 4.0
"""Half of the least range shown, so that calm cells look calm."""
SMALL_PX = 2.0
LARGE_PX = 6.0
"""Radii of the dots of the shortest and the longest visits."""


class VisitScatter(QWidget):
    """Dots, as large as the visit was long; ringed where it stands apart."""

    chosen = Signal(int)

    def __init__(self, appearance: Appearance) -> None:
        super().__init__()
        self.appearance = appearance
        self.states: VisitStates | None = None
        self.over = Over.TIME
        self.marked: tuple[float, float] | None = None
        # It gives way in a low window: the list beside it says the same.
        self.setMinimumHeight(0)
        self.setMaximumHeight(HEIGHT)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("What each visit asks")
        appearance.changed.connect(self.update)
        offer_picture(self, "visits", self.numbers)

    def show_states(
        self, states: VisitStates | None, over: Over, marked: tuple[float, float] | None
    ) -> None:
        """Show other visits, or the same over something else."""
        self.states = states
        self.over = over
        self.marked = marked
        self.update()

    def sizeHint(self) -> QSize:
        """Room for the dots."""
        return QSize(240, HEIGHT)

    def numbers(self) -> str:
        """Visits with their states."""
        if self.states is None:
            return ""
        s = self.states
        columns = {f"{k.value}, {UNITS[k]}" if UNITS[k] else k.value: v for k, v in s.over.items()}
        seconds = [v.seconds for v in s.visits]
        return columns_text(columns | {"used driving, s": seconds, "asked, %": s.asked_pct})

    def _points(self) -> list[QPointF | None]:
        """Where each visit lies; None where its state is not known."""
        s = self.states
        assert s is not None
        x = s.over[self.over]
        known = np.isfinite(x) & np.isfinite(s.asked_pct)
        if not known.any():
            return [None] * len(x)
        first, last = float(x[known].min()), float(x[known].max())
        span = last - first or 1.0
        low, high = self._range()
        wide = self.width() - LEFT - RIGHT
        tall = self.height() - TOP - BOTTOM
        return [
            QPointF(
                LEFT + (0.03 + 0.94 * (a - first) / span) * wide,
                TOP + (high - b) / (high - low) * tall,
            )
            if k
            else None
            for a, b, k in zip(x.tolist(), s.asked_pct.tolist(), known.tolist(), strict=True)
        ]

    def _range(self) -> tuple[float, float]:
        assert self.states is not None
        asked = self.states.asked_pct[np.isfinite(self.states.asked_pct)]
        middle = float((asked.min() + asked.max()) / 2)
        half = max(float(asked.max() - asked.min()) * 0.56, LEAST_RANGE_PCT)
        return middle - half, middle + half

    def paintEvent(self, event: QPaintEvent) -> None:
        """Axes and dots."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("sheet"))
        p.setPen(theme.color("edge"))
        p.drawRect(self.rect().adjusted(0, 0, -1, -1))
        s = self.states
        if (
            self.height() < LEAST_H
            or s is None
            or not len(s.visits)
            or not np.isfinite(s.asked_pct).any()
        ):
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, high = self._range()
        p.setFont(font(7.5))
        for value in ticks(low, high)[::2]:
            y = TOP + (high - value) / (high - low) * (self.height() - TOP - BOTTOM)
            p.setPen(QPen(theme.color("edge", 0.6), 1.0))
            p.drawLine(QPointF(LEFT, y), QPointF(self.width() - RIGHT, y))
            p.setPen(theme.color("faint"))
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            p.drawText(QRectF(0, y - 7, LEFT - 4, 14), right, f"{signed(value, 0)} %")
        self._foot(p, s)
        longest = max(v.seconds for v in s.visits) or 1.0
        for place, point in enumerate(self._points()):
            if point is not None:
                share = float(np.sqrt(s.visits[place].seconds / longest))
                self._dot(p, place, point, SMALL_PX + share * (LARGE_PX - SMALL_PX))

    def _dot(self, p: QPainter, place: int, point: QPointF, radius: float) -> None:
        theme = self.appearance.theme
        assert self.states is not None
        visit = self.states.visits[place]
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.color("accent", 0.7))
        p.drawEllipse(point, radius, radius)
        p.setBrush(Qt.BrushStyle.NoBrush)
        if self.states.apart[place]:
            p.setPen(QPen(theme.color("danger"), 1.6))
            p.drawEllipse(point, radius + 3, radius + 3)
        if self.marked == (visit.start_s, visit.end_s):
            p.setPen(QPen(theme.color("ink"), 1.6))
            p.drawRect(
                QRectF(
                    point.x() - radius - 4, point.y() - radius - 4, 2 * radius + 8, 2 * radius + 8
                )
            )

    def _foot(self, p: QPainter, s: VisitStates) -> None:
        x = s.over[self.over]
        known = x[np.isfinite(x)]
        if not len(known):
            return
        unit = f" {UNITS[self.over]}" if UNITS[self.over] else ""
        area = QRectF(LEFT, self.height() - BOTTOM + 2, self.width() - LEFT - RIGHT, 14)
        p.setPen(self.appearance.theme.color("faint"))
        low, high = (self._end(v, unit) for v in (float(known.min()), float(known.max())))
        p.drawText(area, Qt.AlignmentFlag.AlignLeft, low)
        p.drawText(area, Qt.AlignmentFlag.AlignHCenter, f"over {self.over.value}")
        p.drawText(area, Qt.AlignmentFlag.AlignRight, high)

    def _end(self, value: float, unit: str) -> str:
        """An end of the axis, as people write it."""
        return f"{clock(60.0 * value)} min" if self.over is Over.TIME else f"{value:.4g}{unit}"

    def visit_at(self, point: QPoint) -> int | None:
        """The visit whose dot is near a point."""
        if self.states is None:
            return None
        far = [
            np.inf if q is None else float(np.hypot(q.x() - point.x(), q.y() - point.y()))
            for q in self._points()
        ]
        return int(np.argmin(far)) if far and min(far) <= NEAR_PX else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a visit."""
        place = self.visit_at(event.position().toPoint())
        if place is not None:
            self.chosen.emit(place)

    def hint_at(self, point: QPoint) -> str:
        """A visit in words."""
        place = self.visit_at(point)
        return "" if place is None or self.states is None else visit_words(self.states, place)

    def event(self, event: QEvent) -> bool:
        """Explain the dot under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)


def visit_words(states: VisitStates, place: int) -> str:
    """Everything that is known of a visit.

    Parameters
    ----------
    states : of the visits.
    place : of one of them.

    Returns
    -------
    A line, and another where it stands apart.
    """
    visit = states.visits[place]
    parts = [
        f"{clock(visit.start_s)} min, {visit.seconds:.1f} s: {signed(states.asked_pct[place])} %"
    ]
    for kind, values in states.over.items():
        value = float(values[place])
        if kind is not Over.TIME and np.isfinite(value):
            unit = f" {UNITS[kind]}" if UNITS[kind] else ""
            parts.append(f"{kind.value} {value:.4g}{unit}")
    text = ", ".join(parts)
    return (
        f"{text}\nIt asks for something else than the other visits."
        if states.apart[place]
        else text
    )
