"""Shaping the table by hand in the real window: keys, menus, what would be done, the history."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMenu

from lean_trim.core.types import Floats
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.desk.tile_menu import CHOICES, tile_menu
from lean_trim.ui.window.main_window import MainWindow
from tests.ui.conftest import center, click, drag
from tests.ui.hands import drag_over

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton
BLOCK = (69, 103)
"""Corners of three by three tiles at part throttle."""


def values(window: MainWindow) -> Floats:
    assert window.session.decision is not None
    return window.session.decision.values


def changed(window: MainWindow) -> int:
    assert window.session.decision is not None
    return window.session.decision.changed


def drag_block(window: MainWindow) -> None:
    window.activateWindow()
    drag(table_desk(window).table, center(window, BLOCK[0]), center(window, BLOCK[1]))


def test_page_keys_nudge_and_a_held_key_is_one_undo(driven: MainWindow) -> None:
    drag_block(driven)
    table = table_desk(driven).table
    before = values(driven)
    QTest.keyClick(table, Qt.Key.Key_PageUp)
    assert changed(driven) == 9
    once = values(driven)
    np.testing.assert_allclose(once.ravel()[69] / before.ravel()[69], 1.01, atol=0.001)
    QTest.keyClick(table, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ShiftModifier)
    assert (values(driven).ravel()[69] < once.ravel()[69]).all()
    assert driven.session.history.count() == 2
    table.nudged.emit(1.0, False)
    for _ in range(5):
        table.nudged.emit(1.0, True)
    assert driven.session.history.count() == 3
    for _ in range(3):
        driven.actions_["undo"].trigger()
    assert np.array_equal(values(driven), before)


def test_smoothing_is_shown_before_it_is_done(driven: MainWindow) -> None:
    drag_block(driven)
    desk = table_desk(driven)
    desk.bar.entry.setText("")
    driven.session.deciding.type_in("+9%", frozenset({86}))
    drag_block(driven)
    before = values(driven)
    driven.actions_["smooth"].trigger()
    strip = desk.bar.offer
    assert strip.isVisible() and "Smoothing would move" in strip.said.text()
    assert desk.table.view is not None and desk.table.view.is_hollow[86]
    assert np.array_equal(values(driven), before)
    # Chosen otherwise, it is not shown any more.
    click(driven, 20)
    assert not strip.isVisible() and desk.table.preview is None
    drag_block(driven)
    driven.actions_["smooth"].trigger()
    QTest.keyClick(strip.buttons[0], Qt.Key.Key_Return)
    if driven.confirm.isVisible():
        QTest.mouseClick(driven.confirm.go_on, LEFT)
    assert values(driven).ravel()[86] < before.ravel()[86]
    assert not strip.isVisible() and desk.bar.row.isVisible()


def test_blend_carries_full_throttle_into_the_rows_below(driven: MainWindow) -> None:
    session = driven.session
    assert session.round is not None
    top = frozenset(range(8 * 16 + 5, 8 * 16 + 9))
    session.deciding.type_in("+8%", top)
    # Four rows, from 56 kPa to full throttle.
    drag(table_desk(driven).table, center(driven, 4 * 16 + 5), center(driven, 8 * 16 + 8))
    driven.actions_["blend"].trigger()
    share = values(driven) / session.round.table.values
    column = share[4:9, 6]
    assert column[0] == pytest.approx(1.0) and (np.diff(column) > 0.005).all()
    driven.actions_["undo"].trigger()
    assert changed(driven) == 4


def test_the_tile_menu_chooses_the_tile_and_every_entry_is_an_action(driven: MainWindow) -> None:
    desk = table_desk(driven)
    shown: list[QPoint] = []
    desk.table.menu_wanted.disconnect()
    desk.table.menu_wanted.connect(shown.append)
    place = center(driven, 86)
    QApplication.sendEvent(
        desk.table,
        QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, desk.table.mapToGlobal(place)),
    )
    assert shown and driven.session.selection.cells == frozenset({86})
    # On a chosen tile the choice stays.
    drag_block(driven)
    QApplication.sendEvent(
        desk.table,
        QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, desk.table.mapToGlobal(place)),
    )
    assert len(driven.session.selection.cells) == 9
    menu = tile_menu(driven.actions_, lambda _: None, desk)
    known = set(driven.actions_.values())

    def check(some: QMenu) -> None:
        for action in some.actions():
            inside = action.menu()
            if isinstance(inside, QMenu):
                check(inside)
            elif not action.isSeparator():
                assert action in known

    check(menu)


def test_pointing_at_a_shape_shows_what_it_would_do(driven: MainWindow) -> None:
    desk = table_desk(driven)
    driven.session.deciding.type_in("+9%", frozenset({86}))
    drag_block(driven)
    menu = desk.bar.shape.menu()
    menu.hovered.emit(driven.actions_["blend"])
    assert desk.table.preview is not None
    menu.aboutToHide.emit()
    assert desk.table.preview is None and changed(driven) == 1


def test_cells_are_chosen_by_what_they_have_in_common(driven: MainWindow) -> None:
    session = driven.session
    found = {}
    for name in CHOICES:
        driven.actions_[name].trigger()
        found[name] = session.selection.cells
    assert found["choose_boost"] == frozenset(range(9 * 16, 14 * 16))
    assert len(found["choose_undecided"]) == session.deciding.waiting_in()
    regions = [found[f"choose_{name}"] for name in ("idle", "part", "full", "boost")]
    assert sum(map(len, regions)) == 14 * 16 == len(frozenset().union(*regions))
    assert found["choose_tip_in"] and found["choose_tip_in"] & found["choose_part"]
    assert found["choose_far"] and not found["choose_far"] & found["choose_unvisited"]


def test_the_history_goes_back_to_any_step(driven: MainWindow) -> None:
    driven.activateWindow()
    for text in ("+3%", "+2%", "+1%"):
        driven.session.deciding.type_in(text, frozenset({70}))
    third = values(driven)
    driven.actions_["history"].trigger()
    sheet = table_desk(driven).past
    assert sheet.isVisible() and sheet.list.count() == 4
    assert "Set +1% on 1 cell" in sheet.list.item(0).text()
    assert not sheet.back.isEnabled()
    QTest.keyClick(sheet.list, Qt.Key.Key_Down)
    QTest.keyClick(sheet.list, Qt.Key.Key_Down)
    QTest.mouseClick(sheet.back, LEFT)
    assert "Go back to “Set +3% on 1 cell”" in sheet.list.item(0).text()
    driven.actions_["undo"].trigger()
    assert np.array_equal(values(driven), third)
    sheet.list.setCurrentRow(sheet.list.count() - 1)
    QTest.mouseClick(sheet.back, LEFT)
    assert changed(driven) == 0
    QTest.keyClick(sheet.list, Qt.Key.Key_Escape)
    assert not sheet.isVisible() and table_desk(driven).table.hasFocus()


def test_a_correction_is_copied_and_laid(driven: MainWindow) -> None:
    session = driven.session
    assert session.round is not None
    click(driven, 70)
    driven.actions_["lay_correction"].trigger()
    assert "No correction was copied yet" in driven.messages.text.text()
    session.deciding.type_in("+5%", frozenset({70}))
    driven.actions_["copy_correction"].trigger()
    click(driven, 75)
    driven.actions_["lay_correction"].trigger()
    share = values(driven).ravel()[75] / session.round.table.values.ravel()[75]
    assert share == pytest.approx(1.05, abs=0.002)


def test_a_border_between_regions_is_dragged_and_taken_back(driven: MainWindow) -> None:
    table = table_desk(driven).table
    driven.actions_["draw_regions"].trigger()
    QApplication.processEvents()
    regions = table._region_words()
    assert regions is not None and driven.session.round is not None
    columns = driven.session.round.table.shape[1]
    # The first boost row below a row of another region, in the middle of the table.
    cell = next(
        c
        for c in range(len(regions) - columns)
        if regions[c] != "boost" and regions[c + columns] == "boost" and c % columns == 7
    )
    above = regions[cell]
    foot = QPoint(round(table.tile_rect(cell).center().x()), round(table.tile_rect(cell).bottom()))
    drag_over(table, [foot, QPoint(foot.x(), foot.y() + round(table.tile_rect(cell).height()))])
    words = dict(driven.session.policy.regions)
    assert words[cell + columns] == above
    chosen = driven.session.selection.cells
    assert not chosen
    driven.session.navigation.undo()
    assert dict(driven.session.policy.regions) == {}
