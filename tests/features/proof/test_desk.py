"""The Proof desk in the real window: judged when shown, for the round before, and why not."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.features.proof.control import known_tables, trend_of, written_in
from lean_trim.features.proof.desk.desk import ProofDesk
from lean_trim.features.proof.desk.region_marks import TOP
from lean_trim.features.proof.proof_json import write_proof
from lean_trim.job.blobs import store_log
from lean_trim.simcar.drive import simulate
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.additions import AddLogs
from tests.deciding import accept_knowingly

pytestmark = pytest.mark.slow
Until = Callable[..., None]


def desk_of(window: MainWindow) -> ProofDesk:
    desk = window.desk("proof")
    assert isinstance(desk, ProofDesk)
    return desk


@pytest.fixture
def twice(driven: MainWindow, until: Until) -> MainWindow:
    session = driven.session
    session.rounds.drive_minutes = 4.0
    accept_knowingly(session.deciding)
    session.rounds.drive()
    until(
        lambda: (
            session.job is not None
            and len(session.job.rounds) == 2
            and session.solution is not None
            and not session.is_busy
        ),
        90,
    )
    return driven


def test_a_first_round_says_why_there_is_nothing_to_prove(driven: MainWindow) -> None:
    driven.show_desk("proof")
    desk = desk_of(driven)
    assert "first round has nothing to prove" in desk.next.text()
    assert not desk.marks.isVisible()


def test_the_round_before_is_judged_by_the_shown_drive(
    twice: MainWindow, until: Until, tmp_path: Path
) -> None:
    twice.show_desk("proof")
    desk = desk_of(twice)
    until(lambda: desk.control.proof is not None)
    QApplication.processEvents()
    proof = desk.control.proof
    assert proof is not None
    assert desk.took.text() == "The table is in the ECU."
    assert desk.next.text() == str(proof.next_said) and desk.outcome.text() == str(
        proof.outcome_said
    )
    # Every region in words, where the pointer is; the numbers as text.
    words = desk.marks.hint_at(QPoint(200, round(TOP + 1.5 * desk.marks._row_px)))
    assert "part throttle" in words and "was expected" in words
    assert len(desk.marks.numbers().splitlines()) == 1 + len(proof.outcomes)
    assert desk.along.isVisible() and len(desk.along.at) >= 3
    at = desk.along._point(desk.along.at[1], 0.0).toPoint()
    assert "observed, % rms" in desk.along.hint_at(at)
    assert desk.trend.title == "1 flash" and "Intake air" in desk.weather.text()
    write_proof(desk.control.shown(), tmp_path / "proof.json")
    assert json.loads((tmp_path / "proof.json").read_text())["verdict"] == proof.verdict
    # Another round looked at is another proof.
    twice.session.navigation.show_round(0)
    until(lambda: "first round" in desk.next.text())
    assert desk.control.proof is None


def test_a_drive_on_the_table_before_is_told(driven: MainWindow, until: Until) -> None:
    """The user says it was driven on the new table; pulse width says that it was not."""
    session = driven.session
    accept_knowingly(session.deciding)
    session.rounds.begin_round()
    assert session.job is not None
    second = session.job.rounds[1]
    log = simulate(session.job.vehicle_in(0), seed=9, minutes=4.0)
    kept = {r: v for r, v in log.channels.items() if r not in (Role.PULSE_WIDTH, Role.DUTY)}
    stored = store_log(Log(log.time_s, kept, "on the old table"))
    AddLogs(session.open, session.navigation, second.id, (stored,)).apply()
    until(lambda: session.solution is not None and not session.is_busy, 60)
    driven.show_desk("proof")
    desk = desk_of(driven)
    until(lambda: desk.control.proof is not None)
    assert "did not get into the ECU" in desk.took.text()
    assert "Write the table" in desk.next.text()


def test_what_is_proved_is_what_was_asked_and_driven(twice: MainWindow) -> None:
    job = twice.session.job
    assert job is not None
    first, second = job.rounds
    written = written_in(job, second)
    assert written is not None
    np.testing.assert_array_equal(written.after.values, second.table.values)
    assert np.sqrt(np.nanmean(written.asked_pct**2)) > 1.0
    assert known_tables(job, second) == {} and written_in(job, first) is None
    one, two = trend_of(job)
    assert (one.flashes, two.flashes) == (0, 1) and two.rms_pct < one.rms_pct
