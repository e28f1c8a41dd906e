"""Tables beside the airflow table in the real window: the same tiles, hands and curve as that one."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.calibration import DEAD_TIME
from lean_trim.features.injectors.desk.desk import InjectorsDesk
from lean_trim.features.pulls.desk.desk import PullsDesk
from lean_trim.ui.widgets.table_card import TableCard
from lean_trim.ui.window.main_window import MainWindow
from tests.ui.hands import drag_over

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def card(driven: MainWindow) -> TableCard:
    """The dead times of Heron's injectors."""
    driven.show_desk("injectors")
    desk = driven.desk("injectors")
    assert isinstance(desk, InjectorsDesk)
    QApplication.processEvents()
    return desk.dead


def decided(card: TableCard) -> np.ndarray:
    decision = card.tables.decided(DEAD_TIME)
    assert decision is not None
    return decision.values


def test_cells_are_dragged_over_typed_nudged_and_undone(
    driven: MainWindow, card: TableCard
) -> None:
    before = decided(card).copy()
    drag_over(card.grid, [card.grid.tile_rect(c).center().toPoint() for c in (1, 2, 3)])
    assert card.grid.chosen == {1, 2, 3} and "3 cells chosen" in card.line.text()
    QTest.keyClicks(card.grid, "+")
    QTest.keyClicks(card.entry, "10%")
    QTest.keyClick(card.entry, Qt.Key.Key_Return)
    change = decided(card) / before - 1.0
    assert change[[1, 2, 3]] == pytest.approx([0.1] * 3, abs=0.01) and (change[[0, 4]] == 0).all()
    QTest.keyClick(card.grid, Qt.Key.Key_PageUp)
    assert (decided(card)[[1, 2, 3]] > 1.1 * before[[1, 2, 3]]).all()
    driven.session.navigation.undo()
    driven.session.navigation.undo()
    assert np.array_equal(decided(card), before)
    QTest.keyClick(card.grid, Qt.Key.Key_Left, SHIFT)
    QTest.keyClick(card.grid, Qt.Key.Key_Escape)
    assert not card.grid.chosen


def test_a_part_is_put_back_and_the_rest_stays(card: TableCard) -> None:
    card.tables.type_in(DEAD_TIME, frozenset({0, 1, 2}), "+5%")
    assert card.tables.put_back(DEAD_TIME, frozenset({1}))
    base = card.tables.base(DEAD_TIME)
    assert base is not None
    moved = decided(card) != base.values
    assert moved.tolist() == [True, False, True, False, False]
    assert "to write" in card.grid.describe(0) and "to write" not in card.grid.describe(1)
    assert "in the ECU" in card.grid.numbers() and len(card.grid.numbers().splitlines()) == 6


def test_the_curve_is_dragged_and_shares_the_choice(driven: MainWindow, card: TableCard) -> None:
    before = decided(card).copy()
    QTest.mouseClick(card.as_curve, LEFT)
    curve = card.curve
    assert curve.isVisible() and not card.grid.isVisible() and curve.slice is not None
    start = curve.point_of(2).toPoint()
    drag_over(curve, [start, start - QPoint(0, 20)])
    after = decided(card)
    assert after[2] > before[2] and np.array_equal(np.delete(after, 2), np.delete(before, 2))
    assert card.grid.chosen == {2} and "to write" in card.line.text()
    driven.session.navigation.undo()
    assert np.array_equal(decided(card), before)


def test_targets_are_the_same_tiles(driven: MainWindow) -> None:
    driven.show_desk("pulls")
    desk = driven.desk("pulls")
    assert isinstance(desk, PullsDesk)
    desk.view_buttons.button(2).click()
    QApplication.processEvents()
    page = desk.targets
    grid = page.grid
    cells = [0, 1, 16, 17]
    drag_over(grid, [grid.tile_rect(c).center().toPoint() for c in (0, 17)])
    assert grid.chosen == set(cells)
    QTest.keyClick(grid, Qt.Key.Key_PageDown)
    decision = page.targets.decided
    assert decision is not None and decision.changed == 4
    # A column by its head, as on the airflow table.
    head = grid.tile_rect(3).center().toPoint()
    head.setY(8)
    QTest.mouseClick(grid, LEFT, pos=head)
    assert len(grid.chosen) == grid.view.rows and all(c % 16 == 3 for c in grid.chosen)  # type: ignore[union-attr]
    QGuiApplication.clipboard().setText(grid.numbers())
    assert "to write, λ" in QGuiApplication.clipboard().text().splitlines()[0]
