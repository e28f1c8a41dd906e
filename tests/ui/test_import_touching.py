"""The import sheet: touching a field answers nothing, one answer is one column, and rows stay."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.meaning.match import by_role
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.heron import heron
from lean_trim.ui.widgets.choice_button import ChoiceButton
from lean_trim.ui.window.main_window import MainWindow
from tests.formats.meaning.test_following import BLEND, in_afr
from tests.ui.hands import pick, type_into
from tests.ui.test_import import doubtful, field, row_of, settle

Until = Callable[..., None]
Way = Callable[[MainWindow, ChoiceButton], None]
LEFT = Qt.MouseButton.LeftButton
pytestmark = pytest.mark.slow


def open_sheet(window: MainWindow, until: Until, path: Path, look: bool = False) -> None:
    car = replace(heron(), stoich_afr=BLEND, target=None)
    folder = path.parent
    window.opening.new_job(write_vehicle(car, folder / "car"), folder / "mine.leantrim")
    until(lambda: window.session.job is not None and not window.session.is_busy)
    window.session.imports.add([path], look=look)
    until(lambda: window.session.imports.current is not None and not window.session.is_busy)
    window.activateWindow()
    # The sheet takes the place of the pages: laid out in the turn after it is shown.
    QApplication.processEvents()
    QApplication.processEvents()


def escape(window: MainWindow, button: ChoiceButton) -> None:
    QTest.mouseClick(button, LEFT)
    assert button.open_menu is not None
    QTest.keyClick(button.open_menu, Qt.Key.Key_Escape)


def escape_after_moving(window: MainWindow, button: ChoiceButton) -> None:
    button.setFocus()
    QTest.keyClick(button, Qt.Key.Key_Down)
    assert button.open_menu is not None
    for key in (Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Escape):
        QTest.keyClick(button.open_menu, key)


def click_beside(window: MainWindow, button: ChoiceButton) -> None:
    QTest.mouseClick(button, LEFT)
    menu = button.open_menu
    assert menu is not None
    QTest.mouseClick(menu, LEFT, pos=QPoint(-30, -30))


def tab_through(window: MainWindow, button: ChoiceButton) -> None:
    button.setFocus()
    for _ in range(12):
        QTest.keyClick(QApplication.focusWidget() or window, Qt.Key.Key_Tab)


def turn_the_wheel(window: MainWindow, button: ChoiceButton) -> None:
    button.setFocus()
    middle = QPointF(button.mapTo(window, button.rect().center()))
    QTest.wheelEvent(window.windowHandle(), middle, QPoint(0, -120))


def arrows_beside(window: MainWindow, button: ChoiceButton) -> None:
    button.setFocus()
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Home):
        QTest.keyClick(button, key)


def type_and_escape(window: MainWindow, button: ChoiceButton) -> None:
    type_into(button, "AFR 14.7", ends=Qt.Key.Key_Escape)


def type_and_tab(window: MainWindow, button: ChoiceButton) -> None:
    type_into(button, "AFR 14.7", ends=Qt.Key.Key_Tab)


def type_and_click_elsewhere(window: MainWindow, button: ChoiceButton) -> None:
    button.setFocus()
    QTest.keyClicks(button, "A")
    window.import_sheet.leave.setFocus(Qt.FocusReason.MouseFocusReason)


def empty_and_return(window: MainWindow, button: ChoiceButton) -> None:
    button.begin_typing("")
    assert button.line is not None
    QTest.keyClick(button.line, Qt.Key.Key_Return)


def night_and_size(window: MainWindow, button: ChoiceButton) -> None:
    window.actions_["night"].trigger()
    window.resize(1100, 640)
    window.actions_["night"].trigger()
    window.resize(1280, 800)


WAYS: tuple[Way, ...] = (
    escape,
    escape_after_moving,
    click_beside,
    tab_through,
    turn_the_wheel,
    arrows_beside,
    type_and_escape,
    type_and_tab,
    type_and_click_elsewhere,
    empty_and_return,
    night_and_size,
)


def test_touching_a_field_answers_nothing(
    window: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    open_sheet(window, until, doubtful(short_log, tmp_path / "a.csv"))
    before = window.session.imports.current
    texts = window.import_sheet.questions.text()
    for way in WAYS:
        for name, column in (("Wideband", 2), ("Lambda Soll", 2), ("Saugrohrdruck", 0)):
            button = field(window, name, column)
            if column == 0 and "type" in way.__name__:
                continue
            # The window as a whole is touched, whichever field is looked at.
            if way is night_and_size and name != "Wideband":
                continue
            window.activateWindow()
            QApplication.processEvents()
            way(window, button)
            QApplication.processEvents()
            assert not window.session.imports.answers.is_reading, (way.__name__, name)
            assert button.line is None and button.open_menu is None, (way.__name__, name)
    settle(window, until)
    assert window.session.imports.current is before
    assert before is not None and before.choices == Choices()
    assert window.import_sheet.questions.text() == texts


def test_one_answer_is_one_column_and_what_follows_is_proposed(
    window: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    path = in_afr(short_log, tmp_path / "a.csv", BLEND, BLEND)
    open_sheet(window, until, path, look=True)
    sheet = window.import_sheet
    type_into(unit_of(window, "AFR"), "AFR 14.7")
    settle(window, until)
    current = window.session.imports.current
    assert current is not None and set(current.choices.columns) == {"AFR"}
    row = row_at(window, "AFR Target")
    assert sheet.table.item(row, 5).text() == "asks"
    assert "Target lambda would then be in AFR 14.7" in sheet.questions.text()
    yes = sheet.table.cellWidget(row, 5)
    assert isinstance(yes, QPushButton) and yes.isVisible()
    QTest.mouseClick(yes, LEFT)
    settle(window, until)
    assert sheet.questions.text().startswith("Everything is understood")
    assert not yes.isVisible() and row_at(window, "AFR Target") == row
    current = window.session.imports.current
    assert current is not None
    assert by_role(current.opened.mapped.matches)[Role.TARGET].note == "as you said"


def row_at(window: MainWindow, name: str) -> int:
    table = window.import_sheet.table
    return next(r for r in range(table.rowCount()) if table.item(r, 1).text() == name)


def unit_of(window: MainWindow, name: str) -> ChoiceButton:
    widget = window.import_sheet.table.cellWidget(row_at(window, name), 2)
    assert isinstance(widget, ChoiceButton)
    return widget


def test_rows_stay_and_an_open_list_stays_open_while_the_log_is_read_again(
    window: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    open_sheet(window, until, doubtful(short_log, tmp_path / "a.csv"))
    sheet = window.import_sheet
    names = [sheet.table.item(r, 1).text() for r in range(sheet.table.rowCount())]
    top = sheet.table.mapTo(window, QPoint(0, 0))
    pressure = field(window, "Saugrohrdruck", 2)
    pick(pressure, "bar")
    assert window.session.imports.answers.is_reading
    assert pressure.text() == "bar …" and not sheet.add.isEnabled()
    throttle = field(window, "Drosselklappe", 2)
    QTest.mouseClick(throttle, LEFT)
    settle(window, until)
    assert throttle.open_menu is not None and throttle.open_menu.isVisible()
    QTest.keyClick(throttle.open_menu, Qt.Key.Key_Escape)
    assert pressure.text() == "bar"
    assert [sheet.table.item(r, 1).text() for r in range(len(names))] == names
    assert sheet.table.mapTo(window, QPoint(0, 0)) == top
    assert row_of(window, "Saugrohrdruck") == names.index("Saugrohrdruck [kPa]")


def test_two_answers_in_quick_succession_both_count(
    window: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    open_sheet(window, until, doubtful(short_log, tmp_path / "a.csv"))
    pick(field(window, "Saugrohrdruck", 2), "bar")
    type_into(field(window, "Wideband", 2), "0 V = 0.68, 5 V = 1.36")
    window.session.imports.accept()
    assert "still being worked in" in window.messages.text.text()
    settle(window, until)
    current = window.session.imports.current
    assert current is not None
    assert {c: w.unit for c, w in current.choices.columns.items()} == {
        "Saugrohrdruck": "bar",
        "Wideband 0-5V": "0 V = 0.68, 5 V = 1.36",
    }
    assert window.import_sheet.add.isEnabled()


def test_an_answer_that_cannot_be_read_leaves_the_field_as_it_was(
    window: MainWindow, until: Until, short_log: Log, tmp_path: Path
) -> None:
    open_sheet(window, until, doubtful(short_log, tmp_path / "a.csv"))
    button = field(window, "Wideband", 2)
    before = button.text()
    type_into(button, "furlong")
    settle(window, until)
    assert "cannot be read in 'furlong'" in window.messages.text.text()
    assert button.text() == before
