"""The window itself: size, memory, desks and margin, banner, what escapes."""

from __future__ import annotations

import json
import sqlite3
import subprocess
import sys
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QRect, QSize, Qt, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from lean_trim.diagnostics import logbook
from lean_trim.features.registry import FEATURES
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.tables import table_text
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.ui.window.preferences import LEAST, WANTED, first_size
from lean_trim.ui.window.report_sheet import ReportSheet
from lean_trim.workspace.changes import Remedy
from tests.builders import DESKS, PAGES
from tests.deciding import accept_knowingly, type_knowingly
from tests.ui.conftest import evidence_page

Until = Callable[..., None]


@pytest.mark.parametrize(
    ("screen", "size"),
    [
        ((1920, 1080), WANTED),
        ((1280, 800), QSize(1272, 760)),
        ((1100, 640), QSize(1092, 600)),
        ((640, 480), LEAST),
    ],
)
def test_the_first_size_leaves_room_for_frame_and_bars(
    screen: tuple[int, int], size: QSize
) -> None:
    fake = SimpleNamespace(availableGeometry=lambda: QRect(0, 0, *screen))
    assert first_size(fake) == size  # type: ignore[arg-type]


def test_a_driven_job_fits_1100_by_640(driven: MainWindow) -> None:
    driven.resize(1100, 640)
    QApplication.processEvents()
    assert driven.size() == QSize(1100, 640)
    bar = table_desk(driven).bar
    desk = table_desk(driven)
    assert bar.caution.height() >= bar.caution.heightForWidth(bar.caution.width())
    assert bar.geometry().bottom() <= desk.height()


def test_the_first_drive_fits_1100_by_640_too(tmp_path: Path, qtbot: object, until: Until) -> None:
    window = make_window(FEATURES, tmp_path)
    window.resize(1100, 640)
    window.show()
    window.opening.open_demo()
    until(lambda: window.rail.steps.drive.text() == "Drive the simulated car")
    QApplication.processEvents()
    assert window.size() == QSize(1100, 640)
    window.session.cancel()
    window.close()


@pytest.mark.slow
def test_the_window_stands_as_it_was_left(tmp_path: Path, qtbot: object) -> None:
    first = make_window(FEATURES, tmp_path)
    first.show()
    first.resize(first.width(), 690)
    first.actions_["night"].setChecked(True)
    first.margin.show_page("logs")
    first.preferences.keep("folder", str(tmp_path))
    first.close()
    second = make_window(FEATURES, tmp_path)
    second.show()
    assert second.height() == 690
    assert second.appearance.theme.name == "night" and second.actions_["night"].isChecked()
    assert second.margin.shown == "logs"
    assert second.preferences.text("folder") == str(tmp_path)
    second.actions_["night"].setChecked(False)
    second.close()


def test_a_memory_that_makes_no_sense_is_ignored(tmp_path: Path, qtbot: object) -> None:
    (tmp_path / "window.ini").write_text(
        "[General]\ngeometry=nonsense\nsplitter=5\ndesk=kitchen\npage=attic\nnight=perhaps\n"
    )
    (tmp_path / "recent.json").write_text("5")
    window = make_window(FEATURES, tmp_path)
    window.show()
    assert window.desks.shown.name == "table" and window.margin.shown == "evidence"
    window.close()


def test_the_row_shows_the_pages_of_the_desk(driven: MainWindow) -> None:
    for spec in DESKS:
        driven.desks.show_desk(spec.name)
        shown = [
            p.title
            for p, b in zip(PAGES.values(), driven.margin.buttons.buttons(), strict=True)
            if not b.isHidden()
        ]
        assert shown == [page.title for page in spec.pages]


def test_the_desks_name_says_how_much_waits(driven: MainWindow) -> None:
    button = driven.desks.buttons.buttons()[[d.name for d in DESKS].index("table")]
    waiting = int((driven.session.proposal.step_pct != 0.0).sum())  # type: ignore[union-attr]
    assert button.text() == f"Table  ·  {waiting} to decide"
    accept_knowingly(driven.session.deciding)
    assert button.text() == "Table"
    driven.session.navigation.undo()
    assert button.text() == f"Table  ·  {waiting} to decide"


def test_undo_and_redo_say_what_they_do(driven: MainWindow) -> None:
    assert not driven.actions_["undo"].isEnabled()
    type_knowingly(driven.session.deciding, "+3%", frozenset({5}))
    assert driven.actions_["undo"].text() == "Undo: Set +3% on 1 cell"
    driven.actions_["undo"].trigger()
    assert (
        driven.actions_["redo"].text() == "Redo: Set +3% on 1 cell"
        and not driven.actions_["undo"].isEnabled()
    )


