"""The injector chart: dots and lines of a view, or the cells that would have been bent."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from lean_trim.core.injectors.mistaken import mistaken_cells
from lean_trim.core.pipeline.injectors import InjectorReport
from lean_trim.core.text import evenly_written, signed
from lean_trim.core.types import Floats
from lean_trim.features.injectors.desk.curves import CELLS, VIEWS, Curves, Line
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.picture import columns_text, offer_picture

LEFT = 50.0
RIGHT = 16.0
TOP = 44.0
BOTTOM = 34.0
FULL_S = 20.0
"""Driving at which a place is drawn solid."""
FULL_PCT = 20.0
"""Bend at which a cell is filled."""
EMPTY = "Every driven state becomes a dot here: how much more or less fuel it needs, over the open time."
STYLES = {
    "solid": Qt.PenStyle.SolidLine,
    "dashed": Qt.PenStyle.DashLine,
    "dotted": Qt.PenStyle.DotLine,
}


class InjectorChart(QWidget):
    """Paints a report."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.report: InjectorReport | None = None
        self.view = next(iter(VIEWS))
        self.setMinimumHeight(180)
        self.setAccessibleName("Fuel asked over open time")
        appearance.changed.connect(self.update)
        offer_picture(self, "injectors", self.numbers)

    def numbers(self) -> str:
        """Dots and lines of the view, or the cells."""
        if self.report is None:
            return ""
        if self.view == CELLS:
            table = self.report.solution.estimate.table
            bent = mistaken_cells(self.report.places, self.report.split, table.size)
            return columns_text({"bent, %": bent})
        curves = VIEWS[self.view](self.report)
        lines = {f"{line.words}, {curves.unit}": line.y for line in curves.lines}
        dots = {f"dot: {curves.across}": curves.dots_x, f"dot, {curves.unit}": curves.dots_y}
        seconds = {"dot, s of driving": curves.seconds}
        return columns_text({curves.across: curves.x, **lines, **dots, **seconds})

    def sizeHint(self) -> QSize:
        """Room for the dots."""
        return QSize(560, 300)

    def show_report(self, report: InjectorReport | None) -> None:
        """Show another one."""
        self.report = report
        self.update()

    def show_view(self, view: str) -> None:
        """Show it another way."""
        self.view = view
        self.setAccessibleName(f"Injectors: {view}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Dots, lines, axes."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("sheet"))
        p.setPen(theme.color("edge"))
        p.drawRect(self.rect().adjusted(0, 0, -1, -1))
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.report is None:
            p.setFont(font(9.5))
            p.setPen(theme.color("faint"))
            center = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            p.drawText(self.rect().adjusted(20, 10, -20, -10), center, EMPTY)
            return
        if self.view == CELLS:
            self._cells(p, self.report)
        else:
            self._paint(p, VIEWS[self.view](self.report))

    def _paint(self, p: QPainter, curves: Curves) -> None:
        area = QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)
        scale = _Scale(area, float(curves.x[0]), float(curves.x[-1]), curves.low, curves.high)
        self._axes(p, scale, curves)
        self._dots(p, scale, curves.dots_x, curves.dots_y, curves.seconds)
        for line in curves.lines:
            self._line(p, scale, curves.x, line)
        self._legend(p, curves)

    def _axes(self, p: QPainter, scale: _Scale, curves: Curves) -> None:
        theme = self.appearance.theme
        p.setFont(font(8))
        p.setPen(theme.color("faint"))
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for value in _ticks(scale.low, scale.high):
            y = scale.y(value)
            p.setPen(QPen(theme.color("edge", 1.0 if value == 0.0 else 0.45), 1.0))
            p.drawLine(QPointF(scale.area.left(), y), QPointF(scale.area.right(), y))
            p.setPen(theme.color("faint"))
            text = f"{signed(value, 0)} %" if curves.unit == "%" else f"{value:g} {curves.unit}"
            p.drawText(QRectF(0, y - 8, LEFT - 6, 16), right, text)
        for value in _ticks(scale.first, scale.last):
            x = scale.x(value)
            p.drawText(
                QRectF(x - 30, scale.area.bottom() + 4, 60, 14),
                Qt.AlignmentFlag.AlignCenter,
                f"{value:g}",
            )
        below = QRectF(scale.area.left(), scale.area.bottom() + 17, scale.area.width(), 14)
        p.drawText(below, Qt.AlignmentFlag.AlignRight, curves.across)

    def _dots(self, p: QPainter, scale: _Scale, x: Floats, y: Floats, seconds: Floats) -> None:
        theme = self.appearance.theme
        p.setPen(Qt.PenStyle.NoPen)
        solid = np.clip(np.log1p(seconds) / np.log1p(FULL_S), 0.15, 1.0)
        for a, b, s in zip(x.tolist(), y.tolist(), solid.tolist(), strict=True):
            if scale.low <= b <= scale.high:
                p.setBrush(theme.color("ink", 0.55 * s))
                p.drawEllipse(QPointF(scale.x(a), scale.y(b)), 2.2, 2.2)
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _line(self, p: QPainter, scale: _Scale, x: Floats, line: Line) -> None:
        p.setPen(QPen(self.appearance.theme.color(line.purpose), 2.0, STYLES[line.style]))
        points = [
            QPointF(scale.x(a), scale.y(b))
            for a, b in zip(x.tolist(), line.y.tolist(), strict=True)
            if scale.low <= b <= scale.high
        ]
        p.drawPolyline(QPolygonF(points))

    def _legend(self, p: QPainter, curves: Curves) -> None:
        theme = self.appearance.theme
        p.setFont(font(8.5))
        x = 10.0
        p.setPen(theme.color("ink"))
        p.drawText(QRectF(x, 4, self.width() - 20, 16), Qt.AlignmentFlag.AlignVCenter, curves.head)
        for line in curves.lines:
            p.setPen(QPen(theme.color(line.purpose), 2.0, STYLES[line.style]))
            p.drawLine(QPointF(x, 30), QPointF(x + 24, 30))
            p.setPen(theme.color("ink"))
            p.drawText(QRectF(x + 30, 22, 140, 16), Qt.AlignmentFlag.AlignVCenter, line.words)
            x += 44 + p.fontMetrics().horizontalAdvance(line.words)

    def _cells(self, p: QPainter, report: InjectorReport) -> None:
        """Cells of the airflow table, and how far flow and dead time alone would have bent them."""
        theme = self.appearance.theme
        table = report.solution.estimate.table
        bent = mistaken_cells(report.places, report.split, table.size)
        axes = table.axes if len(table.axes) == 2 else (None, table.axes[0])
        rows = axes[0]
        columns = axes[1]
        assert columns is not None
        grid = bent.reshape(1 if rows is None else len(rows), len(columns))
        p.setFont(font(8.5))
        p.setPen(theme.color("ink"))
        said = "Percent that flow and dead time would have bent the airflow table by, where driven"
        p.drawText(QRectF(10, 4, self.width() - 20, 16), Qt.AlignmentFlag.AlignVCenter, said)
        step_x = (self.width() - LEFT - RIGHT) / grid.shape[1]
        step_y = min(26.0, (self.height() - TOP - 8.0) / grid.shape[0])
        center = Qt.AlignmentFlag.AlignCenter
        p.setFont(font(7.5))
        p.setPen(theme.color("faint"))
        ends = evenly_written(rows.shown.tolist()) if rows is not None else ("",)
        unit = rows.shown_unit if rows is not None else columns.shown_unit
        p.drawText(QRectF(0, TOP - 18, LEFT - 4, 16), Qt.AlignmentFlag.AlignRight, unit)
        for j, text in enumerate(evenly_written(columns.shown.tolist())):
            p.drawText(QRectF(LEFT + j * step_x, TOP - 18, step_x, 16), center, text)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for i, text in enumerate(ends):
            p.setPen(theme.color("faint"))
            p.drawText(QRectF(0, TOP + i * step_y, LEFT - 6, step_y), right, text)
            for j in range(grid.shape[1]):
                self._cell(
                    p,
                    QRectF(LEFT + j * step_x, TOP + i * step_y, step_x, step_y),
                    float(grid[i, j]),
                )

    def _cell(self, p: QPainter, area: QRectF, percent: float) -> None:
        theme = self.appearance.theme
        inner = area.adjusted(0.5, 0.5, -0.5, -0.5)
        if not np.isfinite(percent):
            p.fillRect(inner, theme.color("paper"))
            return
        strength = 0.12 + 0.5 * min(abs(percent) / FULL_PCT, 1.0)
        p.fillRect(inner, theme.color("add" if percent > 0.0 else "remove", strength))
        p.setPen(theme.color("ink"))
        p.drawText(inner, Qt.AlignmentFlag.AlignCenter, signed(percent, 0))


class _Scale:
    """Where values lie in the picture."""

    def __init__(self, area: QRectF, first: float, last: float, low: float, high: float) -> None:
        self.area = area
        self.first = first
        self.last = max(last, first + 1e-3)
        self.low = low
        self.high = high

    def x(self, value: float) -> float:
        return (
            self.area.left() + (value - self.first) / (self.last - self.first) * self.area.width()
        )

    def y(self, value: float) -> float:
        return self.area.bottom() - (value - self.low) / (self.high - self.low) * self.area.height()


def _ticks(low: float, high: float, about: int = 6) -> list[float]:
    """Round values within a range."""
    rough = (high - low) / about
    base = 10.0 ** np.floor(np.log10(rough))
    step = float(base * next(m for m in (1.0, 2.0, 5.0, 10.0) if m * base >= rough))
    return [
        float(v)
        for v in np.round(np.arange(np.ceil(low / step), np.floor(high / step) + 1) * step, 6)
    ]
