"""A table as it was understood, small: numbers on their axes, or a curve."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from lean_trim.core.data.tables import Table
from lean_trim.core.text import evenly_written
from lean_trim.core.types import Floats
from lean_trim.formats.tables import table_text
from lean_trim.ui.theme import Appearance, font
from lean_trim.ui.widgets.picture import offer_picture

LEFT = 58.0
TOP = 40.0
LEAST_ROW_H = 14.0
MOST_ROW_H = 26.0
PADDING = 8.0
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class GridPreview(QWidget):
    """Paints a table; ``empty`` is said where there is none."""

    def __init__(self, appearance: Appearance, empty: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.empty = empty
        self.table: Table | None = None
        self.cells: Floats | None = None
        self.setMinimumHeight(120)
        offer_picture(
            self, "table", lambda: "" if self.table is None else table_text(self.table, "\t")
        )
        appearance.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """Room for a usual table."""
        return QSize(560, 360)

    def show_table(self, table: Table | None, cells: Floats | None = None) -> None:
        """Show another one, or bare cells whose axes are not known yet."""
        self.table = table
        self.cells = cells
        words = "no table" if table is None else " by ".join(str(n) for n in table.shape)
        self.setAccessibleName(f"Table, {words}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """The table, or what is said instead."""
        theme = self.appearance.theme
        p = QPainter(self)
        p.fillRect(self.rect(), theme.color("sheet"))
        p.setPen(theme.color("edge"))
        p.drawRect(self.rect().adjusted(0, 0, -1, -1))
        if self.table is None and self.cells is not None:
            unknown = ("?",) * max(self.cells.shape)
            self._numbers(p, self.cells, unknown, unknown, "Axes are not known yet", "")
        elif self.table is None:
            p.setFont(font(9.5))
            p.setPen(theme.color("faint"))
            area = self.rect().adjusted(20, 10, -20, -10)
            p.drawText(area, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.empty)
        elif len(self.table.axes) == 1:
            self._curve(p, self.table)
        else:
            self._grid(p, self.table)

    def _grid(self, p: QPainter, table: Table) -> None:
        rows, columns = table.axes
        heads = evenly_written(columns.shown.tolist())
        ends = evenly_written(rows.shown.tolist())
        self._numbers(p, table.shown, ends, heads, _caption(table), rows.shown_unit)

    def _numbers(
        self,
        p: QPainter,
        cells: Floats,
        ends: tuple[str, ...],
        heads: tuple[str, ...],
        caption: str,
        row_unit: str,
    ) -> None:
        theme = self.appearance.theme
        count_rows, count_columns = cells.shape
        flat = evenly_written(cells.ravel().tolist())
        row_h = min(MOST_ROW_H, (self.height() - TOP - PADDING) / count_rows)
        size = 8.5 if row_h >= LEAST_ROW_H else 7.0
        metrics = QFontMetricsF(font(size))
        widest = max(metrics.horizontalAdvance(t) for t in (*heads, *flat)) + PADDING
        room = self.width() - LEFT - PADDING
        # Where not every column has room, the last ones matter as much as the first.
        shown_columns = _some(count_columns, max(2, int(room / widest)))
        shown_rows = _some(count_rows, max(2, int((self.height() - TOP - PADDING) / LEAST_ROW_H)))
        row_h = min(MOST_ROW_H, (self.height() - TOP - PADDING) / len(shown_rows))
        step = min(room / len(shown_columns), widest * 1.6)
        p.setFont(font(8))
        p.setPen(theme.color("faint"))
        p.drawText(QRectF(6, 2, 400, 16), Qt.AlignmentFlag.AlignVCenter, caption)
        p.drawText(QRectF(0, 20, LEFT - 4, 16), RIGHT, row_unit)
        p.setFont(font(size, bold=True))
        p.setPen(theme.color("ink"))
        for i, j in enumerate(shown_columns):
            p.drawText(
                QRectF(LEFT + i * step, 20, step - 3, 16), RIGHT, heads[j] if j >= 0 else "…"
            )
        for y, i in enumerate(shown_rows):
            top = TOP + y * row_h
            p.setFont(font(size, bold=True))
            p.setPen(theme.color("ink"))
            p.drawText(QRectF(0, top, LEFT - 4, row_h), RIGHT, ends[i] if i >= 0 else "…")
            p.setFont(font(size))
            for x, j in enumerate(shown_columns):
                text = flat[i * count_columns + j] if i >= 0 and j >= 0 else "…"
                p.drawText(QRectF(LEFT + x * step, top, step - 3, row_h), RIGHT, text)
        p.setPen(QPen(theme.color("edge"), 1.0))
        p.drawLine(QPointF(LEFT, TOP - 2), QPointF(LEFT + step * len(shown_columns), TOP - 2))

    def _curve(self, p: QPainter, table: Table) -> None:
        theme = self.appearance.theme
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = table.axes[0].shown
        y = table.shown
        area = QRectF(LEFT, TOP, self.width() - LEFT - 20, self.height() - TOP - 34)
        p.setFont(font(8))
        p.setPen(theme.color("faint"))
        p.drawText(QRectF(6, 2, 400, 16), Qt.AlignmentFlag.AlignVCenter, _caption(table))
        across = area.left() + (x - x[0]) / (x[-1] - x[0]) * area.width()
        up = area.bottom() - y / float(y.max()) * area.height()
        p.drawText(QRectF(0, TOP - 8, LEFT - 4, 16), RIGHT, f"{y.max():.4g}")
        p.drawText(QRectF(0, area.bottom() - 8, LEFT - 4, 16), RIGHT, "0")
        below = QRectF(area.left(), area.bottom() + 6, area.width(), 16)
        p.drawText(below, Qt.AlignmentFlag.AlignLeft, f"{x[0]:g} {table.axes[0].shown_unit}")
        p.drawText(below, RIGHT, f"{x[-1]:g} {table.axes[0].shown_unit}")
        p.setPen(QPen(theme.color("edge"), 1.0))
        p.drawLine(area.bottomLeft(), area.bottomRight())
        p.drawLine(area.bottomLeft(), area.topLeft())
        p.setPen(QPen(theme.color("accent"), 1.6))
        points = [QPointF(a, b) for a, b in zip(across.tolist(), up.tolist(), strict=True)]
        p.drawPolyline(QPolygonF(points))
        p.setBrush(theme.color("accent"))
        for point in points:
            p.drawEllipse(point, 2.2, 2.2)


def _caption(table: Table) -> str:
    if len(table.axes) == 1:
        return f"{len(table.axes[0])} points, {table.shown_unit} over {table.axes[0].shown_unit}"
    rows, columns = table.shape
    size = f"{rows} rows × {columns} columns"
    return f"{table.name}, {table.shown_unit}: {size}; engine speed, rpm, runs across"


def _some(count: int, room: int) -> list[int]:
    """Which of ``count`` are shown where ``room`` fit; -1 stands for those between."""
    if count <= room:
        return list(range(count))
    last = max(1, room // 3)
    return [*np.arange(room - last - 1).tolist(), -1, *range(count - last, count)]
