"""Tables beside the airflow table in the real window: the same tiles, hands and curve as that one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from lean_trim.core.data.calibration import DEAD_TIME
from lean_trim.features.injectors.desk.desk import InjectorsDesk
from lean_trim.features.pulls.desk.desk import PullsDesk
from lean_trim.job.loading import load_job
from lean_trim.job.trail import Way
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


def test_cells_are_shaped_by_the_keys_of_the_airflow_table_and_previewed(
    driven: MainWindow, card: TableCard
) -> None:
    before = decided(card).copy()
    card.tables.type_in(DEAD_TIME, frozenset({4}), "+10%")
    card.grid.choose(frozenset({2, 3, 4}))
    card.grid.setFocus()
    menu = QMenu()
    card.looks.add_to(menu, can=True)
    shapes = next(a.menu() for a in menu.actions() if a.text() == "Shape")
    assert isinstance(shapes, QMenu)
    shapes.hovered.emit(shapes.actions()[1])
    assert card.grid.view is not None and card.grid.view.filled[3]
    assert decided(card)[3] == before[3]
    shapes.aboutToHide.emit()
    assert not card.grid.view.filled[3]
    driven.actions_["blend"].trigger()
    assert card.isVisible()
    table = card.tables.base(DEAD_TIME)
    assert table is not None
    # Between an edge that stays and one that was raised by a tenth, the change goes in a line of log(1.1).
    volts = table.axes[0].points
    share = (volts[3] - volts[2]) / (volts[4] - volts[2])
    wanted = 1.1**share
    assert decided(card)[3] / before[3] == pytest.approx(wanted, abs=0.004)
    driven.session.navigation.undo()
    assert decided(card)[3] == before[3]


def test_a_held_key_is_one_undo(driven: MainWindow, card: TableCard) -> None:
    before = decided(card).copy()
    card.grid.choose(frozenset({1}))
    for goes_on in (False, True, True):
        card.grid.nudged.emit(1.0, goes_on)
    assert decided(card)[1] > 1.02 * before[1]
    assert len(card.tables.trail(DEAD_TIME)) == 1
    driven.session.navigation.undo()
    assert np.array_equal(decided(card), before)
    driven.session.navigation.redo()
    assert decided(card)[1] > 1.02 * before[1]


def test_the_history_of_a_table_goes_back_and_survives_the_file(
    driven: MainWindow, card: TableCard, job_path: Path
) -> None:
    before = decided(card).copy()
    for text in ("+5%", "+2%"):
        assert card.tables.type_in(DEAD_TIME, frozenset({0}), text)
    raised = decided(card).copy()
    card.grid.setFocus()
    driven.actions_["history"].trigger()
    past = card.looks.past
    assert past is not None and past.isVisible() and card.isVisible()
    assert [past.list.item(i).text()[-8:] for i in range(3)][2] == "rst step"
    past.list.setCurrentRow(1)
    QTest.mouseClick(past.back, LEFT)
    assert decided(card)[0] == pytest.approx(1.05 * before[0], abs=0.01)
    QTest.keyClick(past, Qt.Key.Key_Escape)
    assert not past.isVisible()
    driven.session.navigation.undo()
    assert np.array_equal(decided(card), raised)
    # Kept in the file, cell by cell: read anew it can be undone as well.
    kept = [step for step in load_job(job_path).rounds[-1].steps if step.table_name == DEAD_TIME]
    assert [step.way for step in kept] == [Way.DONE, Way.DONE, Way.DONE, Way.UNDONE]
    driven.session.navigation.show_round(0)
    history = driven.session.history
    history.clear()
    driven.session.navigation.show_round(0)
    assert history.count() >= 2
    driven.session.navigation.undo()
    driven.session.navigation.undo()
    assert np.array_equal(decided(card), before)


def test_the_curve_is_looked_at_in_percent_and_on_logarithmic_axes(card: TableCard) -> None:
    card.tables.type_in(DEAD_TIME, frozenset({0}), "+5%")
    menu = QMenu()
    card.looks.add_to(menu, can=True)
    looks = next(a.menu() for a in menu.actions() if a.text() == "Curve")
    assert isinstance(looks, QMenu)
    by_text = {action.text(): action for action in looks.actions()}
    by_text["In percent"].setChecked(True)
    QApplication.processEvents()
    curve = card.curve
    assert curve.isVisible() and curve.slice is not None
    assert curve.slice.decided[0] == pytest.approx(5.0, abs=0.4)
    by_text["In percent"].setChecked(False)
    by_text["Log up"].setChecked(True)
    assert curve.scale is not None and curve.scale.log_up
