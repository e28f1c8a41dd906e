"""Rows and columns in the window."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.axis_edit import Act
from lean_trim.features.table.desk.axis_sheet import AxisSheet
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.ui.window.main_window import MainWindow
from tests.deciding import accept_knowingly
from tests.ui.conftest import click

pytestmark = pytest.mark.slow


def sheet_of(window: MainWindow, name: str) -> AxisSheet:
    window.actions_[name].trigger()
    QApplication.processEvents()
    (sheet,) = window.findChildren(AxisSheet)
    return sheet


def test_a_column_is_put_in_with_three_actions(driven: MainWindow) -> None:
    accept_knowingly(driven.session.deciding)
    click(driven, 70)
    sheet = sheet_of(driven, "insert_column")
    assert "reads the same" in sheet.told.text() and sheet.do.text() == "Begin a round on it"
    sheet.value.selectAll()
    QTest.keyClicks(sheet.value, "1000")
    QTest.keyClick(sheet.value, Qt.Key.Key_Return)
    QApplication.processEvents()
    current = driven.session.round
    assert current is not None and current.table.shape == (14, 17) and current.number == 2
    view = table_desk(driven).table.view
    assert view is not None and view.columns == 17
    driven.actions_["undo"].trigger()
    assert driven.session.round is not None and driven.session.round.table.shape == (14, 16)
    assert view is not table_desk(driven).table.view


def test_what_taking_a_row_out_costs_stands_there_first(driven: MainWindow) -> None:
    click(driven, 5 * 16 + 3)
    sheet = sheet_of(driven, "remove_row")
    assert "differs by up to" in sheet.told.text() and "kPa" in sheet.told.text()
    sheet.act.chosen.emit(Act.MOVE)
    sheet.value.selectAll()
    QTest.keyClicks(sheet.value, "200")
    assert "beyond the neighbours" in sheet.told.text() and not sheet.do.isEnabled()
    sheet.value.selectAll()
    QTest.keyClicks(sheet.value, "much")
    assert "is no number in kPa" in sheet.told.text()
    QTest.keyClick(sheet, Qt.Key.Key_Escape)
    assert driven.session.index == 0
