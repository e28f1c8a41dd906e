"""The airflow table as balance tiles.

Value, correction bar about the middle, whisker, evidence as solidity of ink.
"""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter
from PySide6.QtWidgets import QWidget

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
from lean_trim.ui.widgets.picture import offer_picture
from lean_trim.ui.widgets.region_border import NEAR_PX, Border, border_at, moved
from lean_trim.ui.widgets.tile_grid import HEAD_H, TileGrid
from lean_trim.ui.widgets.tile_paint import paint_place, paint_regions

TRAIL_S = 5.0
"""How far back the engine's trail reaches, s."""


class BalanceTable(TileGrid):
    """Shows the current round's table; cells are chosen by mouse or keys through the shared selection.

    Arrows move, Shift extends, Ctrl+Space chooses the column, Shift+Space the row.
    """

    refreshed = Signal()

    def __init__(
        self, session: Session, appearance: Appearance, parent: QWidget | None = None
    ) -> None:
        super().__init__(appearance, "Airflow table", parent)
        self.session = session
        self.figure = Figure.VALUE
        self.base: Table | None = None
        self.live: Floats | None = None
        self.preview: Floats | None = None
        self.regions_drawn = False
        self._regions: tuple[object, list[str]] | None = None
        # A border that is held, and what would become of it.
        self._pulled: tuple[Border, tuple[frozenset[int], str]] | None = None
        self._job_number = 0
        self._scale_pct = 0.0
        # Low enough that a message above never pushes the lower edge of the window off the screen.
        self.setMinimumSize(520, 90)
        for signal in (session.round_changed, session.solved, session.decided):
            signal.connect(self.refresh)
        session.job_changed.connect(self._job_changed)
        session.driving.connect(self.show_drive)
        session.idle.connect(self._drive_over)
        session.selection.changing.connect(self.update)
        session.selection.changed.connect(self.update)
        session.selection.moment_moved.connect(self.update)
        self.pictured = offer_picture(self, "table", self.numbers, menu=False)

    @property
    def chosen(self) -> frozenset[int]:
        """The shared selection."""
        return self.session.selection.cells

    def choose(self, cells: frozenset[int], done: bool = True) -> None:
        """Choose through the shared selection."""
        self.session.selection.set_cells(cells, done)

    def choose_nothing(self) -> None:
        """Give up what is chosen, on the tape as well."""
        self.session.selection.clear()

    def choice_made(self) -> None:
        """Pages follow the choice."""
        self.session.selection.changed.emit()

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
        self.fit()
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

    def paint_over(self, painter: QPainter, size: tuple[float, float]) -> None:
        """Lines between regions, and where the engine was."""
        self._paint_regions(painter, size)
        self._paint_place(painter, size)

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
        middle = QPointF(self.head_w + (column + 0.5) * w, HEAD_H + (row + 0.5) * h)
        return middle - QPointF(self.bars.offset)

    def draw_regions(self, on: bool) -> None:
        """Draw lines between the regions of the table, or not."""
        self.regions_drawn = on
        self.update()

    def _region_words(self) -> list[str] | None:
        """The region of every cell; None where none is drawn."""
        solution = self.session.solution
        view = self.view
        if not self.regions_drawn or solution is None or view is None:
            return None
        if not solution.estimate.table.same_axes(view.table):
            return None
        words = self.session.policy.regions
        key = (solution, words)
        if self._regions is None or self._regions[0] != key:
            regions = with_words(told_regions(solution), words).ravel().tolist()
            self._regions = (key, [str(r) for r in regions])
        return self._regions[1]

    def _paint_regions(self, painter: QPainter, size: tuple[float, float]) -> None:
        regions = self._region_words()
        view = self.view
        if regions is None or view is None:
            return
        if self._pulled is not None:
            cells, word = self._pulled[1]
            regions = [word if cell in cells else was for cell, was in enumerate(regions)]
        paint_regions(
            painter,
            self.appearance.theme,
            lambda cell: self.tile_rect(cell, size),
            regions,
            view.columns,
        )

    def _border_at(self, point: QPointF) -> Border | None:
        """The border between regions under a point."""
        regions = self._region_words()
        view = self.view
        if regions is None or view is None or len(view.table.axes) == 1:
            return None
        w, h = self.tile_size()
        near = (NEAR_PX / w, NEAR_PX / h)
        return border_at(regions, view.columns, *self._in_tiles(point), near)

    def _in_tiles(self, point: QPointF) -> tuple[float, float]:
        """A point counted in tiles from the first corner, across and down."""
        w, h = self.tile_size()
        offset = self.bars.offset
        across = (point.x() + offset.x() - self.head_w) / w
        return across, (point.y() + offset.y() - HEAD_H) / h

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a border between regions, else choose."""
        border = self._border_at(event.position())
        if border is None or event.button() != Qt.MouseButton.LeftButton:
            super().mousePressEvent(event)
            return
        self._pulled = (border, (frozenset(), border.before_it))
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the border that is held; else say what is under the pointer."""
        if self._pulled is None or self.view is None:
            border = None if event.buttons() else self._border_at(event.position())
            if border is None:
                self.unsetCursor()
            else:
                flat = Qt.CursorShape.SplitHCursor
                self.setCursor(flat if border.upright else Qt.CursorShape.SplitVCursor)
            super().mouseMoveEvent(event)
            return
        border = self._pulled[0]
        across, down = self._in_tiles(event.position())
        to = across if border.upright else down
        self._pulled = (border, moved(border, self.view.columns, self.view.rows, to))
        self.hovered.emit(f"{len(self._pulled[1][0])} cells to {self._pulled[1][1]}")
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Where a border is let go, cells change sides."""
        if self._pulled is None:
            super().mouseReleaseEvent(event)
            return
        cells, region = self._pulled[1]
        self._pulled = None
        if cells:
            self.session.tuning.put_regions(cells, region)
        self.update()

    def leave_foot(self, height: int) -> None:
        """Leave room below the tiles, px: for what stays there."""
        if height != self.foot:
            self.foot = height
            self.paint_anew()

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
        column = self.column_at(point)
        row = self.row_at(point)
        if point.y() < HEAD_H and column is not None:
            return end_hint(view, column=column)
        if point.x() < self.head_w and row is not None:
            return end_hint(view, row=row)
        return ""
