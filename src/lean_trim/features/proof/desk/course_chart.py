"""Two courses on one picture: along the drive, or over the rounds of a job."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.ui.theme import Appearance, Theme, font
from lean_trim.ui.widgets.curve_scale import ticks
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import columns_text, offer_picture

LEFT = 40.0
RIGHT = 12.0
TOP = 46.0
BOTTOM = 20.0
LEAST_STEP_PX = 13.0
"""Lines that come closer than this have no figure."""
LEAST_SPAN = 2.0
NEAR_PX = 14.0


@dataclass(frozen=True)
class Course:
    """One line: its name, how it is drawn, and its values; NaN for none."""

    name: str
    style: Literal["line", "dots", "dashes"]
    values: Sequence[float]


class CourseChart(QWidget):
    """Paints courses over one axis."""

    def __init__(
        self,
        appearance: Appearance,
        name: str,
        title: str,
        across: str,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.title = title
        self.across = across
        self.at: Sequence[float] = ()
        self.courses: Sequence[Course] = ()
        self.labels: Sequence[str] = ()
        self.setMinimumSize(220, 110)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(title)
        appearance.changed.connect(self.update)
        offer_picture(self, name, self.numbers)

    def show_courses(
        self, at: Sequence[float], courses: Sequence[Course], labels: Sequence[str] = ()
    ) -> None:
        """Show courses.

        Parameters
        ----------
        at : places on the axis.
        courses : a value at each of them.
        labels : words at the places instead of numbers.
        """
        self.at = at
        self.courses = courses
        self.labels = labels
        self.update()

    def numbers(self) -> str:
        """Columns of what is shown."""
        if not self.at:
            return ""
        return columns_text(
            {self.across: np.array(self.at)} | {c.name: np.array(c.values) for c in self.courses}
        )

    def _area(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)

    def _span(self) -> float:
        values = [v for c in self.courses for v in c.values if np.isfinite(v)]
        return 1.1 * max([*values, LEAST_SPAN])

    def _point(self, x: float, y: float) -> QPointF:
        area = self._area()
        low, high = (self.at[0], self.at[-1]) if self.at else (0.0, 1.0)
        across = (x - low) / (high - low) if high > low else 0.5
        inset = 8.0 if self.labels else 0.0
        return QPointF(
            area.left() + inset + across * (area.width() - 2 * inset),
            area.bottom() - area.height() * max(y, 0.0) / self._span(),
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        """Scale, courses, key."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), theme.color("sheet"))
        p.setFont(font(8.5, bold=True))
        p.setPen(theme.color("ink"))
        title = f"{self.title}, by {self.across}"
        p.drawText(QRectF(8, 6, self.width() - 16, 18), Qt.AlignmentFlag.AlignLeft, title)
        if not self.at:
            return
        self._scale(p, theme)
        self._key(p, theme)
        for course in self.courses:
            self._course(p, course, theme)

    def _scale(self, p: QPainter, theme: Theme) -> None:
        area = self._area()
        p.setFont(font(8))
        last = self.height() + LEAST_STEP_PX
        for value in ticks(0.0, self._span()):
            y = self._point(self.at[0], value).y()
            if last - y < LEAST_STEP_PX:
                continue
            last = y
            p.setPen(QPen(theme.color("edge", 0.6), 1.0))
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            p.setPen(theme.color("faint"))
            right = int(Qt.AlignmentFlag.AlignRight) | int(Qt.AlignmentFlag.AlignVCenter)
            p.drawText(QRectF(0, y - 8, LEFT - 6, 16), right, f"{value:g}")
        places = (
            zip(self.at, self.labels, strict=True)
            if self.labels
            else ((v, f"{v:g}") for v in ticks(self.at[0], self.at[-1]))
        )
        for value, word in places:
            x = self._point(value, 0.0).x()
            box = QRectF(x - 30, area.bottom() + 2, 60, 14)
            p.drawText(box, Qt.AlignmentFlag.AlignHCenter, word)

    def _course(self, p: QPainter, course: Course, theme: Theme) -> None:
        points = [
            self._point(x, y) for x, y in zip(self.at, course.values, strict=True) if np.isfinite(y)
        ]
        p.setBrush(Qt.BrushStyle.NoBrush)
        if course.style == "dots":
            p.setPen(QPen(theme.color("accent", 0.5), 1.2))
            p.drawPolyline(QPolygonF(points))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(theme.color("accent"))
            for point in points:
                p.drawEllipse(point, 3.4, 3.4)
            return
        dashed = Qt.PenStyle.DashLine if course.style == "dashes" else Qt.PenStyle.SolidLine
        p.setPen(QPen(theme.color("faint" if course.style == "dashes" else "ink"), 1.4, dashed))
        p.drawPolyline(QPolygonF(points))
        if len(points) == 1:
            p.drawEllipse(points[0], 2.5, 2.5)

    def _key(self, p: QPainter, theme: Theme) -> None:
        p.setFont(font(8))
        x = LEFT
        y = 33.0
        for course in self.courses:
            if course.style == "dots":
                p.setPen(Qt.PenStyle.NoPen)
                p.setBrush(theme.color("accent"))
                p.drawEllipse(QPointF(x + 9, y), 3.4, 3.4)
            else:
                dashed = course.style == "dashes"
                style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
                p.setPen(QPen(theme.color("faint" if dashed else "ink"), 1.4, style))
                p.drawLine(QPointF(x, y), QPointF(x + 18, y))
            width = p.fontMetrics().horizontalAdvance(course.name)
            p.setPen(theme.color("faint"))
            box = QRectF(x + 24, y - 8, width + 2, 16)
            p.drawText(box, Qt.AlignmentFlag.AlignVCenter, course.name)
            x += 24 + width + 14

    def hint_at(self, point: QPoint) -> str:
        """The values at the nearest place."""
        if not self.at:
            return ""
        far = [abs(self._point(x, 0.0).x() - point.x()) for x in self.at]
        near = int(np.argmin(far))
        if far[near] > NEAR_PX:
            return ""
        where = self.labels[near] if self.labels else f"{self.at[near]:.1f}"
        lines = [f"{self.across} {where}"]
        lines += [
            f"{c.name}: {c.values[near]:.1f}" for c in self.courses if np.isfinite(c.values[near])
        ]
        return "\n".join(lines)

    def event(self, event: QEvent) -> bool:
        """Explain what is under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)
