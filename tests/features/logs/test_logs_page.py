"""Logs are left out, replaced, moved and removed in the window, and where one belongs is asked in place."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAction
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.formats.logs import open_log, write_log_csv
from lean_trim.job.blobs import store_log
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.additions import AddLogs
from tests.deciding import accept_knowingly
from tests.ui.conftest import logs_page

Until = Callable[..., None]
pytestmark = pytest.mark.slow


@pytest.fixture
def two(driven: MainWindow, until: Until, short_log: Log) -> MainWindow:
    """Two logs in round 1, the Logs page open."""
    session = driven.session
    assert session.round is not None
    AddLogs(session.open, session.navigation, session.round.id, (store_log(short_log),)).apply()
    until(
        lambda: (
            session.solution is not None and len(session.solution.logs) == 2 and not session.is_busy
        )
    )
    driven.margin.show_page("logs")
    QApplication.processEvents()
    return driven


def choose(menu: QMenu, *names: str) -> None:
    """Open a menu and run what stands under a name, through its submenus."""
    menu.aboutToShow.emit()
    for name in names[:-1]:
        below = action(menu, name).menu()
        assert isinstance(below, QMenu)
        below.aboutToShow.emit()
        menu = below
    action(menu, names[-1]).trigger()
    QApplication.processEvents()


def action(menu: QMenu, name: str) -> QAction:
    found = [a for a in menu.actions() if a.text() == name]
    assert found, (name, [a.text() for a in menu.actions()])
    return found[0]


def shown_names(window: MainWindow) -> list[str]:
    return [row.name.text() for row in logs_page(window).logs.rows]


def test_a_log_is_left_out_and_counts_again_from_its_row(two: MainWindow, until: Until) -> None:
    session = two.session
    rows = logs_page(two).logs.rows
    assert "s used" in rows[0].facts.text() and "%" in rows[0].facts.text()
    choose(rows[1].menu, "Leave it out")
    until(lambda: session.solution is not None and not session.is_busy)
    rows = logs_page(two).logs.rows
    assert rows[1].facts.text() == "left out, does not count"
    assert session.solution is not None and len(session.solution.logs) == 1
    choose(rows[1].menu, "Let it count again")
    until(lambda: session.solution is not None and len(session.solution.logs) == 2)


def test_a_log_is_removed_by_the_round_menu_and_undo_brings_it_back(
    two: MainWindow, until: Until
) -> None:
    session = two.session
    name = session.round.log_infos[0].name  # type: ignore[union-attr]
    choose(two.logs_menu, name, "Remove it")
    until(lambda: session.solution is not None and not session.is_busy)
    assert len(shown_names(two)) == 1
    assert "Undo brings it back" in two.messages.text.text()
    assert two.actions_["undo"].text() == f"Undo: Remove {name}"
    two.actions_["undo"].trigger()
    until(lambda: session.solution is not None and not session.is_busy)
    assert len(shown_names(two)) == 2
    assert two.status.done.text() == f"Undone: Remove {name}"


def test_a_log_moves_to_another_round(two: MainWindow, until: Until) -> None:
    session = two.session
    accept_knowingly(session.deciding)
    session.rounds.begin_round()
    session.show_round(0)
    until(lambda: session.solution is not None and not session.is_busy)
    choose(logs_page(two).logs.rows[1].menu, "Move it to", "Round 2")
    until(lambda: session.solution is not None and not session.is_busy)
    assert session.job is not None
    assert [len(r.logs) for r in session.job.rounds] == [1, 1]


def test_a_log_is_replaced_by_a_chosen_file(
    two: MainWindow, until: Until, tmp_path: Path, short_log: Log, monkeypatch: pytest.MonkeyPatch
) -> None:
    session = two.session
    write_log_csv(short_log, tmp_path / "better.csv")
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", lambda *_: (str(tmp_path / "better.csv"), "")
    )
    choose(logs_page(two).logs.rows[0].menu, "Replace it by a file…")
    until(lambda: not session.is_busy and "better.csv" in shown_names(two))
    assert shown_names(two)[0] == "better.csv"


def test_only_to_look_at_offers_no_change(two: MainWindow) -> None:
    two.session.open.read_only = "it is open elsewhere"
    two.logs_menu.aboutToShow.emit()
    assert [a.text() for a in two.logs_menu.actions()] == ["Only to look at"]


def muted(log: Log) -> Log:
    """Without what tells which table it was driven on."""
    drop = (Role.PULSE_WIDTH, Role.DUTY)
    return Log(log.time_s, {r: v for r, v in log.channels.items() if r not in drop}, log.name)


@pytest.mark.parametrize(("answer", "logs"), [("here", [2]), ("next", [1, 1]), ("leave", [1])])
def test_the_window_asks_in_place_which_table_a_log_was_driven_on(
    driven: MainWindow, until: Until, tmp_path: Path, short_log: Log, answer: str, logs: list[int]
) -> None:
    session = driven.session
    sheet = driven.place_sheet
    accept_knowingly(session.deciding)
    write_log_csv(muted(short_log), tmp_path / "which.csv")
    session.imports.add([tmp_path / "which.csv"])
    until(lambda: sheet.isVisible())
    assert sheet.title.text() == "which.csv: driven on which table?"
    assert "does not tell" in sheet.reason.text()
    assert sheet.here.text().endswith("add to round 1")
    QTest.mouseClick(getattr(sheet, answer), Qt.MouseButton.LeftButton)
    until(lambda: not session.is_busy and not sheet.isVisible())
    assert session.job is not None
    assert [len(r.logs) for r in session.job.rounds] == logs


def test_after_a_hand_over_a_dropped_log_opens_the_next_round(
    driven: MainWindow, until: Until, tmp_path: Path, short_log: Log
) -> None:
    session = driven.session
    accept_knowingly(session.deciding)
    assert session.rounds.hand_over(tmp_path / "out.csv")
    write_log_csv(muted(short_log), tmp_path / "after.csv")
    session.imports.add([tmp_path / "after.csv"])
    until(lambda: session.job is not None and len(session.job.rounds) == 2 and not session.is_busy)
    assert session.index == 1 and session.round is not None
    assert [i.name for i in session.round.log_infos] == ["after.csv"]


@pytest.mark.parametrize(("name", "there"), [("out.csv", "out.csv"), ("out", "out.mf4")])
def test_a_log_is_written_for_other_programs(
    two: MainWindow,
    until: Until,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    name: str,
    there: str,
) -> None:
    chosen = (str(tmp_path / name), "MDF4 (*.mf4)")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: chosen)
    choose(logs_page(two).logs.rows[0].menu, "Write it as MDF4 or CSV…")
    until(lambda: (tmp_path / there).exists() and not two.session.is_busy)
    assert len(open_log(tmp_path / there, 14.7).log) > 50


def test_a_log_is_not_written_in_a_form_nobody_knows(
    two: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "out.doc"), "CSV (*.csv)")
    )
    told: list[str] = []
    monkeypatch.setattr(two.session.open, "error", lambda said: told.append(str(said)))
    choose(logs_page(two).logs.rows[0].menu, "Write it as MDF4 or CSV…")
    assert "is written as one of" in told[0] and not list(tmp_path.glob("out*"))
