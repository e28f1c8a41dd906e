"""Any two states of the calibration: what differs, in words, cells and on the clipboard."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent

from lean_trim.core.data.calibration import calibration_of
from lean_trim.features.books.pages.compare_sheet import (
    CHANGE,
    SAME,
    VALUES_AFTER,
    VALUES_BEFORE,
    CompareSheet,
)
from lean_trim.features.books.revisions import differences, states_of
from lean_trim.simcar.heron import heron
from lean_trim.ui.window.main_window import MainWindow
from tests.deciding import type_knowingly


def test_only_tables_that_differ_are_named_with_their_cells() -> None:
    base = calibration_of(heron())
    ve = heron().table
    values = ve.values.copy()
    values[3, 4] *= 1.05
    values[5, 6] *= 0.9
    later = base.with_table("ve", ve.with_values(values))
    (one,) = differences(base, later)
    assert one.words == "ve: 2 cells" and one.comparable
    assert one.change_pct[3, 4] == pytest.approx(5.0) and one.changed.sum() == 2
    assert differences(base, base) == ()
    (gone,) = differences(base, base.without_table("target_lambda"))
    assert gone.words == "target_lambda: only in the first"
    finer = replace(ve.axes[0], points=np.linspace(20.0, 188.0, 9))
    fewer = replace(ve, axes=(finer, ve.axes[1]), values=np.ones((9, len(ve.axes[1]))))
    (other,) = differences(base, base.with_table("ve", fewer))
    assert other.words == "ve: other breakpoints" and not other.comparable


@pytest.mark.slow
def test_the_sheet_shows_any_two_states(driven: MainWindow) -> None:
    session = driven.session
    type_knowingly(session.deciding, "+5%", frozenset({3, 4}))
    session.rounds.begin_round()
    assert session.job is not None
    words = [s.words for s in states_of(session.job)]
    assert words == ["Round 1 as driven: the base", "Round 1 as decided", "Round 2 as driven"]
    sheet = CompareSheet(session, driven.appearance, driven)
    assert "ve: 2 cells differ by 5.0 % rms" in sheet.said.text()
    item = sheet.cells.item(0, 3)
    assert item is not None and item.text() == "+5.0"
    sheet.only.setChecked(True)
    blank = sheet.cells.item(1, 1)
    assert blank is not None and blank.text() == ""
    texts = []
    for how in (VALUES_BEFORE, VALUES_AFTER):
        sheet.how.setCurrentIndex(how)
        shown = sheet.cells.item(0, 3)
        assert shown is not None
        texts.append(float(shown.text()))
    assert texts[1] / texts[0] == pytest.approx(1.05, rel=1e-3)
    sheet.how.setCurrentIndex(CHANGE)
    # Given to the sheet itself: a modal sheet is the active window, which no hidden one is.
    copy = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    sheet.keyPressEvent(copy)
    assert QGuiApplication.clipboard().text().splitlines()[1].split("\t")[4] == "+5.0"
    sheet.first.setCurrentIndex(1)
    assert sheet.said.text() == SAME and sheet.cells.rowCount() == 0
    sheet.deleteLater()
