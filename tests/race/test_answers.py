"""An answer ends in the round it was asked for, or nowhere."""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.formats.logs import write_log_csv
from lean_trim.job.blobs import store_log
from lean_trim.job.loading import load_job
from lean_trim.workspace.additions import AddLogs
from lean_trim.workspace.changes import SolutionShown, WorkMoved
from lean_trim.workspace.tasks import Lane
from tests.deciding import accept_knowingly
from tests.race.conftest import Bench, Gate


def test_beginning_a_round_while_the_old_one_is_solved_leaves_the_new_one_empty(
    driven: Bench, monkeypatch: pytest.MonkeyPatch, job_path: Path
) -> None:
    """Once the empty round 2 showed round 1's solution, kept its verdict, and 73 cells could be accepted on
    it.
    """
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    gate = Gate(monkeypatch)
    workspace.solver.solve()
    gate.wait_begun()
    workspace.rounds.begin_round()
    gate.opened.set()
    driven.settle()
    time.sleep(0.2)
    driven.loop.turn()
    assert workspace.open.round is not None and workspace.open.round.number == 2
    assert workspace.solver.solution is None and workspace.solver.proposal is None
    assert workspace.open.round.verdict is None
    accept_knowingly(workspace.deciding)
    assert "no proposal yet" in driven.said
    assert workspace.open.round.decided.changed == 0
    workspace.opening.close_job()
    first, second = load_job(job_path).rounds
    assert first.verdict is not None and second.verdict is None and second.decided.changed == 0


@pytest.mark.parametrize("what", ["another log", "a stretch left out"])
def test_a_round_that_ends_before_it_is_solved_is_judged_when_it_is_next_looked_at(
    driven: Bench, monkeypatch: pytest.MonkeyPatch, job_path: Path, short_log: Log, what: str
) -> None:
    """Its verdict and what it foretold once spoke of what it had before, for good."""
    workspace = driven.workspace
    assert workspace.open.round is not None and workspace.open.round.verdict is not None
    gate = Gate(monkeypatch)
    if what == "another log":
        AddLogs(
            workspace.open, workspace.navigation, workspace.open.round.id, (store_log(short_log),)
        ).apply()
    else:
        workspace.deciding.leave_out(200.0, 400.0)
    gate.wait_begun()
    assert workspace.open.round.verdict is None
    workspace.rounds.begin_round()
    gate.opened.set()
    driven.settle()
    first = load_job(job_path).rounds[0]
    assert first.verdict is None and first.prediction is None
    _judged_at_a_look(driven, job_path)


def test_a_log_that_comes_into_a_round_that_has_ended_takes_its_verdict_away(
    driven: Bench, job_path: Path, short_log: Log
) -> None:
    workspace = driven.workspace
    assert workspace.open.round is not None
    more = AddLogs(
        workspace.open, workspace.navigation, workspace.open.round.id, (store_log(short_log),)
    )
    workspace.rounds.begin_round()
    more.apply()
    first = load_job(job_path).rounds[0]
    assert len(first.logs) == 2 and first.verdict is None and first.prediction is not None
    _judged_at_a_look(driven, job_path)


def _judged_at_a_look(driven: Bench, job_path: Path) -> None:
    driven.workspace.navigation.show_round(0)
    driven.until(lambda: driven.workspace.solver.solution is not None)
    driven.settle()
    kept = load_job(job_path).rounds[0].verdict
    assert kept is not None and kept.residual_rms == pytest.approx(driven.solution.residual.rms)


def test_a_log_goes_into_the_round_it_was_opened_for(
    driven: Bench, tmp_path: Path, short_log: Log, job_path: Path
) -> None:
    workspace = driven.workspace
    workspace.rounds.begin_round()
    write_log_csv(short_log, tmp_path / "second.csv")
    workspace.imports.add([tmp_path / "second.csv"])
    workspace.navigation.show_round(0)
    driven.settle()
    assert workspace.open.index == 0 and workspace.open.round is not None
    assert len(workspace.open.round.logs) == 1
    assert "second.csv is in round 2 now" in driven.said
    workspace.opening.close_job()
    first, second = load_job(job_path).rounds
    assert [i.name for i in first.log_infos] == [short_log.name]
    assert [i.name for i in second.log_infos] == ["second.csv"]


@pytest.mark.slow
def test_looking_at_an_old_round_changes_nothing_of_it(
    driven: Bench, job_path: Path, short_log: Log
) -> None:
    """Its verdict once changed from 7.02 to 4.87 because a rule had been switched off since."""
    workspace = driven.workspace
    workspace.rounds.begin_round()
    assert workspace.open.round is not None
    AddLogs(
        workspace.open, workspace.navigation, workspace.open.round.id, (store_log(short_log),)
    ).apply()
    driven.settle()
    workspace.tuning.turn("sieve", "cold.below_c", 85.0)
    workspace.tuning.rest()
    driven.settle()
    assert workspace.open.job is not None
    before = workspace.open.job.rounds[0].verdict
    workspace.navigation.show_round(0)
    driven.settle()
    assert driven.solution.settings.sieve.changes == {}
    assert workspace.open.job.rounds[0].verdict == before
    workspace.tuning.switch("tip", False)
    workspace.tuning.rest()
    driven.settle()
    assert driven.solution.settings.sieve.disabled == {"tip"}
    workspace.opening.close_job()
    first, second = load_job(job_path).rounds
    assert first.verdict == before and first.verdict is not None and first.verdict.program
    assert first.tuning.solve.sieve.disabled == {"tip"} and first.tuning.solve.sieve.changes == {}
    assert second.tuning.solve.sieve.changes == {"cold.below_c": 85.0}


