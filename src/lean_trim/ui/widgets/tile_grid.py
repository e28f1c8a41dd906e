"""A table as tiles: the same layout, choice by hand and keys, and painting for every table of the program."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, QSize, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPaintEngine,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.tile_paint import paint_chosen, paint_headers, paint_tiles
from lean_trim.ui.widgets.tile_scroll import BAR_PX, Room, TileScroll, draw_moved, room_for
from lean_trim.ui.widgets.tile_view import TileView
from lean_trim.workspace.shaping import COARSE_PCT, FINE_PCT

HEAD_W = 58
HEAD_H = 34
MARGIN = 4
NUDGE_SIGNS = {Qt.Key.Key_PageUp: 1.0, Qt.Key.Key_PageDown: -1.0}
CONTROL_OR_SHIFT = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


class TileGrid(QWidget):
    """Shows a view; cells are chosen by mouse or keys, typed over, nudged.

    Arrows move, Shift extends, Ctrl+Space chooses the column, Shift+Space the row. Whoever inherits says
    where the choice is kept (``chosen``, ``choose``) and what the tiles mean (``describe``, ``hint_at``).
    """

    typed = Signal(str)
    hovered = Signal(str)
    nudged = Signal(float, bool)
    """Percent, and whether the key is still held."""
    menu_wanted = Signal(QPoint)
    resized = Signal()

    def __init__(self, appearance: Appearance, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.appearance = appearance
        self.view: TileView | None = None
        self.foot = 0
        self.current = 0
        self.anchor = 0
        self._picture: tuple[object, QPixmap] | None = None
        self._painted: TileView | None = None
        self._rects: tuple[object, list[QRectF]] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(name)
        appearance.changed.connect(self.paint_anew)
        self.bars = TileScroll(self, self.update)

    # ---- what whoever inherits says --------------------------------------------------------------

    @property
    def chosen(self) -> frozenset[int]:
        """Flat indices of the chosen cells."""
        return frozenset()

    def choose(self, cells: frozenset[int], done: bool = True) -> None:
        """Choose cells; ``done`` is False while a drag goes on."""

    def choose_nothing(self) -> None:
        """Give the choice up."""
        self.choose(frozenset())

    def choice_made(self) -> None:
        """A drag over tiles has ended."""

    def describe(self, cell: int) -> str:
        """One line about a cell."""
        return ""

    def hint_at(self, point: QPoint) -> str:
        """What is painted under a point, in words."""
        return ""

    def paint_over(self, painter: QPainter, size: tuple[float, float]) -> None:
        """What lies over tiles and choice."""

    def show_view(self, view: TileView | None) -> None:
        """Show other arrays; the tiles that look different are painted anew."""
        self.view = view
        if view is not None:
            self.current = min(self.current, view.table.size - 1)
            self.anchor = min(self.anchor, view.table.size - 1)
        self.fit()
        self.update()

    def fit(self) -> None:
        """Lay the tiles out; those that do not fit are reached by bars."""
        if self.view is not None:
            self.bars.fit(self.room())

    def paint_anew(self) -> None:
        """Another theme or size: every tile looks different."""
        self._picture = None
        self.fit()
        self.update()

    # ---- layout ----------------------------------------------------------------------------------

    @property
    def head_w(self) -> int:
        """Room for the rows' points; a curve has its points in its tiles."""
        is_curve = self.view is not None and len(self.view.table.axes) == 1
        return MARGIN if is_curve else HEAD_W

    def tile_size(self) -> tuple[float, float]:
        """Width and height of a tile in pixels."""
        return self.room().tile

    def room(self) -> Room:
        """How the tiles lie in the widget as it is now."""
        assert self.view is not None
        head = (self.head_w, HEAD_H)
        return room_for(
            self.size(), head, MARGIN, self.view.rows, self.view.columns, foot=self.foot
        )

    def whole_size(self) -> QSize:
        """The least size at which every tile is seen."""
        room = self.room()
        if room.beyond.isNull():
            return self.size()
        return room.whole + QSize(MARGIN + BAR_PX, MARGIN + BAR_PX + self.foot)

    def tile_rect(self, cell: int, size: tuple[float, float] | None = None) -> QRectF:
        """Where a cell is seen, or would be if it were not moved below the heads."""
        return self._whole_rect(cell, size).translated(QPointF(-self.bars.offset))

    def _whole_rect(self, cell: int, size: tuple[float, float] | None = None) -> QRectF:
        """Where a cell lies in the whole table."""
        assert self.view is not None
        w, h = size or self.tile_size()
        row, column = divmod(cell, self.view.columns)
        # On whole pixels, so that one tile can be painted anew without a trace on its neighbours.
        left, right = round(self.head_w + column * w), round(self.head_w + (column + 1) * w)
        top, foot = round(HEAD_H + row * h), round(HEAD_H + (row + 1) * h)
        return QRectF(left, top, right - left, foot - top)

    def cell_at(self, point: QPoint) -> int | None:
        """The cell under a point."""
        if self.view is None:
            return None
        column = self.column_at(point)
        row = self.row_at(point)
        if column is None or row is None:
            return None
        cell = row * self.view.columns + column
        return cell if cell < self.view.table.size else None

    def column_at(self, point: QPoint) -> int | None:
        """The column under a point, also under its head; None beside the tiles."""
        room = self.room()
        across = point.x() - self.head_w
        if self.view is None or not 0 <= across < room.body.width():
            return None
        column = int((across + self.bars.offset.x()) // room.tile[0])
        return column if column < self.view.columns else None

    def row_at(self, point: QPoint) -> int | None:
        """The row under a point, also under its head; None beside the tiles."""
        room = self.room()
        down = point.y() - HEAD_H
        if self.view is None or not 0 <= down < room.body.height():
            return None
        row = int((down + self.bars.offset.y()) // room.tile[1])
        return row if row < self.view.rows else None

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What lies over the tiles lies elsewhere now."""
        super().resizeEvent(event)
        self.fit()
        self.resized.emit()

    # ---- painting --------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Headers, tiles, and the frame of the current cell while the table has the focus."""
        painter = QPainter(self)
        theme = self.appearance.theme
        if self.view is None:
            painter.fillRect(self.rect(), theme.color("sheet"))
            return
        size = self.tile_size()
        if painter.paintEngine().type() is QPaintEngine.Type.SVG:
            # A picture in lines stays one: figures can be searched, and nothing is blurred.
            self._paint_tiles(painter, size)
        else:
            self._draw(painter, size)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_chosen(
            painter, theme, lambda cell: self.tile_rect(cell, size), self.chosen, self.view.columns
        )
        self.paint_over(painter, size)
        if self.hasFocus():
            painter.setPen(theme.color("ink"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.tile_rect(self.current).adjusted(2.5, 2.5, -2.5, -2.5))

    def _draw(self, painter: QPainter, size: tuple[float, float]) -> None:
        """The picture of heads and tiles, these as far moved as the bars are."""
        room = self.room()
        picture = self._tiles(size)
        if room.beyond.isNull():
            painter.drawPixmap(0, 0, picture)
            return
        painter.fillRect(self.rect(), self.appearance.theme.color("sheet"))
        draw_moved(painter, picture, room, self.bars.offset)
        # What lies over the tiles is moved with them, and does not reach over the heads.
        painter.setClipRect(QRectF(*room.head, room.body.width(), room.body.height()))

    def _tiles(self, size: tuple[float, float]) -> QPixmap:
        """Heads and tiles as they were painted last; a choice or a moment changes none of them."""
        assert self.view is not None
        ratio = self.devicePixelRatioF()
        whole = self.size().expandedTo(self.room().whole)
        key = (whole, ratio)
        if self._picture is not None and self._picture[0] == key:
            self._mend(self._picture[1], size)
        else:
            picture = QPixmap((QSizeF(whole) * ratio).toSize())
            picture.setDevicePixelRatio(ratio)
            painter = QPainter(picture)
            self._paint_tiles(painter, size)
            painter.end()
            self._picture = (key, picture)
            self._painted = self.view
        return self._picture[1]

    def _mend(self, picture: QPixmap, size: tuple[float, float]) -> None:
        """Paint those tiles anew that look different now."""
        assert self.view is not None
        if self._painted is self.view:
            return
        cells = self.view.apart(self._painted) if self._painted is not None else None
        painter = QPainter(picture)
        if cells is None:
            self._paint_tiles(painter, size)
        elif cells:
            theme = self.appearance.theme
            for cell in cells:
                painter.fillRect(self._whole_rect(cell, size), theme.color("sheet"))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_cells(painter, size, cells)
        painter.end()
        self._painted = self.view

    def _paint_tiles(self, painter: QPainter, size: tuple[float, float]) -> None:
        assert self.view is not None
        theme = self.appearance.theme
        whole = self.size().expandedTo(self.room().whole)
        painter.fillRect(QRect(QPoint(0, 0), whole), theme.color("sheet"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_headers(painter, self.view, theme, self.head_w, HEAD_H, size)
        self._paint_cells(painter, size)

    def _inner_rects(self, size: tuple[float, float]) -> list[QRectF]:
        """Where every cell is painted, kept while the tiles lie as they do."""
        assert self.view is not None
        key = (size, self.head_w, self.view.rows, self.view.columns, self.view.table.size)
        if self._rects is None or self._rects[0] != key:
            w, h = size
            left = [round(self.head_w + i * w) for i in range(self.view.columns + 1)]
            top = [round(HEAD_H + j * h) for j in range(self.view.rows + 1)]
            places = (divmod(c, self.view.columns) for c in range(self.view.table.size))
            rects = [
                QRectF(
                    left[i] + 0.5,
                    top[j] + 0.5,
                    left[i + 1] - left[i] - 1.0,
                    top[j + 1] - top[j] - 1.0,
                )
                for j, i in places
            ]
            self._rects = (key, rects)
        return self._rects[1]

    def _paint_cells(
        self, painter: QPainter, size: tuple[float, float], cells: Sequence[int] | None = None
    ) -> None:
        assert self.view is not None
        # Tiles lie on whole pixels, a pixel of which is their edge.
        smallest = (math.floor(size[0]) - 1.0, math.floor(size[1]) - 1.0)
        paint_tiles(
            painter, self.view, self.appearance.theme, self._inner_rects(size), smallest, cells
        )

    # ---- hands -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a cell, a row or a column; Ctrl adds, Shift extends."""
        cell = self.cell_at(event.position().toPoint())
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if cell is None:
            self._choose_header(event.position().toPoint())
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.current = self.anchor = cell
            self.choose(self.chosen ^ {cell})
        else:
            if not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.anchor = cell
            self.current = cell
            self._choose_block(done=False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Describe the cell under the pointer; extend the choice while dragging."""
        cell = self.cell_at(event.position().toPoint())
        self.hovered.emit(self.describe(cell) if cell is not None else "")
        if (
            event.buttons() & Qt.MouseButton.LeftButton
            and cell is not None
            and cell != self.current
        ):
            self.current = cell
            self._choose_block(done=False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The choice is made."""
        if (
            event.button() == Qt.MouseButton.LeftButton
            and not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            self.choice_made()

    def _choose_header(self, point: QPoint) -> None:
        if self.view is None or len(self.view.table.axes) == 1:
            return
        cells = np.arange(self.view.table.size).reshape(self.view.table.shape)
        column = self.column_at(point)
        row = self.row_at(point)
        if point.y() < HEAD_H and column is not None:
            self.choose(frozenset(cells[:, column].tolist()))
        elif point.x() < self.head_w and row is not None:
            self.choose(frozenset(cells[row].tolist()))

    def _choose_line(self, row: bool) -> None:
        """Choose the row or the column of the current cell."""
        assert self.view is not None
        if len(self.view.table.axes) == 1:
            return
        cells = np.arange(self.view.table.size).reshape(self.view.table.shape)
        at_row, at_column = divmod(self.current, self.view.columns)
        line = cells[at_row] if row else cells[:, at_column]
        self.choose(frozenset(line.tolist()))

    def _choose_block(self, done: bool) -> None:
        assert self.view is not None
        (r0, c0) = divmod(self.anchor, self.view.columns)
        (r1, c1) = divmod(self.current, self.view.columns)
        rows = range(min(r0, r1), max(r0, r1) + 1)
        columns = range(min(c0, c1), max(c0, c1) + 1)
        cells = {r * self.view.columns + c for r in rows for c in columns}
        self.choose(frozenset(c for c in cells if c < self.view.table.size), done)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move and extend the choice; typed input goes to the entry."""
        moves = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }
        if self.view is None:
            return
        if event.key() in moves:
            step = moves[Qt.Key(event.key())]
            row, column = divmod(self.current, self.view.columns)
            row = min(max(row + step[0], 0), self.view.rows - 1)
            column = min(max(column + step[1], 0), self.view.columns - 1)
            self.current = min(row * self.view.columns + column, self.view.table.size - 1)
            if not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.anchor = self.current
            self._choose_block(done=True)
            self.bars.show_rect(self.tile_rect(self.current), self.room())
            self.hovered.emit(self.describe(self.current))
        elif event.key() == Qt.Key.Key_Space and event.modifiers() & CONTROL_OR_SHIFT:
            self._choose_line(bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif event.key() in NUDGE_SIGNS:
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            pct = NUDGE_SIGNS[Qt.Key(event.key())] * (FINE_PCT if fine else COARSE_PCT)
            self.nudged.emit(pct, event.isAutoRepeat())
        elif event.text() and event.text() in "+-x=*0123456789":
            self.typed.emit(event.text())
        elif event.key() == Qt.Key.Key_Escape:
            self.choose_nothing()
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Move tiles that do not fit; Shift moves them sideways."""
        sideways = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if self.view is not None and self.bars.turn(event.angleDelta(), sideways):
            event.accept()
        else:
            super().wheelEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with the chosen cells; a cell beside them is chosen first."""
        if self.view is None:
            return
        by_key = event.reason() is QContextMenuEvent.Reason.Keyboard
        cell = self.current if by_key else self.cell_at(event.pos())
        if cell is not None and cell not in self.chosen:
            self.current = self.anchor = cell
            self._choose_block(done=True)
        place = self.tile_rect(self.current).center().toPoint() if by_key else event.pos()
        self.menu_wanted.emit(self.mapToGlobal(place))

    def event(self, event: QEvent) -> bool:
        """Explain what is under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)
