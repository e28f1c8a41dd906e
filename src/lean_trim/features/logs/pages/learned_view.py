"""A learned map as a small sheet: which way and how far each cell was learned, and what it is taken for."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.learned.reading import STATE_WORDS, CellState, LearnedReading
from lean_trim.core.text import evenly_written, signed
from lean_trim.ui.theme import Appearance, Theme, font
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import offer_picture

HEAD_W = 34
HEAD_H = 18
ROW_PX = 17.0
LEAST_FULL_PCT = 5.0
"""Least trim whose bar fills its cell, percent: small ones are not to look large."""
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class LearnedView(QWidget):
    """A cell learned is a bar upwards for fuel added, downwards for fuel taken out, from the middle.

    Spread cells are hollow, a flare is crossed out, what was not visited is hatched. A click chooses the
    cells of the table it stands for.
    """

    chosen = Signal(int)
    """Flat index of a cell of the map."""

    def __init__(self, appearance: Appearance, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.reading: LearnedReading | None = None
        self.setAccessibleName("Learned map")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        appearance.changed.connect(self.update)
        offer_picture(self, "learned map", self.numbers)

    def show_reading(self, reading: LearnedReading | None) -> None:
        """Show another map, or none."""
        self.reading = reading
        if reading is not None:
            self.setFixedHeight(int(HEAD_H + ROW_PX * len(reading.table.axes[0]) + 2))
        self.update()

    def numbers(self) -> str:
        """The trims, percent, on their axes, tab-separated."""
        if self.reading is None:
            return ""
        rows, columns = self.reading.table.axes
        corner = f"{rows.shown_unit}\\{columns.shown_unit}"
        lines = ["\t".join([corner, *evenly_written(columns.shown.tolist())])]
        for point, trims in zip(
            evenly_written(rows.shown.tolist()), self.reading.trim_pct, strict=True
        ):
            lines.append("\t".join([point, *(f"{t:g}" for t in np.round(trims, 6))]))
        return "\n".join(lines)

    def _tile(self) -> tuple[float, float]:
        assert self.reading is not None
        rows, columns = self.reading.table.shape
        return (self.width() - HEAD_W - 2) / columns, (self.height() - HEAD_H - 2) / rows

    def tile_rect(self, cell: int) -> QRectF:
        """Where a cell is painted."""
        assert self.reading is not None
        row, column = divmod(cell, self.reading.table.shape[1])
        w, h = self._tile()
        return QRectF(HEAD_W + column * w, HEAD_H + row * h, w, h)

    def cell_at(self, point: QPoint) -> int | None:
        """The cell under a point."""
        if self.reading is None:
            return None
        w, h = self._tile()
        rows, columns = self.reading.table.shape
        column = int((point.x() - HEAD_W) // w)
        row = int((point.y() - HEAD_H) // h)
        inside = 0 <= row < rows and 0 <= column < columns
        return row * columns + column if inside else None

    def hint_at(self, point: QPoint) -> str:
        """A cell in words."""
        cell = self.cell_at(point)
        if cell is None or self.reading is None:
            return ""
        rows, columns = self.reading.table.axes
        row, column = divmod(cell, len(columns))
        state = CellState(int(self.reading.state.ravel()[cell]))
        trim = float(self.reading.trim_pct.ravel()[cell])
        learned = f"{signed(trim)} %, {STATE_WORDS[state]}" if state else STATE_WORDS[state]
        at = (
            f"{rows.shown[row]:g} {rows.shown_unit}, {columns.shown[column]:g} {columns.shown_unit}"
        )
        return f"{at}: {learned}"

    def event(self, event: QEvent) -> bool:
        """Explain the cell under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose what a cell stands for."""
        cell = self.cell_at(event.position().toPoint())
        if event.button() == Qt.MouseButton.LeftButton and cell is not None:
            self.chosen.emit(cell)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Heads and cells."""
        p = QPainter(self)
        theme = self.appearance.theme
        p.fillRect(self.rect(), theme.color("sheet"))
        if self.reading is None:
            return
        self._heads(p, theme)
        states = self.reading.state.ravel().tolist()
        full = max(LEAST_FULL_PCT, float(np.abs(self.reading.trim_pct).max()))
        for cell, trim in enumerate(self.reading.trim_pct.ravel().tolist()):
            box = self.tile_rect(cell).adjusted(0.5, 0.5, -0.5, -0.5)
            self._cell(p, theme, box, trim / full, states[cell])

    def _heads(self, p: QPainter, theme: Theme) -> None:
        assert self.reading is not None
        rows, columns = self.reading.table.axes
        p.setPen(theme.color("faint"))
        p.setFont(font(7.5))
        p.drawText(QRectF(0, 0, HEAD_W - 4, HEAD_H), RIGHT, rows.shown_unit)
        w, h = self._tile()
        free = float(HEAD_W)
        for i, text in enumerate(evenly_written(columns.shown.tolist())):
            wide = p.fontMetrics().horizontalAdvance(text)
            middle = HEAD_W + (i + 0.5) * w
            left = min(middle - wide / 2.0, self.width() - wide - 1.0)
            # Where points crowd, those that would run into each other go unnamed.
            if left >= free:
                p.drawText(QPointF(left, HEAD_H - 5), text)
                free = left + wide + 6.0
        for j, text in enumerate(evenly_written(rows.shown.tolist())):
            p.drawText(QRectF(0, HEAD_H + j * h, HEAD_W - 4, h), RIGHT, text)

    def _cell(self, p: QPainter, theme: Theme, box: QRectF, share: float, state: int) -> None:
        p.setPen(QPen(theme.color("edge", 0.6), 1.0))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(box)
        if state == CellState.UNVISITED:
            p.fillRect(box, QBrush(theme.color("edge", 0.7), Qt.BrushStyle.BDiagPattern))
            return
        middle = box.center().y()
        p.setPen(QPen(theme.color("faint", 0.5), 1.0))
        p.drawLine(QPointF(box.left() + 1, middle), QPointF(box.right() - 1, middle))
        reach = max(1.5, abs(share) * (box.height() / 2.0 - 1.0))
        bar = QRectF(box.left() + 2, middle, box.width() - 4, reach)
        if share > 0:
            bar.moveBottom(middle)
        ink = theme.color("add" if share > 0 else "remove")
        if state == CellState.SPREAD:
            p.setPen(QPen(ink, 1.0, Qt.PenStyle.DotLine))
            p.drawRect(bar)
            return
        p.fillRect(bar, ink)
        if state == CellState.FLARE:
            p.setPen(QPen(theme.color("ink"), 1.4))
            p.drawLine(box.topLeft(), box.bottomRight())
            p.drawLine(box.topRight(), box.bottomLeft())
