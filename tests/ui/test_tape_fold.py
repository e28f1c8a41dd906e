"""The tape folds to a ribbon, opens where a stretch is asked for, and every desk remembers its own."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.features.registry import FEATURES
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.ui.tape.tape import RIBBON_H
from lean_trim.ui.tape.tape_paint import LEFT
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow
from tests.ui.conftest import evidence_page

pytestmark = pytest.mark.slow


def settle() -> None:
    for _ in range(3):
        QApplication.processEvents()


def test_a_key_folds_it_and_the_table_gets_the_room(driven: MainWindow) -> None:
    settle()
    table = table_desk(driven).table
    before = table.height()
    driven.actions_["fold_tape"].trigger()
    settle()
    assert driven.tape.height() == RIBBON_H and not driven.tape_bar.isVisible()
    assert table.height() > before + 100
    assert "F7" in driven.tape.hint_at(QPoint(LEFT // 2, 10))
    # It still shows where the engine was: a click sets the spot.
    QTest.mouseClick(driven.tape, Qt.MouseButton.LeftButton, pos=QPoint(600, 12))
    assert driven.tape.spot_s is not None
    driven.tape.grab()
    driven.actions_["fold_tape"].trigger()
    settle()
    assert driven.tape_bar.isVisible() and table.height() == before


def test_it_opens_where_a_stretch_is_asked_for(driven: MainWindow) -> None:
    assert driven.session.solution is not None
    busy = int(driven.session.solution.estimate.seconds.argmax())
    driven.margin.show_page("evidence")
    driven.session.selection.set_cells(frozenset({busy}))
    page = evidence_page(driven)
    for ask in (
        lambda: page.visits.itemClicked.emit(page.visits.item(0)),
        driven.actions_["zoom_chosen"].trigger,
        driven.actions_["next_event"].trigger,
        lambda: QTest.mouseDClick(driven.tape, Qt.MouseButton.LeftButton, pos=QPoint(600, 12)),
    ):
        driven.fold.fold()
        settle()
        assert driven.fold.is_folded
        ask()
        settle()
        assert not driven.fold.is_folded and driven.tape.height() > 3 * RIBBON_H


def test_dragging_its_edge_folds_and_opens_it(driven: MainWindow) -> None:
    settle()
    handle = driven.splitter.handle(1)

    def drag(by: int) -> None:
        middle = handle.rect().center()
        QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=middle)
        for step in range(1, 9):
            QTest.mouseMove(handle, middle + QPoint(0, by * step // 8))
        QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=middle + QPoint(0, by))
        settle()

    driven.fold.fold()
    settle()
    drag(-120)
    assert not driven.fold.is_folded
    driven.fold.fold()
    settle()
    assert driven.fold.is_folded


def test_every_desk_remembers_its_own_height(driven: MainWindow) -> None:
    driven.show_desk("table")
    driven.fold.fold()
    driven.show_desk("pulls")
    settle()
    assert not driven.fold.is_folded
    driven.show_desk("table")
    settle()
    assert driven.fold.is_folded
    driven._remember()
    again = make_window(FEATURES, driven.data_folder)
    try:
        assert again.desks.shown.name == "table" and again.fold.is_folded
        again.show_desk("pulls")
        assert not again.fold.is_folded
    finally:
        again.close()
        again.deleteLater()
