"""Everything can be reached and done by keyboard, and it is always seen where the keyboard is."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QRect, QSize, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QSlider,
    QWidget,
)

from lean_trim.core.data.log import Log
from lean_trim.features.table.desk.balance_table import BalanceTable
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.logs import write_log_csv
from lean_trim.ui.tape.tape import Tape
from lean_trim.ui.window.main_window import MainWindow
from tests.builders import PAGES
from tests.ui.conftest import sieve_page

Until = Callable[..., None]
CONTROLS = (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSpinBox,
    QComboBox,
    QLineEdit,
    QSlider,
    Tape,
    BalanceTable,
)
MOST_TABS = 400
pytestmark = pytest.mark.slow


def is_inner(widget: QWidget) -> bool:
    """Parts of a control: the entry of a box, the popup of a list, the buttons of a scroll bar."""
    parent = widget.parentWidget()
    while parent is not None:
        if isinstance(parent, QAbstractSpinBox | QComboBox | QAbstractItemView):
            return True
        parent = parent.parentWidget()
    return False


def controls(window: MainWindow) -> set[QWidget]:
    return {
        w
        for w in window.findChildren(QWidget)
        if isinstance(w, CONTROLS) and w.isVisible() and w.isEnabled() and not is_inner(w)
    }


def walked(window: MainWindow) -> set[QWidget]:
    """What Tab leads to, once around."""
    seen: set[QWidget] = set()
    for _ in range(MOST_TABS):
        now = QApplication.focusWidget()
        if now in seen:
            break
        if now is not None:
            seen.add(now)
        QTest.keyClick(now or window, Qt.Key.Key_Tab)
    return seen


def named(widgets: set[QWidget]) -> list[str]:
    return sorted(
        f"{type(w).__name__} {w.accessibleName() or getattr(w, 'text', lambda: '')()}"
        for w in widgets
    )


def test_tab_reaches_every_control(driven: MainWindow) -> None:
    driven.activateWindow()
    sieve_page(driven).rows["tip"].unfold(True)
    driven.session.selection.set_cells(frozenset({70}))
    for page in PAGES:
        driven.margin.show_page(page)
        QApplication.processEvents()
        table_desk(driven).table.setFocus()
        reached = walked(driven)
        # A group of buttons of which one is always on is one stop; arrows lead to the others.
        missing = {
            w
            for w in controls(driven) - reached
            if not (isinstance(w, QAbstractButton) and w.group() is not None and w.isCheckable())
        }
        assert named(missing) == [], page
        assert len(reached) > 20


def test_tab_leads_through_the_sheets_that_ask_and_the_start_page(
    driven: MainWindow, until: Until, tmp_path: Path, short_log: Log
) -> None:
    driven.activateWindow()
    write_log_csv(short_log, tmp_path / "look.csv")
    driven.session.imports.add([tmp_path / "look.csv"], look=True)
    until(lambda: driven.import_sheet.isVisible() and not driven.session.is_busy)
    driven.import_sheet.add.setFocus()
    reached = walked(driven)
    boxes = {w for w in controls(driven) if driven.import_sheet.isAncestorOf(w)}
    assert named(boxes - reached) == []
    driven.session.close_job()
    QApplication.processEvents()
    driven.start_page.setFocus()
    assert named(controls(driven) - walked(driven)) == []


def test_the_focus_is_always_seen(driven: MainWindow) -> None:
    """The window is painted other with the focus on a control than with the focus elsewhere."""
    driven.activateWindow()
    driven.session.selection.set_cells(frozenset({70}))
    unseen: set[QWidget] = set()
    count = 0
    for page in PAGES:
        driven.margin.show_page(page)
        QApplication.processEvents()
        for control in controls(driven):
            if (
                control.focusPolicy() == Qt.FocusPolicy.NoFocus
                or not control.visibleRegion().boundingRect()
            ):
                continue
            control.setFocus(Qt.FocusReason.TabFocusReason)
            if QApplication.focusWidget() is not control:
                continue
            QApplication.processEvents()
            focused = around(driven, control)
            driven.setFocus()
            QApplication.processEvents()
            if focused == around(driven, control):
                unseen.add(control)
            count += 1
    assert count > 40
    assert named(unseen) == []


def around(window: MainWindow, control: QWidget) -> QImage:
    """The control with a few pixels around it, as the window shows it."""
    corner = control.mapTo(window, QPoint(0, 0)) - QPoint(4, 4)
    return window.grab(QRect(corner, control.size() + QSize(8, 8))).toImage()


def test_the_tape_moves_and_chooses_by_arrows(driven: MainWindow) -> None:
    tape = driven.tape
    selection = driven.session.selection
    tape.setFocus()
    tape.look_at(200.0, 300.0)
    QTest.keyClick(tape, Qt.Key.Key_Right)
    first = tape.spot_s
    assert first is not None and 250.0 < first < 253.0
    assert driven.status.hover.text().startswith("4:1")
    for _ in range(20):
        QTest.keyClick(tape, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    assert selection.span == pytest.approx((first, first + 20.0), abs=0.1)
    assert selection.by_time
    for _ in range(5):
        QTest.keyClick(tape, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert selection.span == pytest.approx((first, first + 15.0), abs=0.1)
    driven.actions_["leave_out"].trigger()
    assert driven.session.round is not None and len(driven.session.round.left_out) == 1
    QTest.keyClick(tape, Qt.Key.Key_Escape)
    assert selection.span is None


def test_the_strip_follows_the_spot_and_stays_within_the_log(driven: MainWindow) -> None:
    tape = driven.tape
    tape.setFocus()
    tape.look_at(200.0, 260.0)
    for _ in range(8):
        QTest.keyClick(tape, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    assert tape.spot_s is not None and tape.start_s <= tape.spot_s <= tape.end_s + 1e-6
    assert tape.end_s > 270.0
    for _ in range(200):
        QTest.keyClick(tape, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert tape.data is not None and tape.spot_s == tape.data.start_s


def test_rows_and_columns_are_chosen_by_space(driven: MainWindow) -> None:
    table = table_desk(driven).table
    selection = driven.session.selection
    table.setFocus()
    table.current = 16 * 3 + 5
    QTest.keyClick(table, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    assert selection.cells == frozenset(range(48, 64))
    QTest.keyClick(table, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    assert selection.cells == frozenset(range(5, 14 * 16, 16))
