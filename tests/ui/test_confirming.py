"""A change that can destroy an engine is asked about in the window: in full, and never done by Enter."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.desk.legend import entries_for
from lean_trim.ui.widgets.elided_line import LINE_H
from lean_trim.ui.window.main_window import MainWindow
from tests.ui.conftest import click

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton
BOOST_CELL = 204
RED = 90
"""More red than green in the danger colour, of 255."""


def changed(window: MainWindow) -> int:
    assert window.session.decision is not None
    return window.session.decision.changed


def test_enter_alone_never_goes_on(driven: MainWindow) -> None:
    driven.activateWindow()
    driven.actions_["accept_all"].trigger()
    strip = driven.confirm
    assert strip.isVisible() and "5 cells above atmospheric" in strip.said.text()
    assert "destroys engines" in strip.said.text()
    bar = table_desk(driven).bar
    assert not bar.row.isVisible() and strip.leave.hasFocus()
    for widget in (strip.leave, strip.others, strip.go_on, strip, driven):
        for key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            QTest.keyClick(widget, key)
    assert changed(driven) == 0 and strip.isVisible()
    QTest.keyClick(strip.leave, Qt.Key.Key_Escape)
    assert not strip.isVisible() and bar.row.isVisible() and changed(driven) == 0
    assert table_desk(driven).table.hasFocus()


def test_tab_and_space_go_on(driven: MainWindow) -> None:
    driven.activateWindow()
    click(driven, BOOST_CELL)
    QTest.keyClick(table_desk(driven).table, Qt.Key.Key_Minus)
    QTest.keyClicks(table_desk(driven).bar.entry, "2%")
    QTest.keyClick(table_desk(driven).bar.entry, Qt.Key.Key_Return)
    strip = driven.confirm
    assert strip.title.text() == "Set -2% on 1 cell: this needs your word"
    # Nothing else would change, so that there are two ways.
    assert not strip.others.isVisible()
    QTest.keyClick(strip.leave, Qt.Key.Key_Tab)
    assert strip.go_on.hasFocus()
    QTest.keyClick(strip.go_on, Qt.Key.Key_Space)
    assert changed(driven) == 1 and not strip.isVisible()


def test_the_others_alone(driven: MainWindow) -> None:
    waiting = driven.session.deciding.waiting_in()
    driven.actions_["accept_all"].trigger()
    QTest.mouseClick(driven.confirm.others, LEFT)
    assert changed(driven) == waiting - 5
    assert driven.session.deciding.waiting_in() == 5


def test_a_tile_whose_change_needs_a_word_is_marked_and_says_why(driven: MainWindow) -> None:
    table = table_desk(driven).table
    view = table.view
    assert view is not None
    driven.actions_["accept_all"].trigger()
    asked = driven.session.deciding.confirming.waiting
    assert asked is not None
    cells = frozenset[int]().union(*(w.cells for w in asked.warned))
    assert frozenset(np.flatnonzero(view.warned).tolist()) == cells and BOOST_CELL in cells
    hint = table.hint_at(table.tile_rect(BOOST_CELL).center().toPoint())
    assert "Red corner: leaner above atmospheric" in hint and "needs your word" in hint
    assert "Red corner" not in table.hint_at(table.tile_rect(100).center().toPoint())
    assert "needs your word" in {e.word for e in entries_for(view)}
    picture = table.grab().toImage()
    corner = table.tile_rect(BOOST_CELL).bottomRight().toPoint() - QPoint(3, 3)
    assert picture.pixelColor(corner).red() - picture.pixelColor(corner).green() > RED
    corner = table.tile_rect(100).bottomRight().toPoint() - QPoint(3, 3)
    assert picture.pixelColor(corner).red() - picture.pixelColor(corner).green() < RED


def test_what_is_asked_is_withdrawn_with_its_round(driven: MainWindow) -> None:
    driven.actions_["accept_all"].trigger()
    assert driven.confirm.isVisible()
    driven.session.rounds.begin_round()
    QApplication.processEvents()
    assert not driven.confirm.isVisible()


def test_cautions_are_one_line_that_opens_and_chooses_its_cells(driven: MainWindow) -> None:
    line = table_desk(driven).bar.caution
    assert line.height() == LINE_H
    assert "3 dangers: lean at full throttle" in line.line.text()
    assert "5 leaner in boost" in line.line.text()
    QTest.mouseClick(line.line, LEFT)
    QApplication.processEvents()
    assert line.panel.isVisible() and line.height() > 2 * LINE_H
    line.chosen.emit(next(c.cells for c in line._cautions if len(c.cells) == 5))
    assert BOOST_CELL in driven.session.selection.cells
    QTest.mouseClick(line.mark, LEFT)
    for _ in range(3):
        QApplication.processEvents()
    assert line.height() == LINE_H
    # In full where Accept is pressed.
    assert "destroys engines" in table_desk(driven).bar.accept.toolTip()
