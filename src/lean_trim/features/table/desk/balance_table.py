"""The airflow table as balance tiles.

Value, correction bar about the middle, whisker, evidence as solidity of ink.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPaintEngine,
    QPainter,
    QPaintEvent,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.decision.regions import with_words
from lean_trim.core.drive.coordinates import coordinates
from lean_trim.core.estimation.cell_evidence import seconds_in_nearest_cell
from lean_trim.core.explore.place import trail
from lean_trim.core.explore.scorecard import told_regions
from lean_trim.core.types import Floats
from lean_trim.features.table.desk.tile_view import make_view, scale_of_job
from lean_trim.features.table.desk.tile_words import end_hint, figures_text, tile_hint, tile_line
from lean_trim.features.table.figure_names import AGAINST, Figure
from lean_trim.ui.session import Session
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.hints import show_hint
from lean_trim.ui.widgets.picture import offer_picture
from lean_trim.ui.widgets.tile_paint import (
    paint_chosen,
    paint_headers,
    paint_place,
    paint_regions,
    paint_tiles,
)
from lean_trim.ui.widgets.tile_view import TileView
from lean_trim.workspace.shaping import COARSE_PCT, FINE_PCT

HEAD_W = 58
HEAD_H = 34
MARGIN = 4
TRAIL_S = 5.0
"""How far back the engine's trail reaches, s."""
NUDGE_SIGNS = {Qt.Key.Key_PageUp: 1.0, Qt.Key.Key_PageDown: -1.0}
CONTROL_OR_SHIFT = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


