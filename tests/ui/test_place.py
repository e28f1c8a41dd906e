"""The tape's moment on the table: pointed at, walked to by keys, played."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.explore.place import trail
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.figure_names import Figure
from lean_trim.ui.widgets.tile_grid import HEAD_H, HEAD_W
from lean_trim.ui.window.main_window import MainWindow

pytestmark = pytest.mark.slow
Until = Callable[[Callable[[], bool]], None]


def expected_point(window: MainWindow, at_s: float) -> QPoint:
    """Where the engine was, from the log itself."""
    session = window.session
    assert session.solution is not None and session.round is not None
    row, column = trail(session.solution.frame, session.round.table, at_s, 0.0)[-1]
    w, h = table_desk(window).table.tile_size()
    return QPoint(round(HEAD_W + (column + 0.5) * w), round(HEAD_H + (row + 0.5) * h))


def colour_at(window: MainWindow, point: QPoint) -> QColor:
    return table_desk(window).table.grab().toImage().pixelColor(point)


def test_pointing_at_the_tape_shows_the_place(driven: MainWindow) -> None:
    tape = driven.tape
    point = QPointF(tape.x_of(100.0), 30.0)
    none = Qt.MouseButton.NoButton
    moved = QMouseEvent(
        QEvent.Type.MouseMove,
        point,
        tape.mapToGlobal(point),
        none,
        none,
        Qt.KeyboardModifier.NoModifier,
    )
    QApplication.sendEvent(tape, moved)
    at = driven.session.selection.moment_s
    assert at is not None and at == pytest.approx(100.0, abs=1.0)
    mark = colour_at(driven, expected_point(driven, at))
    danger = driven.appearance.theme.color("danger")
    assert (mark.red(), mark.green(), mark.blue()) == (danger.red(), danger.green(), danger.blue())
    QApplication.sendEvent(tape, QEvent(QEvent.Type.Leave))
    assert driven.session.selection.moment_s is None


def test_keys_walk_the_place_along(driven: MainWindow) -> None:
    driven.activateWindow()
    driven.tape.setFocus()
    driven.tape.go_to(100.0)
    QTest.keyClick(driven.tape, Qt.Key.Key_Right)
    at = driven.session.selection.moment_s
    assert at is not None and at > 100.0
    # Nothing is chosen by that.
    assert driven.session.selection.cells == frozenset()


def test_playing_runs_along_and_stops_at_the_end(driven: MainWindow, until: Until) -> None:
    player = driven.tape_bar.player
    driven.tape.go_to(100.0)
    player.use(60)
    assert driven.tape_bar.pace.text() == "×60"
    driven.actions_["play"].trigger()
    assert player.plays and driven.tape_bar.play.text() == "■"
    until(lambda: (driven.tape.spot_s or 0.0) > 110.0)
    driven.actions_["play"].trigger()
    assert not player.plays
    assert driven.tape.data is not None
    driven.tape.go_to(driven.tape.data.end_s - 1.0)
    driven.actions_["play"].trigger()
    until(lambda: not player.plays)
    assert driven.tape.spot_s == driven.tape.data.end_s


def test_tiles_that_are_mended_look_as_if_all_were_painted_anew(driven: MainWindow) -> None:
    table = table_desk(driven).table
    header = table_desk(driven).header
    deciding = driven.session.deciding
    table.grab()
    for act in (
        lambda: deciding.type_in("+3%", frozenset({70, 71, 200})),
        lambda: deciding.pin(frozenset({16, 33})),
        lambda: deciding.accept(frozenset(range(60, 90))) or deciding.confirm(),
        lambda: header.choose(Figure.ASKED),
        lambda: header.choose(Figure.STEP),
        lambda: deciding.put_back(frozenset({71})),
    ):
        act()
        mended = table.grab().toImage()
        table._picture = None
        assert mended == table.grab().toImage()


def test_a_moment_repaints_no_tile(driven: MainWindow) -> None:
    table = table_desk(driven).table
    table.grab()
    before = table._painted
    assert before is not None
    driven.tape.go_to(100.0)
    table.grab()
    assert table._painted is before
    driven.session.deciding.type_in("+3%", frozenset({70}))
    table.grab()
    assert table.view is not None and table._painted is table.view is not before
    assert 70 in (table.view.apart(before) or [])