def test_truth_is_shown_for_the_simulated_car_only(
    driven: MainWindow, until: Until, job_path: Path
) -> None:
    """A real vehicle once got the truth of the simulated car."""
    driven.actions_["truth"].setChecked(True)
    assert "Truth of the simulated car" in table_desk(driven).header.text
    driven.session.close_job()
    db = sqlite3.connect(job_path)
    db.execute("UPDATE vehicle SET car = ''")
    db.commit()
    db.close()
    driven.opening.open_job(job_path)
    until(lambda: driven.session.solution is not None and not driven.session.is_busy)
    assert driven.actions_["truth"].isChecked() and not driven.actions_["truth"].isEnabled()
    assert "Truth" not in table_desk(driven).header.text


@pytest.mark.slow
def test_a_second_window_shows_a_banner_and_can_take_over(
    driven: MainWindow, tmp_path: Path, until: Until, job_path: Path
) -> None:
    second = make_window(FEATURES, tmp_path / "second")
    second.show()
    second.opening.open_job(job_path)
    until(lambda: second.session.solution is not None and not second.session.is_busy)
    assert second.banner.isVisible() and "open in another window" in second.banner.text.text()
    assert (
        "only to look at" in second.windowTitle() and not table_desk(second).bar.accept.isEnabled()
    )
    second.banner.remedies[Remedy.TAKE_OVER].click()
    until(
        lambda: (
            second.session.can_save
            and second.session.solution is not None
            and not second.session.is_busy
        )
    )
    assert not second.banner.isVisible() and table_desk(second).bar.accept.isEnabled()
    accept_knowingly(driven.session.deciding)
    assert driven.banner.isVisible() and "taken over" in driven.banner.text.text()
    assert driven.session.decision.changed == 0  # type: ignore[union-attr]
    second.close()


def test_starting_the_demo_afresh_keeps_the_old_one_and_leaves_another_window_alone(
    window: MainWindow, until: Until, tmp_path: Path
) -> None:
    data = tmp_path / "data"
    window.session.rounds.drive_minutes = 0.5
    window.opening.open_demo()
    until(lambda: window.session.job is not None)
    second = make_window(FEATURES, data)
    second.opening.open_demo(fresh=True)
    assert "the demo is open in another window" in second.messages.text.text()
    second.close()
    assert window.session.open.read_only == ""
    window.session.cancel()
    window.opening.open_demo(fresh=True)
    until(lambda: window.session.job is not None)
    (kept,) = data.glob("heron-demo until *.leantrim")
    assert f"The earlier one is kept beside it: {kept}" in window.messages.text.text()
    window.session.cancel()


def test_an_error_in_a_slot_is_told_and_written(
    window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    logbook.start_logbook(tmp_path / "state")
    QTimer.singleShot(0, lambda: 1 / 0)
    QApplication.processEvents()
    QApplication.processEvents()
    assert (
        "ZeroDivisionError" in window.messages.text.text()
        and "Save a report" in window.messages.text.text()
    )
    assert "ZeroDivisionError" in (tmp_path / "state" / logbook.LOG_NAME).read_text()


def test_a_report_is_saved_with_drive_data_only_if_ticked(
    driven: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(logbook, "state_folder", lambda: tmp_path)
    for ticked, name in ((False, "without.zip"), (True, "with.zip")):
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *_, n=name: (str(tmp_path / n), "")
        )
        driven.actions_["report_drives"].setChecked(ticked)
        driven.actions_["report"].trigger()
        sheet = driven.findChildren(ReportSheet)[-1]
        sheet.write.click()
        assert "The report is in" in driven.messages.text.text()
        with zipfile.ZipFile(tmp_path / name) as report:
            assert ("job.leantrim" in report.namelist()) == ticked
            assert "round" in json.loads(report.read("settings.json"))


@pytest.mark.slow
def test_saving_elsewhere_by_the_menu(
    driven: MainWindow, tmp_path: Path, until: Until, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "copy"), ""))
    accept_knowingly(driven.session.deciding)
    driven.actions_["save_elsewhere"].trigger()
    until(lambda: driven.session.open.path == tmp_path / "copy.leantrim")
    assert driven.session.decision.changed > 30  # type: ignore[union-attr]


FIRST_WINDOW = """
import sys
from pathlib import Path
from PySide6.QtWidgets import QApplication
from lean_trim.features.registry import FEATURES
from lean_trim.ui.window.app import make_window
app = QApplication([])
window = make_window(FEATURES, Path(sys.argv[1]))
window.show()
app.processEvents()
heavy = ("scipy", "numba", "polars", "asammdf", "zstandard", "lean_trim.simcar")
print(" ".join(m for m in heavy if m in sys.modules))
"""


def test_the_first_window_waits_for_nothing_heavy(tmp_path: Path) -> None:
    run = subprocess.run(
        [sys.executable, "-c", FIRST_WINDOW, str(tmp_path)],
        capture_output=True,
        text=True,
        check=True,
    )
    assert run.stdout.strip() == ""


