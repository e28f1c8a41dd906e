"""Painting of balance tiles and their headers."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QPainter, QPen, QPolygonF

from ..core.decision import Source
from .theme import Theme, font
from .tile_view import TileView

RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
CENTER = Qt.AlignmentFlag.AlignCenter


def paint_headers(
    painter: QPainter, view: TileView, theme: Theme, left: int, top: int, size: tuple[float, float]
) -> None:
    """Axis points with the time spent in each column and row as small bars."""
    table, (w, h) = view.table, size
    painter.setFont(font(8))
    if len(table.axes) == 1:
        painter.setPen(theme.color("faint"))
        painter.drawText(QRectF(left, 2, 400, top - 4), Qt.AlignmentFlag.AlignVCenter, f"{table.name} curve, {table.unit} over {table.axes[0].unit}")
        return
    rows, columns = table.axes
    seconds = view.seconds.reshape(table.shape)
    painter.setPen(theme.color("faint"))
    painter.drawText(QRectF(2, 1, left - 6, top / 2), RIGHT, columns.unit)
    painter.drawText(QRectF(2, top / 2, left - 6, top / 2), RIGHT, rows.unit)
    for i, (x, spent) in enumerate(zip(columns.points, _shares(seconds.sum(axis=0)), strict=True)):
        cell = QRectF(left + i * w, 0, w, top)
        painter.fillRect(QRectF(cell.x() + 4, top - 4, (w - 8) * spent, 3), theme.color("accent", 0.75))
        painter.setPen(theme.color("ink"))
        painter.drawText(cell.adjusted(0, 4, -5, -8), RIGHT, f"{x:g}")
    for j, (y, spent) in enumerate(zip(rows.points, _shares(seconds.sum(axis=1)), strict=True)):
        cell = QRectF(0, top + j * h, left, h)
        painter.fillRect(QRectF(left - 5, cell.y() + 3 + (h - 6) * (1 - spent), 3, (h - 6) * spent), theme.color("accent", 0.75))
        painter.setPen(theme.color("ink"))
        painter.drawText(cell.adjusted(2, 0, -10, 0), RIGHT, f"{y:g}")


def _shares(seconds: np.ndarray) -> np.ndarray:
    top = seconds.max() if seconds.size else 0.0
    return np.sqrt(seconds / top) if top > 0 else np.zeros_like(seconds)


def paint_tiles(
    painter: QPainter, view: TileView, theme: Theme, rect_of: Callable[[int], QRectF], chosen: frozenset[int]
) -> None:
    """Every tile: paper or hatch, bar with whisker, number, marks, selection."""
    hatch = QBrush(theme.color("faint", 0.22), Qt.BrushStyle.BDiagPattern)
    edge = QPen(theme.color("edge", 0.8), 0.6)
    painter.setFont(font(8.5))
    for cell in range(view.table.size):
        rect = rect_of(cell).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(edge)
        painter.setBrush(theme.color("paper" if view.seconds[cell] > 0.05 else "sheet"))
        painter.drawRect(rect)
        if view.seconds[cell] <= 0.05:
            painter.fillRect(rect, hatch)
        _bar(painter, view, theme, rect, cell)
        painter.setPen(theme.color("ink", 1.0 if view.seconds[cell] > 0.05 else 0.72))
        painter.drawText(rect.adjusted(3, 1, -4, -rect.height() * 0.36), RIGHT, view.text[cell])
        if len(view.table.axes) == 1:
            _curve_point(painter, view, theme, rect, cell)
        _marks(painter, view, theme, rect, cell)
    _selection(painter, theme, rect_of, chosen)


def _bar(painter: QPainter, view: TileView, theme: Theme, rect: QRectF, cell: int) -> None:
    pct = view.bar_pct[cell]
    if view.seconds[cell] <= 0.05 and view.source[cell] == Source.UNTOUCHED:
        return
    middle, y = rect.center().x(), rect.bottom() - rect.height() * 0.24
    half, thick = rect.width() / 2 - 4, max(4.0, rect.height() * 0.2)
    painter.setPen(QPen(theme.color("faint", 0.8), 1.0))
    painter.drawLine(QPointF(middle, y - thick * 0.75), QPointF(middle, y + thick * 0.75))
    if not np.isfinite(pct):
        return
    length = float(np.clip(pct / view.scale_pct, -1, 1)) * half
    ink = theme.color("add" if pct > 0 else "remove", 0.3 + 0.7 * float(view.solidity[cell]))
    painter.fillRect(QRectF(min(middle, middle + length), y - thick / 2, abs(length), thick), ink)
    error = view.error_pct[cell]
    if np.isfinite(error) and view.seconds[cell] > 0.05:
        reach = min(float(error) / view.scale_pct, 1.0) * half
        low, high = max(middle + length - reach, rect.left() + 2), min(middle + length + reach, rect.right() - 2)
        painter.setPen(QPen(theme.color("ink", 0.8), 1.0))
        painter.drawLine(QPointF(low, y), QPointF(high, y))


def _curve_point(painter: QPainter, view: TileView, theme: Theme, rect: QRectF, cell: int) -> None:
    painter.setPen(theme.color("faint"))
    painter.setFont(font(7))
    painter.drawText(
        rect.adjusted(3, 2, -2, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, f"{view.table.axes[0].points[cell]:g}"
    )
    painter.setFont(font(8.5))


def _marks(painter: QPainter, view: TileView, theme: Theme, rect: QRectF, cell: int) -> None:
    """Corner marks: filled triangle = accepted, hollow diamond = by hand, padlock = pinned."""
    x, y = rect.left(), rect.top()
    if view.source[cell] == Source.ACCEPTED:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("accent"))
        painter.drawPolygon(QPolygonF([QPointF(x, y), QPointF(x + 8, y), QPointF(x, y + 8)]))
    elif view.source[cell] == Source.BY_HAND:
        painter.setPen(QPen(theme.color("accent"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolygon(QPolygonF([QPointF(x + 6, y + 2), QPointF(x + 10, y + 6), QPointF(x + 6, y + 10), QPointF(x + 2, y + 6)]))
    if view.pinned[cell]:
        painter.setPen(QPen(theme.color("ink"), 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawArc(QRectF(x + 4, y + 2.5, 5, 7), 0, 180 * 16)
        painter.fillRect(QRectF(x + 3, y + 6, 7, 5), theme.color("ink"))


def _selection(painter: QPainter, theme: Theme, rect_of: Callable[[int], QRectF], chosen: frozenset[int]) -> None:
    painter.setBrush(theme.color("select", 0.12))
    painter.setPen(QPen(theme.color("select"), 2.0))
    for cell in chosen:
        painter.drawRect(rect_of(cell).adjusted(1, 1, -1, -1))
