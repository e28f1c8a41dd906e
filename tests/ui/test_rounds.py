"""Whole jobs through the real window."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.log import Log
from lean_trim.core.errors import LogError
from lean_trim.features.table.desk.desk import table_desk
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.tables import read_table
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.heron import heron
from lean_trim.simcar.judge import rms_where_driven
from lean_trim.simcar.truth import truth_for
from lean_trim.ui.session import Session
from lean_trim.ui.window.main_window import MainWindow
from tests.deciding import accept_knowingly, type_knowingly
from tests.race.conftest import Gate
from tests.ui.conftest import click, findings_page

Until = Callable[..., None]
pytestmark = pytest.mark.slow


def ready(session: Session, rounds: int) -> Callable[[], bool]:
    return lambda: (
        session.job is not None
        and len(session.job.rounds) == rounds
        and session.solution is not None
        and not session.is_busy
    )


@pytest.mark.solves
def test_two_rounds_of_the_demo_by_its_buttons(
    window: MainWindow, until: Until, tmp_path: Path
) -> None:
    """Open the demo, accept, drive again; then close, reopen and find everything."""
    session = window.session
    session.rounds.drive_minutes = 6.0
    shown: list[bool] = []
    status = window.status
    # The car drives so quickly that a look now and then may miss it.
    session.driving.connect(
        lambda _: shown.append(
            table_desk(window).table.live is not None
            and status.progress.isVisible()
            and status.cancel_button.isVisible()
        )
    )
    window.actions_["demo"].trigger()
    until(lambda: bool(shown))
    assert shown[0]
    until(ready(session, 1))
    assert "more than 8 % leaner" in findings_page(window).findings.item(0).text()
    assert "above atmospheric" in table_desk(window).bar.caution.text()
    assert "lean, as far as is known" in table_desk(window).bar.caution.text()
    QTest.mouseClick(table_desk(window).bar.accept, Qt.MouseButton.LeftButton)
    QTest.mouseClick(window.confirm.go_on, Qt.MouseButton.LeftButton)
    assert not table_desk(window).bar.caution.text().startswith("Before you accept")
    QTest.mouseClick(window.rail.steps.drive, Qt.MouseButton.LeftButton)
    until(ready(session, 2))
    assert session.round is not None
    assert session.vehicle is not None
    assert session.solution is not None
    assert rms_where_driven(session.round.table, session.solution, truth_for(session.vehicle)) < 1.5
    lines = window.rail.list.item(1).data(Qt.ItemDataRole.UserRole)
    assert lines[2].startswith("better · ")
    # The rail's figure is the one the steps beside it tell; that of the common cells is in the head.
    assert lines[3] == f"off by {session.solution.residual.rms:.1f} %"
    assert "common cells" in table_desk(window).header.text
    window.actions_["truth"].setChecked(True)
    assert "Truth of the simulated car" in table_desk(window).header.text
    tables = [r.table.values for r in session.job.rounds]  # type: ignore[union-attr]
    window.actions_["close_job"].trigger()
    assert window.pages.currentIndex() == 0
    window.actions_["demo"].trigger()
    until(ready(session, 2))
    for before, after in zip(tables, session.job.rounds, strict=True):  # type: ignore[union-attr]
        np.testing.assert_array_equal(before, after.table.values)


@pytest.mark.drives
def test_cancelling_a_drive_changes_nothing(driven: MainWindow, until: Until) -> None:
    driven.session.rounds.drive_minutes = 60.0
    accept_knowingly(driven.session.deciding)
    driven.session.rounds.drive()
    until(lambda: table_desk(driven).table.live is not None)
    assert not driven.rail.steps.drive.isEnabled()
    QTest.mouseClick(driven.status.cancel_button, Qt.MouseButton.LeftButton)
    until(lambda: not driven.session.is_busy)
    assert len(driven.session.job.rounds) == 1  # type: ignore[union-attr]
    assert "cancelled; nothing was changed" in driven.messages.text.text()
    assert driven.session.decision.changed > 30  # type: ignore[union-attr]
    assert table_desk(driven).table.live is None
    assert not driven.status.progress.isVisible()


@pytest.mark.drives
def test_closing_in_the_middle_of_a_drive_keeps_what_was_decided(
    driven: MainWindow, until: Until, job_path: Path
) -> None:
    accept_knowingly(driven.session.deciding, frozenset({100, 101}))
    changed = driven.session.decision.changed  # type: ignore[union-attr]
    driven.session.rounds.drive_minutes = 240.0
    driven.session.rounds.drive()
    until(lambda: table_desk(driven).table.live is not None)
    driven.close()
    assert not driven.session.is_busy
    db = sqlite3.connect(job_path)
    assert (
        db.execute("SELECT count(*) FROM decided_cells WHERE origin = 1").fetchone()[0] == changed
    )
    assert db.execute("SELECT count(*) FROM rounds").fetchone()[0] == 1
    db.close()


def test_a_real_vehicle_from_sheet_and_log(
    window: MainWindow,
    until: Until,
    tmp_path: Path,
    short_log: Log,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    sheet = write_vehicle(heron(), tmp_path / "car")
    write_log_csv(short_log, tmp_path / "drive.csv")
    window.opening.new_job(sheet, tmp_path / "mine.leantrim")
    until(lambda: window.session.job is not None and not window.session.is_busy)
    assert not window.rail.steps.drive.isVisible()
    window.session.imports.add([tmp_path / "drive.csv"])
    until(ready(window.session, 1))
    assert not window.messages.isVisible()
    accept_knowingly(window.session.deciding)
    assert window.session.rounds.hand_over(tmp_path / "out.csv")
    table = read_table(tmp_path / "out.csv", "ve")
    np.testing.assert_allclose(table.values, window.session.round.result.values)  # type: ignore[union-attr]
    assert "handed over" in window.rail.list.item(0).data(Qt.ItemDataRole.UserRole)[2]
    window.actions_["begin_round"].trigger()
    assert len(window.session.job.rounds) == 2  # type: ignore[union-attr]
    np.testing.assert_allclose(window.session.round.table.values, table.values)  # type: ignore[union-attr]
    window.actions_["begin_round"].trigger()
    assert "no log yet" in window.messages.text.text()


def test_the_clipboard_carries_the_decided_table(driven: MainWindow) -> None:
    type_knowingly(driven.session.deciding, "=50", frozenset({0}))
    driven.actions_["copy"].trigger()
    lines = QGuiApplication.clipboard().text().splitlines()
    assert lines[0].split("\t")[:2] == ["kPa\\rpm", "600"]
    assert lines[1].split("\t")[:2] == ["20", "50"]
    driven.actions_["copy_cells"].trigger()
    assert QGuiApplication.clipboard().text().splitlines()[0].split("\t")[0] == "50"


def test_undo_takes_back_decisions_and_left_out_stretches(driven: MainWindow, until: Until) -> None:
    session = driven.session
    used = session.solution.sifted.used.sum()  # type: ignore[union-attr]
    accept_knowingly(session.deciding)
    driven.actions_["undo"].trigger()
    assert session.decision.changed == 0  # type: ignore[union-attr]
    driven.actions_["redo"].trigger()
    assert session.decision.changed > 30  # type: ignore[union-attr]
    session.selection.set_span(200.0, 400.0, frozenset())
    driven.actions_["leave_out"].trigger()
    until(lambda: not session.is_busy)
    assert session.solution.sifted.used.sum() < used - 500  # type: ignore[union-attr]
    driven.actions_["undo"].trigger()
    until(lambda: not session.is_busy)
    assert session.solution.sifted.used.sum() == used  # type: ignore[union-attr]


def test_earlier_rounds_can_be_seen_but_not_decided(driven: MainWindow, until: Until) -> None:
    driven.session.rounds.drive_minutes = 3.0
    driven.session.rounds.drive()
    until(ready(driven.session, 2))
    driven.rail.list.setCurrentRow(0)
    until(ready(driven.session, 2))
    assert not table_desk(driven).bar.accept.isEnabled()
    accept_knowingly(driven.session.deciding)
    assert "Only the newest round can be decided" in driven.messages.text.text()


@pytest.mark.parametrize(
    ("name", "content", "words"),
    [
        ("empty.csv", b"", "the file is empty"),
        ("photo.csv", bytes(range(256)) * 50, "binary file"),
        ("short.csv", b"Time,RPM\n0,900\n0.1,910\n", "lacks manifold pressure (map_kpa)"),
        (
            "nolambda.csv",
            b"Time,RPM,MAP [kPa]\n0,900,30\n0.1,910,31\n",
            "lacks lambda (lambda_measured)",
        ),
    ],
)
def test_bad_logs_give_one_sentence_and_change_nothing(
    driven: MainWindow, until: Until, tmp_path: Path, name: str, content: bytes, words: str
) -> None:
    (tmp_path / name).write_bytes(content)
    driven.session.imports.add([tmp_path / name])
    until(lambda: not driven.session.is_busy)
    assert words in driven.messages.text.text()
    assert name in driven.messages.text.text()
    assert len(driven.session.round.logs) == 1  # type: ignore[union-attr]
    assert driven.session.solution is not None


def test_bad_sheets_and_jobs_give_one_sentence(
    window: MainWindow, tmp_path: Path, until: Until
) -> None:
    (tmp_path / "v.json").write_text("{}")
    window.opening.new_job(tmp_path / "v.json", tmp_path / "x.leantrim")
    assert "key airflow is None" in window.messages.text.text()
    assert not (tmp_path / "x.leantrim").exists()
    (tmp_path / "y.leantrim").write_text("not a database, only some words" * 20)
    window.opening.open_job(tmp_path / "y.leantrim")
    until(lambda: not window.session.is_busy)
    assert "cannot be opened as a job file" in window.messages.text.text()
    assert window.session.job is None
    QTest.mouseClick(window.messages.close_button, Qt.MouseButton.LeftButton)
    assert not window.messages.isVisible()


def test_a_hand_over_that_fails_says_so(driven: MainWindow, tmp_path: Path) -> None:
    assert not driven.session.rounds.hand_over(tmp_path / "no" / "such" / "folder.csv")
    assert "cannot be written" in driven.messages.text.text()
    click(driven, 3)
    QApplication.processEvents()


def test_an_answer_for_the_old_round_never_reaches_the_new_one(
    driven: MainWindow, until: Until, monkeypatch: pytest.MonkeyPatch
) -> None:
    """In the real window: once the empty round 2 showed round 1's solution and kept its verdict."""
    gate = Gate(monkeypatch)
    accept_knowingly(driven.session.deciding)
    driven.actions_["solve"].trigger()
    gate.wait_begun()
    driven.actions_["begin_round"].trigger()
    gate.opened.set()
    until(lambda: not driven.session.is_busy)
    QTest.qWait(300)
    assert driven.session.round is not None and driven.session.round.number == 2
    assert driven.session.solution is None and driven.session.round.verdict is None
    assert "Waiting for a log" in table_desk(driven).header.text
    assert not table_desk(driven).bar.accept.isEnabled()


def test_choosing_another_round_while_a_log_opens_does_not_misfile_it(
    driven: MainWindow, until: Until, tmp_path: Path, short_log: Log
) -> None:
    write_log_csv(short_log, tmp_path / "second.csv")
    accept_knowingly(driven.session.deciding)
    driven.actions_["begin_round"].trigger()
    driven.session.imports.add([tmp_path / "second.csv"])
    driven.rail.list.setCurrentRow(0)
    until(lambda: not driven.session.is_busy)
    first, second = driven.session.job.rounds  # type: ignore[union-attr]
    assert [i.name for i in second.log_infos] == ["second.csv"] and len(first.logs) == 1
    assert driven.session.index == 0


def test_a_round_that_cannot_be_solved_says_why_instead_of_working_on(
    driven: MainWindow, until: Until, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(*_: object, **__: object) -> None:
        raise LogError("only 3 samples are left")

    monkeypatch.setattr("lean_trim.workspace.solving.measure", refuse)
    driven.session.solver.solve()
    until(lambda: not driven.session.is_busy)
    assert table_desk(driven).header.text.endswith("Not worked out")
