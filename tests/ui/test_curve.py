"""The table as a curve in the window: chosen, dragged, nudged, typed, cut the other way."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.types import Floats
from lean_trim.features.table.desk.curve_view import CurveView
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.ui.window.main_window import MainWindow
from tests.ui.conftest import click, drag

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton
CELL = 5 * 16 + 6


def values(window: MainWindow) -> Floats:
    assert window.session.decision is not None
    return window.session.decision.values


def shown(window: MainWindow) -> CurveView:
    window.activateWindow()
    click(window, CELL)
    window.actions_["as_curve"].trigger()
    QApplication.processEvents()
    view = table_desk(window).curve.view
    view.grab()
    return view


def point(view: CurveView, place: int) -> QPoint:
    return view.point_of(place).toPoint()


def test_a_point_is_dragged_and_that_is_one_undo(driven: MainWindow) -> None:
    view = shown(driven)
    assert view.slice is not None and view.scale is not None and view.hasFocus()
    assert view.slice.cells.tolist() == list(range(80, 96))
    before = values(driven)
    start = point(view, 6)
    up = start - QPoint(0, 40)
    wanted = view.scale.value(float(up.y()))
    drag(view, start, up)
    assert values(driven).ravel()[CELL] == pytest.approx(wanted, abs=0.11)
    assert driven.session.history.count() == 1
    driven.actions_["undo"].trigger()
    assert np.array_equal(values(driven), before)
    # A click chooses, and moves nothing.
    QTest.mouseClick(view, LEFT, pos=point(view, 3))
    assert driven.session.selection.cells == frozenset({83})
    assert np.array_equal(values(driven), before)


def test_keys_walk_nudge_and_type(driven: MainWindow) -> None:
    view = shown(driven)
    before = values(driven).ravel()
    QTest.keyClick(view, Qt.Key.Key_Right)
    assert driven.session.selection.cells == frozenset({CELL + 1})
    QTest.keyClick(view, Qt.Key.Key_PageUp)
    assert values(driven).ravel()[CELL + 1] / before[CELL + 1] == pytest.approx(1.01, abs=0.001)
    QTest.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert driven.session.selection.cells == frozenset({CELL, CELL + 1})
    QTest.keyClick(view, Qt.Key.Key_Plus)
    entry = table_desk(driven).bar.entry
    QTest.keyClicks(entry, "5%")
    QTest.keyClick(entry, Qt.Key.Key_Return)
    assert values(driven).ravel()[CELL] / before[CELL] == pytest.approx(1.05, abs=0.001)
    QTest.mouseClick(view, LEFT, Qt.KeyboardModifier.ShiftModifier, point(view, 9))
    assert driven.session.selection.cells == frozenset(range(CELL, CELL + 4))


def test_in_percent_along_the_other_axis_and_logarithmic(driven: MainWindow) -> None:
    view = shown(driven)
    panel = table_desk(driven).curve
    assert panel.along.text() == "Along rpm"
    QTest.mouseClick(panel.along, LEFT)
    assert panel.along.text() == "Along kPa" and view.slice is not None
    assert view.slice.cells.tolist() == [r * 16 + 6 for r in range(14)]
    QTest.mouseClick(panel.percent, LEFT)
    assert view.slice.unit == "%" and (view.slice.driven == 0.0).all()
    assert not panel.log_up.isEnabled()
    driven.session.deciding.type_in("+4%", frozenset({CELL}))
    assert view.slice.decided[5] == pytest.approx(4.0, abs=0.1)
    # Dragged in percent it is the value of that percentage.
    view.grab()
    drag(view, point(view, 5), point(view, 5) + QPoint(0, 30))
    assert view.scale is not None
    assert values(driven).ravel()[CELL] < driven.session.round.table.values.ravel()[CELL] * 1.04  # type: ignore[union-attr]
    QTest.mouseClick(panel.percent, LEFT)
    QTest.mouseClick(panel.log_across, LEFT)
    QTest.mouseClick(panel.log_up, LEFT)
    view.grab()
    assert view.scale.log_across and view.scale.log_up


def test_truth_and_both_methods_are_there_and_the_numbers(driven: MainWindow) -> None:
    view = shown(driven)
    assert view.slice is not None and np.isnan(view.slice.truth).all()
    driven.actions_["truth"].setChecked(True)
    assert np.isfinite(view.slice.truth).all() and np.isfinite(view.slice.averaged).any()
    head = view.numbers().splitlines()[0].split("\t")
    assert head[0] == "engine speed, rpm" and "truth, %" in head
    assert len(view.numbers().splitlines()) == 17


def test_the_tiles_come_back(driven: MainWindow) -> None:
    view = shown(driven)
    QTest.mouseClick(table_desk(driven).header.as_curve, LEFT)
    assert table_desk(driven).table.isVisible() and not view.isVisible()
    assert not driven.actions_["as_curve"].isChecked()
    assert view.place_at(QPointF(0, 0).x()) is None or view.slice is not None
