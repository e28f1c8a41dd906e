"""The table goes out in the dress the editor wants, and an edited one comes back."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from lean_trim.features.table.desk.desk import table_desk
from lean_trim.features.table.desk.hand_over_as import HandOverAs
from lean_trim.formats.tables import table_text
from lean_trim.formats.tables.handing import What
from lean_trim.ui.window.main_window import MainWindow
from tests.deciding import accept_knowingly
from tests.ui.conftest import click

pytestmark = pytest.mark.slow
LEFT = Qt.MouseButton.LeftButton


def sheet_of(window: MainWindow) -> HandOverAs:
    window.actions_["hand_over_as"].trigger()
    QApplication.processEvents()
    (sheet,) = window.findChildren(HandOverAs)
    return sheet


def edited_text(window: MainWindow, cells: dict[int, float]) -> str:
    """The decided table with some cells changed in percent."""
    current = window.session.round
    assert current is not None
    values = current.result.values.ravel().copy()
    for cell, pct in cells.items():
        values[cell] = round(values[cell] * (1.0 + pct / 100.0), 1)
    return table_text(current.result.with_values(values), "\t")


def test_percent_with_commas_and_semicolons_to_the_clipboard(driven: MainWindow) -> None:
    accept_knowingly(driven.session.deciding)
    sheet = sheet_of(driven)
    sheet.what.chosen.emit(What.PERCENT)
    sheet.decimal.chosen.emit(",")
    sheet.separator.chosen.emit(",")
    assert "cannot be both" in sheet.told.text() and not sheet.copy_button.isEnabled()
    sheet.separator.chosen.emit(";")
    assert ";" in sheet.shown.toPlainText() and "," in sheet.shown.toPlainText()
    QTest.mouseClick(sheet.copy_button, LEFT)
    text = QGuiApplication.clipboard().text()
    assert len(text.splitlines()) == 15 and text.splitlines()[1].count(";") == 16
    assert driven.session.round is not None and driven.session.round.handed_over
    assert "Handed over" in sheet.told.text()
    sheet.close()


def test_a_part_does_not_count_as_handed_over(driven: MainWindow, tmp_path: Path) -> None:
    click(driven, 70)
    sheet = sheet_of(driven)
    sheet.chosen_only.setChecked(True)
    sheet.write(tmp_path / "part.csv")
    assert (tmp_path / "part.csv").read_text(encoding="utf-8").count("\n") == 2
    assert "does not count as handed over" in sheet.told.text()
    assert driven.session.round is not None and not driven.session.round.handed_over
    sheet.write(tmp_path / "missing" / "part.csv")
    assert "could not be written" in sheet.told.text()
    sheet.close()


def test_an_edited_table_becomes_a_round_of_its_own(driven: MainWindow) -> None:
    session = driven.session
    accept_knowingly(session.deciding)
    driven.actions_["copy"].trigger()
    QGuiApplication.clipboard().setText(edited_text(driven, {70: 2.0, 71: -1.0}))
    table_desk(driven).table.setFocus()
    driven.actions_["paste"].trigger()
    desk = table_desk(driven)
    assert "Other than what was handed over: 2 cells of the clipboard" in desk.bar.offer.said.text()
    assert desk.table.view is not None and desk.table.view.is_hollow[70]
    before = session.round
    assert before is not None
    QTest.mouseClick(desk.bar.offer.buttons[1], LEFT)
    if driven.confirm.isVisible():
        QTest.mouseClick(driven.confirm.go_on, LEFT)
    QApplication.processEvents()
    current = session.round
    assert current is not None and current.number == before.number + 1
    assert current.note.startswith("edited elsewhere")
    moved = np.flatnonzero(current.table.values.ravel() != before.result.values.ravel())
    assert moved.tolist() == [70, 71]
    # What was decided before stays as it was.
    assert session.job is not None
    np.testing.assert_array_equal(session.job.rounds[0].result.values, before.result.values)


def test_leaner_in_boost_from_elsewhere_needs_a_word_too(driven: MainWindow) -> None:
    QGuiApplication.clipboard().setText(edited_text(driven, {204: -6.0}))
    driven.actions_["paste"].trigger()
    QTest.mouseClick(table_desk(driven).bar.offer.buttons[1], LEFT)
    assert driven.confirm.isVisible() and "1 cell above atmospheric" in driven.confirm.said.text()
    assert driven.session.index == 0
    QTest.mouseClick(driven.confirm.go_on, LEFT)
    current = driven.session.round
    assert current is not None and current.number == 2
    assert current.note == "edited elsewhere; your word was given: 1 leaner above atmospheric"


def test_the_same_table_and_a_wrong_one_are_told(
    driven: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    QGuiApplication.clipboard().setText(edited_text(driven, {}))
    driven.actions_["paste"].trigger()
    assert "nothing to take" in driven.messages.text.text()
    path = tmp_path / "edited.csv"
    path.write_text(edited_text(driven, {70: 1.0}).replace("\t", ";"), encoding="utf-8")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    driven.actions_["open_edited"].trigger()
    offer = table_desk(driven).bar.offer
    assert "1 cell of edited.csv" in offer.said.text()
    QTest.keyClick(offer.buttons[0], Qt.Key.Key_Escape)
    assert not offer.isVisible() and table_desk(driven).table.preview is None
    path.write_text("hello world", encoding="utf-8")
    driven.actions_["open_edited"].trigger()
    assert driven.messages.isVisible() and not offer.isVisible()
