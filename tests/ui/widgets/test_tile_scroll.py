"""Tables with more tiles than fit: heads stay, bars, wheel and keys move the tiles."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, QSize, Qt
from PySide6.QtGui import QImage, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.decision.decision import undecided
from lean_trim.ui.theme import Appearance
from lean_trim.ui.widgets.side_grid import SideGrid
from lean_trim.ui.widgets.tile_grid import HEAD_H, HEAD_W
from lean_trim.ui.widgets.tile_scroll import LEAST_TILE_H, LEAST_TILE_W, room_for

SIDE = 32


def table_of(rows: int, columns: int) -> Table:
    return Table(
        axes=(
            Axis("MAP", "kPa", np.linspace(20.0, 240.0, rows)),
            Axis("engine speed", "rpm", np.linspace(600.0, 7500.0, columns)),
        ),
        values=70.0 + np.arange(rows * columns, dtype=float).reshape(rows, columns) / 100.0,
        name="VE",
        unit="%",
    )


@pytest.fixture
def grid(qapp: QApplication) -> Iterator[SideGrid]:
    made = SideGrid(Appearance(), "A table")
    table = table_of(SIDE, SIDE)
    made.show_table(table, undecided(table))
    made.setMaximumHeight(2000)
    made.resize(500, 300)
    made.show()
    QApplication.processEvents()
    yield made
    made.close()


def picture(grid: SideGrid) -> QImage:
    return grid.grab().toImage()


@pytest.mark.parametrize(
    ("size", "rows", "columns", "scrolls"),
    [
        (QSize(1040, 440), 24, 24, False),
        (QSize(500, 300), 32, 32, True),
        (QSize(2000, 300), 32, 32, True),
        (QSize(500, 2000), 32, 32, True),
        (QSize(140, 64), 6, 16, True),
    ],
)
def test_tiles_are_never_smaller_than_can_be_read(
    size: QSize, rows: int, columns: int, scrolls: bool
) -> None:
    room = room_for(size, (HEAD_W, HEAD_H), 4, rows, columns)
    assert room.tile[0] >= LEAST_TILE_W and room.tile[1] >= LEAST_TILE_H
    assert (not room.beyond.isNull()) is scrolls
    assert room.body.width() + HEAD_W <= size.width()


def test_heads_stay_while_the_tiles_move(grid: SideGrid) -> None:
    before = picture(grid)
    first = grid.tile_rect(0)
    grid.bars.down.setValue(5 * LEAST_TILE_H)
    QApplication.processEvents()
    after = picture(grid)
    top = before.rect().adjusted(0, 0, 0, -(300 - HEAD_H))
    assert before.copy(top) == after.copy(top)
    side = before.rect().adjusted(0, HEAD_H, -(500 - HEAD_W), 0)
    assert before.copy(side) != after.copy(side)
    assert grid.tile_rect(0).top() == first.top() - 5 * LEAST_TILE_H
    # A point means the tile that is seen there now, and beneath a head it means none.
    seen = QPoint(HEAD_W + 3, HEAD_H + 3)
    assert grid.cell_at(seen) == 5 * SIDE
    assert grid.cell_at(QPoint(HEAD_W + 3, HEAD_H - 3)) is None


def test_keys_and_wheel_bring_tiles_into_view(grid: SideGrid) -> None:
    body = grid.room().body
    for _ in range(SIDE):
        QTest.keyClick(grid, Qt.Key.Key_Down)
        QTest.keyClick(grid, Qt.Key.Key_Right)
    rect = grid.tile_rect(grid.current)
    assert grid.current == SIDE * SIDE - 1
    assert rect.right() <= HEAD_W + body.width() + 1 and rect.bottom() <= HEAD_H + body.height() + 1
    where = QPointF(200, 200)
    nothing = Qt.KeyboardModifier.NoModifier
    event = QWheelEvent(
        where,
        where,
        QPoint(),
        QPoint(0, 1200),
        Qt.MouseButton.NoButton,
        nothing,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(grid, event)
    assert grid.bars.offset.y() < grid.room().beyond.y()


def test_a_picture_of_it_holds_every_tile(grid: SideGrid) -> None:
    kept = grid.size()
    grid.pictured.copy()
    copied = QApplication.clipboard().image()
    assert copied.width() >= HEAD_W + SIDE * LEAST_TILE_W
    assert copied.height() >= HEAD_H + SIDE * LEAST_TILE_H
    assert grid.size() == kept