def test_a_notice_moves_nothing(driven: MainWindow) -> None:
    def places() -> list[QRect]:
        for _ in range(3):
            QApplication.processEvents()
        parts = (driven.rail, driven.desks, driven.margin, driven.tape, table_desk(driven).table)
        return [QRect(w.mapTo(driven, QPoint(0, 0)), w.size()) for w in parts]

    driven.messages.hide()
    before = places()
    for text in ("Short.", "A long sentence that goes on for a while. " * 9):
        driven.messages.show_message("error", text, tuple(Remedy))
        assert places() == before
        bar = driven.messages
        assert bar.isVisible() and driven.centralWidget().rect().contains(bar.geometry())
        assert bar.text.height() >= bar.text.heightForWidth(bar.text.width())
    driven.resize(1100, 640)
    QApplication.processEvents()
    assert driven.centralWidget().rect().contains(driven.messages.geometry())


def test_undo_in_the_line_for_typing_undoes_the_decision(driven: MainWindow) -> None:
    driven.activateWindow()
    desk = table_desk(driven)
    driven.session.selection.set_cells(frozenset({70}))
    desk.bar.entry.setFocus()
    QTest.keyClicks(desk.bar.entry, "+3%")
    QTest.keyClick(desk.bar.entry, Qt.Key.Key_Return)
    assert driven.session.decision is not None and driven.session.decision.changed == 1
    assert desk.bar.entry.hasFocus() and desk.bar.entry.text() == ""
    QTest.keyClick(desk.bar.entry, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert driven.session.decision.changed == 0 and desk.bar.entry.text() == ""
    # While something is being typed it is the text's own.
    QTest.keyClicks(desk.bar.entry, "+4")
    QTest.keyClick(desk.bar.entry, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert desk.bar.entry.text() == "" and driven.session.decision.changed == 0


def test_a_visit_that_was_clicked_is_left_out_by_its_key(driven: MainWindow, until: Until) -> None:
    driven.margin.show_page("evidence")
    assert driven.session.solution is not None and driven.session.round is not None
    cell = int(np.argmax(driven.session.solution.estimate.seconds))
    driven.session.selection.set_cells(frozenset({cell}))
    page = evidence_page(driven)
    item = page.visits.item(0)
    start, end = item.data(Qt.ItemDataRole.UserRole)
    where = page.visits.visualItemRect(item).center()
    QTest.mouseClick(page.visits.viewport(), Qt.MouseButton.LeftButton, pos=where)
    assert driven.session.selection.cells == {cell}
    assert page.visits.currentItem().data(Qt.ItemDataRole.UserRole) == (start, end)
    driven.actions_["leave_out"].trigger()
    [span] = driven.session.round.left_out
    assert (span.start_s, span.end_s) == pytest.approx((start, end))
    until(lambda: not driven.session.is_busy)
    assert not driven.messages.isVisible()


def test_a_table_is_pasted_where_one_is_shown(driven: MainWindow) -> None:
    session = driven.session
    assert session.round is not None
    table = session.round.table
    values = table.shown.copy()
    values[3, 4] += 2.0
    values[0, 0] += 1.0
    edited = table_text(replace(table, values=table.own_of(values)), "\t")
    clipboard = QGuiApplication.clipboard()
    clipboard.setText(edited)
    driven.activateWindow()
    table_desk(driven).table.setFocus()
    QTest.keyClick(table_desk(driven).table, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
    # Shown as what changed before anything is decided.
    offer = table_desk(driven).bar.offer
    assert "Other than what is decided here: 2 cells of the clipboard" in offer.said.text()
    assert session.decision is not None and session.decision.changed == 0
    QTest.keyClick(offer.buttons[0], Qt.Key.Key_Return)
    assert session.decision is not None and session.decision.changed == 2
    assert "Paste 2 cells" in driven.actions_["undo"].text()
    np.testing.assert_allclose(session.decision.values, values)
    driven.actions_["undo"].trigger()
    clipboard.setText("\n".join(edited.splitlines()[:6]))
    driven.actions_["paste"].trigger()
    assert "this table has 14 × 16" in driven.messages.text.text()
    clipboard.setText(edited.replace("kPa\\rpm", "").replace("600\t", "650\t", 1))
    driven.actions_["paste"].trigger()
    assert "in other steps or another unit" in driven.messages.text.text()
    clipboard.setText("hello")
    driven.actions_["paste"].trigger()
    assert driven.messages.isVisible() and session.decision.changed == 0
    driven.show_desk("vehicle")
    clipboard.setText(edited)
    driven.actions_["paste"].trigger()
    assert session.decision.changed == 2
    driven.show_desk("pulls")
    pulls = driven.desk("pulls").widget
    pulls.view_buttons.button(2).click()  # type: ignore[attr-defined]
    target = session.round.revision.calibration["target_lambda"]
    clipboard.setText(table_text(replace(target, values=target.values - 0.01), "\t"))
    driven.actions_["paste"].trigger()
    assert "Paste targets" in driven.actions_["undo"].text()
    driven.show_desk("injectors")
    clipboard.setText("V\tms\n8\t1.9\n14\t0.7\n")
    desk = driven.desk("injectors")
    card = desk.widget.dead  # type: ignore[attr-defined]
    card.grid.setFocus()
    driven.actions_["paste"].trigger()
    assert card.sheet.isVisible()