def test_judging_anew_replaces_a_verdict_because_it_was_asked_for(driven: Bench) -> None:
    workspace = driven.workspace
    workspace.rounds.begin_round()
    workspace.navigation.show_round(0)
    driven.settle()
    assert workspace.open.round is not None
    before = workspace.open.round.verdict
    workspace.tuning.switch("tip", False)
    workspace.tuning.rest()
    driven.settle()
    assert workspace.open.round.verdict == before
    workspace.solver.judge_anew()
    assert workspace.open.round.verdict != before
    assert "was judged anew" in driven.said


def test_a_stretch_left_out_during_a_drive_is_solved(
    driven: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    workspace = driven.workspace
    used = int(driven.solution.sifted.used.sum())
    workspace.rounds.drive_minutes = 240.0
    workspace.rounds.drive()
    workspace.deciding.leave_out(200.0, 400.0)
    driven.until(lambda: int(driven.solution.sifted.used.sum()) < used - 500)
    assert Lane.READING in workspace.tasks.running
    workspace.tasks.cancel()
    driven.settle()


def test_a_second_solve_waits_for_nothing_and_leaves_nothing_behind(
    driven: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    workspace = driven.workspace
    shown = []
    moved = []
    gate = Gate(monkeypatch)
    workspace.hub.subscribe(SolutionShown, shown.append)
    workspace.hub.subscribe(WorkMoved, moved.append)
    for _ in range(5):
        began = time.perf_counter()
        workspace.solver.solve()
        assert time.perf_counter() - began < 0.1
        gate.wait_begun()
    assert gate.waiting == 5
    newest = workspace.tasks.running[Lane.SOLVING].number
    gate.opened.set()
    driven.settle()
    driven.until(lambda: gate.waiting == 0)
    time.sleep(0.3)
    driven.loop.turn()
    assert len(shown) == 1
    assert {m.task for m in moved} <= {newest}
    for kept in (workspace.tasks._done, workspace.tasks._failed, workspace.tasks._details):
        assert not kept


def test_an_answer_for_settings_that_were_changed_meanwhile_is_not_kept(
    driven: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    workspace = driven.workspace
    gate = Gate(monkeypatch)
    workspace.solver.solve()
    gate.wait_begun()
    workspace.tuning.turn("regimes", "full_pct", 60.0)
    workspace.tuning.rest()
    gate.wait_begun()
    gate.opened.set()
    driven.settle()
    assert driven.solution.settings.regimes.full_pct == 60.0


def test_closing_while_a_solve_runs_changes_nothing(
    driven: Bench, monkeypatch: pytest.MonkeyPatch, job_path: Path
) -> None:
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    assert workspace.open.round is not None
    decided = workspace.open.round.decided.values
    gate = Gate(monkeypatch)
    workspace.solver.solve()
    gate.wait_begun()
    workspace.opening.close_job()
    gate.opened.set()
    time.sleep(0.3)
    driven.loop.turn()
    assert workspace.open.job is None and workspace.solver.solution is None
    np.testing.assert_array_equal(load_job(job_path).rounds[0].decided.values, decided)


@pytest.mark.slow
def test_a_drive_that_ends_while_another_round_is_looked_at_waits_in_the_rail(
    driven: Bench, job_path: Path
) -> None:
    workspace = driven.workspace
    workspace.rounds.begin_round()
    workspace.rounds.drive_minutes = 2.0
    workspace.rounds.drive()
    workspace.navigation.show_round(0)
    driven.settle()
    assert workspace.open.index == 0
    assert "is in round 2 now" in driven.said
    db = sqlite3.connect(job_path)
    assert db.execute("SELECT round_id FROM round_logs ORDER BY log_id").fetchall() == [(1,), (2,)]
    db.close()


def test_one_may_go_back_and_branch_from_an_earlier_round(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    workspace.rounds.begin_round()
    workspace.rounds.begin_round()
    assert "no log yet" in driven.said
    workspace.navigation.show_round(0)
    workspace.rounds.begin_round()
    assert "Go back to this round" in driven.said
    workspace.rounds.go_back()
    driven.settle()
    workspace.opening.close_job()
    job = load_job(job_path)
    first, second, third = job.rounds
    assert second.revision.parent_id == third.revision.parent_id == first.revision.id
    assert second.revision.id != third.revision.id
    assert job.round_after(first) is third and job.round_before(third) is first
    assert first.prediction is not None
    np.testing.assert_array_equal(third.table.values, first.result.values)


@pytest.mark.slow
def test_a_prediction_comes_true_within_its_error(driven: Bench, job_path: Path) -> None:
    """The residual of the next drive is foretold by what is left and how well it is known."""
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    workspace.rounds.drive()
    driven.until(
        lambda: workspace.open.job is not None and len(workspace.open.job.rounds) == 2, seconds=60.0
    )
    driven.settle()
    assert workspace.open.job is not None
    first, second = workspace.open.job.rounds
    assert first.prediction is not None and second.verdict is not None and first.verdict is not None
    assert first.prediction.residual_rms < 0.5 * first.verdict.residual_rms
    assert second.verdict.residual_rms < 2.5 * first.prediction.residual_rms
    # The next drive also crosses cells this one did not, which nothing foretells.
    assert second.verdict.residual_rms > 0.5 * first.prediction.residual_rms