class BalanceTable(QWidget):
    """Shows the current round's table; cells are chosen by mouse or keys through the shared selection.

    Arrows move, Shift extends, Ctrl+Space chooses the column, Shift+Space the row.
    """

    typed = Signal(str)
    hovered = Signal(str)
    nudged = Signal(float, bool)
    """Percent, and whether the key is still held."""
    menu_wanted = Signal(QPoint)
    refreshed = Signal()
    resized = Signal()

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session = session
        self.appearance = appearance
        self.figure = Figure.VALUE
        self.base: Table | None = None
        self.view: TileView | None = None
        self.live: Floats | None = None
        self.preview: Floats | None = None
        self._picture: tuple[object, QPixmap] | None = None
        self._painted: TileView | None = None
        self.foot = 0
        self.regions_drawn = False
        self._regions: tuple[object, list[str]] | None = None
        self.current = 0
        self.anchor = 0
        self._job_number = 0
        self._scale_pct = 0.0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        # Low enough that a message above never pushes the lower edge of the window off the screen.
        self.setMinimumSize(520, 90)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Airflow table")
        for signal in (session.round_changed, session.solved, session.decided):
            signal.connect(self.refresh)
        session.job_changed.connect(self._job_changed)
        session.driving.connect(self.show_drive)
        session.idle.connect(self._drive_over)
        session.selection.changing.connect(self.update)
        session.selection.changed.connect(self.update)
        session.selection.moment_moved.connect(self.update)
        appearance.changed.connect(self._paint_anew)
        self.pictured = offer_picture(self, "table", self.numbers, menu=False)

    def numbers(self) -> str:
        """What the tiles show, on their axes."""
        return figures_text(self.view) if self.view is not None else ""

    def refresh(self) -> None:
        """Compute the arrays again and repaint."""
        self.live = None
        self.view = make_view(
            self.session,
            self.figure,
            least_scale_pct=self._scale_pct,
            base=self.base,
            preview=self.preview,
        )
        if self.view is not None:
            # Bars of one job are compared with each other; their scale never shrinks while it is
            # open.
            self._scale_pct = max(self._scale_pct, scale_of_job(self.session))
            self.current = min(self.current, self.view.table.size - 1)
            self.anchor = min(self.anchor, self.view.table.size - 1)
        self.refreshed.emit()
        self.update()

    def _paint_anew(self) -> None:
        """Another theme: every tile looks different."""
        self._picture = None
        self.update()

    def _job_changed(self) -> None:
        """Another job, or none: the frame of the current cell belongs to the old one."""
        number = self.session.open.number if self.session.job is not None else 0
        if number != self._job_number:
            self._job_number = number
            self.current = self.anchor = 0
            self._scale_pct = 0.0
            self.refresh()

    def show_figure(self, figure: Figure) -> None:
        """Choose the number the tiles carry."""
        self.figure = figure
        self.refresh()

    def hold_against(self, base: Table | None) -> None:
        """Count changes from another table; None for the one that was driven."""
        if base is self.base:
            return
        self.base = base
        if self.figure in AGAINST:
            self.refresh()

    def show_drive(self, log: Log) -> None:
        """Fill cells with the seconds driven so far."""
        vehicle = self.session.vehicle
        if vehicle is None:
            return
        table = vehicle.table
        self.live = seconds_in_nearest_cell(table, coordinates(log, vehicle), log.durations_s)
        self.view = make_view(self.session, Figure.SECONDS, self.live)
        self.refreshed.emit()
        self.update()

    def _drive_over(self) -> None:
        """A drive ended, perhaps without a log: stand as the round says."""
        if self.live is not None:
            self.refresh()

    def tile_size(self) -> tuple[float, float]:
        """Width and height of a tile in pixels."""
        assert self.view is not None
        return (
            (self.width() - HEAD_W - MARGIN) / self.view.columns,
            (self.height() - HEAD_H - MARGIN - self.foot) / self.view.rows,
        )

    def tile_rect(self, cell: int, size: tuple[float, float] | None = None) -> QRectF:
        """Where a cell is painted."""
        assert self.view is not None
        w, h = size or self.tile_size()
        row, column = divmod(cell, self.view.columns)
        # On whole pixels, so that one tile can be painted anew without a trace on its neighbours.
        left, right = round(HEAD_W + column * w), round(HEAD_W + (column + 1) * w)
        top, foot = round(HEAD_H + row * h), round(HEAD_H + (row + 1) * h)
        return QRectF(left, top, right - left, foot - top)

    def cell_at(self, point: QPoint) -> int | None:
        """The cell under a point."""
        if self.view is None:
            return None
        w, h = self.tile_size()
        column = int((point.x() - HEAD_W) // w)
        row = int((point.y() - HEAD_H) // h)
        if not (0 <= column < self.view.columns and 0 <= row < self.view.rows):
            return None
        cell = row * self.view.columns + column
        return cell if cell < self.view.table.size else None

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What lies over the tiles lies elsewhere now."""
        super().resizeEvent(event)
        self.resized.emit()

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
            painter.drawPixmap(0, 0, self._tiles(size))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_chosen(
            painter,
            theme,
            lambda cell: self.tile_rect(cell, size),
            self.session.selection.cells,
            self.view.columns,
        )
        self._paint_regions(painter, size)
        self._paint_place(painter, size)
        if self.hasFocus():
            painter.setPen(theme.color("ink"))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.tile_rect(self.current).adjusted(2.5, 2.5, -2.5, -2.5))

    def _tiles(self, size: tuple[float, float]) -> QPixmap:
        """Heads and tiles as they were painted last; a choice or a moment changes none of them."""
        assert self.view is not None
        ratio = self.devicePixelRatioF()
        key = (self.size(), ratio)
        if self._picture is not None and self._picture[0] == key:
            self._mend(self._picture[1], size)
        else:
            picture = QPixmap((QSizeF(self.size()) * ratio).toSize())
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
                painter.fillRect(self.tile_rect(cell, size), theme.color("sheet"))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_cells(painter, size, cells)
        painter.end()
        self._painted = self.view

    def _paint_tiles(self, painter: QPainter, size: tuple[float, float]) -> None:
        assert self.view is not None
        theme = self.appearance.theme
        painter.fillRect(self.rect(), theme.color("sheet"))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_headers(painter, self.view, theme, HEAD_W, HEAD_H, size)
        self._paint_cells(painter, size)

    def _paint_cells(
        self, painter: QPainter, size: tuple[float, float], cells: Sequence[int] | None = None
    ) -> None:
        assert self.view is not None
        # Tiles lie on whole pixels, a pixel of which is their edge.
        smallest = (math.floor(size[0]) - 1.0, math.floor(size[1]) - 1.0)
        paint_tiles(
            painter,
            self.view,
            self.appearance.theme,
            lambda cell: self.tile_rect(cell, size),
            smallest,
            cells,
        )

    def _paint_place(self, painter: QPainter, size: tuple[float, float]) -> None:
        """Where the engine was at the tape's moment, and the seconds before."""
        at = self.session.selection.moment_s
        prepared = self.session.prepared
        current = self.session.round
        if at is None or prepared is None or current is None or self.view is None:
            return
        table = current.table
        # A table pasted a moment ago may have other axes than what was worked out.
        if not prepared.frame.vehicle.table.same_axes(table):
            return
        places = trail(prepared.frame, table, at, TRAIL_S)
        points = [self._point_of(place, size) for place in places.tolist()]
        paint_place(painter, self.appearance.theme, points, leads=len(table.axes) == 2)

    def _point_of(self, place: list[float], size: tuple[float, float]) -> QPointF:
        """The point of a place on the axes: the middle of a tile is its cell."""
        w, h = size
        if len(place) == 1:
            assert self.view is not None
            row, column = divmod(round(place[0]), self.view.columns)
        else:
            row, column = place  # type: ignore[assignment]
        return QPointF(HEAD_W + (column + 0.5) * w, HEAD_H + (row + 0.5) * h)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a cell, a row or a column; Ctrl adds, Shift extends."""
        cell = self.cell_at(event.position().toPoint())
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if cell is None:
            self._choose_header(event.position().toPoint())
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.current = self.anchor = cell
            self.session.selection.set_cells(self.session.selection.cells ^ {cell})
        else:
            if not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.anchor = cell
            self.current = cell
            self._choose(done=False)

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
            self._choose(done=False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """The choice is made."""
        if (
            event.button() == Qt.MouseButton.LeftButton
            and not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            self.session.selection.changed.emit()

    def _choose_header(self, point: QPoint) -> None:
        if self.view is None or len(self.view.table.axes) == 1:
            return
        cells = np.arange(self.view.table.size).reshape(self.view.table.shape)
        w, h = self.tile_size()
        column = int((point.x() - HEAD_W) // w)
        row = int((point.y() - HEAD_H) // h)
        if point.y() < HEAD_H and 0 <= column < self.view.columns:
            self.session.selection.set_cells(frozenset(cells[:, column].tolist()))
        elif point.x() < HEAD_W and 0 <= row < self.view.rows:
            self.session.selection.set_cells(frozenset(cells[row].tolist()))

    def _choose_line(self, row: bool) -> None:
        """Choose the row or the column of the current cell."""
        assert self.view is not None
        if len(self.view.table.axes) == 1:
            return
        cells = np.arange(self.view.table.size).reshape(self.view.table.shape)
        at_row, at_column = divmod(self.current, self.view.columns)
        line = cells[at_row] if row else cells[:, at_column]
        self.session.selection.set_cells(frozenset(line.tolist()))

    def _choose(self, done: bool) -> None:
        assert self.view is not None
        (r0, c0) = divmod(self.anchor, self.view.columns)
        (r1, c1) = divmod(self.current, self.view.columns)
        rows = range(min(r0, r1), max(r0, r1) + 1)
        columns = range(min(c0, c1), max(c0, c1) + 1)
        cells = {r * self.view.columns + c for r in rows for c in columns}
        self.session.selection.set_cells(
            frozenset(c for c in cells if c < self.view.table.size), done
        )

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
            self._choose(done=True)
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
            self.session.selection.clear()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """What can be done with the chosen cells; a cell beside them is chosen first."""
        if self.view is None:
            return
        by_key = event.reason() is QContextMenuEvent.Reason.Keyboard
        cell = self.current if by_key else self.cell_at(event.pos())
        if cell is not None and cell not in self.session.selection.cells:
            self.current = self.anchor = cell
            self._choose(done=True)
        place = self.tile_rect(self.current).center().toPoint() if by_key else event.pos()
        self.menu_wanted.emit(self.mapToGlobal(place))

    def draw_regions(self, on: bool) -> None:
        """Draw lines between the regions of the table, or not."""
        self.regions_drawn = on
        self.update()

    def _paint_regions(self, painter: QPainter, size: tuple[float, float]) -> None:
        solution = self.session.solution
        view = self.view
        if not self.regions_drawn or solution is None or view is None:
            return
        if not solution.estimate.table.same_axes(view.table):
            return
        words = self.session.policy.regions
        key = (solution, words)
        if self._regions is None or self._regions[0] != key:
            regions = with_words(told_regions(solution), words).ravel().tolist()
            self._regions = (key, [str(r) for r in regions])
        paint_regions(
            painter,
            self.appearance.theme,
            lambda cell: self.tile_rect(cell, size),
            self._regions[1],
            view.columns,
        )

    def leave_foot(self, height: int) -> None:
        """Leave room below the tiles, px: for what stays there."""
        if height != self.foot:
            self.foot = height
            self._paint_anew()

    def show_preview(self, values: Floats | None) -> None:
        """Show what a shape would leave in the table, without deciding it; None shows what stands."""
        if values is None and self.preview is None:
            return
        self.preview = values
        self.refresh()

    def describe(self, cell: int) -> str:
        """One line about a cell."""
        return tile_line(self.view, cell) if self.view is not None else ""

    def hint_at(self, point: QPoint) -> str:
        """What is painted under a point, in words."""
        view = self.view
        if view is None:
            return ""
        cell = self.cell_at(point)
        if cell is not None:
            if self.live is not None:
                return tile_hint(view, cell, None)
            current = self.session.round
            asks = current is not None and view.warned[cell]
            dangers = self.session.deciding.confirming.dangers(current) if asks and current else {}
            return tile_hint(view, cell, self.session.proposal, dangers.get(cell, ()))
        if len(view.table.axes) == 1:
            return ""
        w, h = self.tile_size()
        column = int((point.x() - HEAD_W) // w)
        row = int((point.y() - HEAD_H) // h)
        if point.y() < HEAD_H and 0 <= column < view.columns:
            return end_hint(view, column=column)
        if point.x() < HEAD_W and 0 <= row < view.rows:
            return end_hint(view, row=row)
        return ""

    def event(self, event: QEvent) -> bool:
        """Explain what is under the pointer."""
        return show_hint(self, event, self.hint_at) or super().event(event)
