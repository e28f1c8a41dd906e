"""A feature is added by one declaration: nothing else in the program has to know of it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from lean_trim.cli.main import main
from lean_trim.features.feature import Feature
from lean_trim.features.registry import FEATURES
from lean_trim.job.loading import load_job
from lean_trim.ui.window.app import make_window
from lean_trim.ui.window.finder import Finder
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.parts import Parts
from tests.features.toy import CANISTER, SHARE, TOY, CanisterDesk, CanisterTables, canister_table
from tests.race.conftest import Bench

WITH_TOY: tuple[Feature, ...] = (*FEATURES, TOY)


@pytest.fixture
def bench(first_solve: None, job_path: Path) -> Iterator[Bench]:
    made = Bench(WITH_TOY)
    made.open(job_path)
    yield made
    made.workspace.opening.close_job()


@pytest.fixture
def window(
    qtbot: QtBot,
    tmp_path: Path,
    first_solve: None,
    job_path: Path,
    until: Callable[[Callable[[], bool]], None],
) -> Iterator[MainWindow]:
    made = make_window(WITH_TOY, tmp_path / "data")
    made.resize(1280, 800)
    made.show()
    made.opening.open_job(job_path)
    until(lambda: made.session.solution is not None and not made.session.is_busy)
    yield made
    made.close()
    made.deleteLater()
    QApplication.processEvents()


def test_its_table_is_decided_undone_handed_over_kept_and_driven_on(
    bench: Bench, job_path: Path, tmp_path: Path
) -> None:
    work = bench.workspace
    tables = work.parts[CanisterTables]
    assert not tables.accept(CANISTER)
    assert tables.take_table(CANISTER, canister_table())
    assert tables.type_in(CANISTER, 0, "+10%")
    assert tables.accept(CANISTER)
    decided = tables.decided(CANISTER)
    assert decided is not None
    assert decided.values == pytest.approx(canister_table().values * SHARE)
    work.navigation.undo()
    undone = tables.decided(CANISTER)
    assert undone is not None and undone.values[0] == pytest.approx(1.1)
    work.navigation.redo()

    target = tmp_path / "ve.csv"
    assert work.rounds.hand_over(target)
    assert "2.5" in target.with_name("ve-canister-air.csv").read_text()
    kept = load_job(job_path).rounds[-1]
    assert kept.decisions[CANISTER].values == pytest.approx(decided.values)
    assert kept.corrections_decided

    work.rounds.drive_minutes = 0.5
    work.rounds.drive()
    bench.settle()
    job = work.open.job
    assert job is not None and len(job.rounds) == 2
    driven_on = job.vehicle_in(1).corrections[CANISTER]
    assert np.array_equal(driven_on.values, decided.values)
    assert load_job(job_path).rounds[1].revision.calibration[CANISTER].unit == "g/s"


def test_its_desk_page_help_and_what_it_found_are_shown(
    window: MainWindow, until: Callable[[Callable[[], bool]], None]
) -> None:
    finder = Finder(window.actions_, window)
    finder.search("vapour")
    assert finder.list.topLevelItemCount() == 1
    finder.run_chosen()
    desk = window.desk("canister")
    assert isinstance(desk, CanisterDesk) and desk.isVisible()
    assert window.margin.shown == "about_canister"
    until(lambda: desk.label.text() == "3.500 g")
    window.desks.refresh_marks()
    assert window.desks.buttons.buttons()[-1].text() == "Canister  ·  found"
    window.appearance.units.choose("g", "oz")
    desk.refresh()
    assert desk.label.text() == "0.123 oz"
    window.actions_["help"].trigger()
    assert window.help.isVisible() and window.help.title.text() == "The Canister desk"
    QTest.keyClick(window.help, Qt.Key.Key_Escape)
    assert desk.isVisible() and not window.help.isVisible()


def test_its_file_is_written_or_what_is_missing_is_said(
    window: MainWindow,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    until: Callable[[Callable[[], bool]], None],
) -> None:
    target = tmp_path / "canister.txt"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    window.actions_["write_canister"].trigger()
    assert "was not looked at yet" in window.messages.text.text()
    assert not target.exists()
    window.show_desk("canister")
    desk = window.desk("canister")
    until(lambda: bool(desk.mark()))
    window.actions_["write_canister"].trigger()
    until(target.exists)
    assert target.read_text() == "3.5\n"


def test_its_command_runs_without_a_window(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["canister", "--grams", "4"], WITH_TOY) == 0
    assert capsys.readouterr().out == "5.00 g\n"
    with pytest.raises(SystemExit):
        main(["--help"], WITH_TOY)
    assert "say what a canister adds" in capsys.readouterr().out
    assert main(["canister", "--grams", "4"]) == 2


def test_of_each_kind_there_is_one_part() -> None:
    """Two would both write what they keep."""
    parts = Parts(canister_table())
    with pytest.raises(ValueError, match="there is a Table already"):
        parts.put(canister_table())
