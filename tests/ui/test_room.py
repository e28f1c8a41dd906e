"""The table gets the room: its share of the window, the rail narrow, the pages shut, the legend on a key."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.features.registry import FEATURES
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.ui.tape.tape import RIBBON_H
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow

pytestmark = pytest.mark.slow


def share(window: MainWindow) -> tuple[float, float]:
    """The table's share of the window's width and height."""
    for _ in range(3):
        QApplication.processEvents()
    table = table_desk(window).table
    return table.width() / window.width(), table.height() / window.height()


def test_the_table_has_its_share_before_anything_is_folded_by_hand(
    driven: MainWindow, tmp_path: Path
) -> None:
    # As a window stands at its very first start.
    driven.preferences.keep("tape on table", "")
    driven.preferences._settings.remove("tape on table")
    driven.fold.desk = ""
    driven.fold.turn_to("table")
    driven.margin.show_page("evidence")
    wide, high = share(driven)
    assert driven.tape.height() == RIBBON_H
    assert wide >= 0.60 and high >= 0.55
    driven.resize(1100, 640)
    wide, high = share(driven)
    assert wide >= 0.50 and high >= 0.50


def test_the_rail_narrows_to_marks_and_the_pages_shut(driven: MainWindow) -> None:
    before = share(driven)[0]
    driven.actions_["narrow_rail"].trigger()
    driven.actions_["shut_margin"].trigger()
    wide = share(driven)[0]
    assert wide > before + 0.30
    assert driven.rail.list.isVisible() and not driven.rail.steps.isVisible()
    # A page that is asked for opens them; so does the rail's own button.
    driven.actions_["page_findings"].trigger()
    assert driven.margin.pages.isVisible() and not driven.actions_["shut_margin"].isChecked()
    QTest.mouseClick(driven.rail.widener, Qt.MouseButton.LeftButton)
    assert driven.rail.steps.isVisible() and not driven.actions_["narrow_rail"].isChecked()


def test_the_sides_stand_as_they_were_left(tmp_path: Path, qtbot: object) -> None:
    first = make_window(FEATURES, tmp_path)
    first.actions_["narrow_rail"].trigger()
    first.close()
    second = make_window(FEATURES, tmp_path)
    assert second.rail.is_narrow and not second.margin.is_shut
    second.close()


def test_the_legend_comes_on_a_key_and_by_pointing(driven: MainWindow) -> None:
    desk = table_desk(driven)
    QApplication.processEvents()
    assert not desk.legend.isVisible()
    driven.actions_["legend"].trigger()
    assert desk.legend.isVisible()
    assert desk.legend.geometry().bottom() == desk.table.height() - 1
    driven.actions_["legend"].trigger()
    assert not desk.legend.isVisible()
    desk.bar.marks.hovered.emit(True)
    assert desk.legend.isVisible()
    desk.bar.marks.hovered.emit(False)
    assert not desk.legend.isVisible()
    assert desk.legend.hint_at(QPoint(0, 0)) == ""
