"""Work that ends while the model goes on: the file and memory stay alike, and nothing is mixed up."""

from __future__ import annotations

import threading
from pathlib import Path

import numpy as np
import pytest

from campaigns.monkey import differences
from lean_trim.core.data.log import Log
from lean_trim.formats.logs import write_log_csv
from lean_trim.job.database import Database
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.workspace import opening, rounds
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.tasks import Lane
from tests.deciding import type_knowingly
from tests.race.conftest import Bench


def part_of(log: Log, minutes: float, name: str) -> Log:
    """The beginning of a log, with values of its own so that it is another file."""
    n = int(60.0 * minutes * 25.0)
    return Log(log.time_s[:n], {r: v[:n] for r, v in log.channels.items()}, name)


def wait_for_answers(bench: Bench) -> None:
    """Until every task has ended, with the answers still waiting for the model's thread."""
    for task in tuple(bench.workspace.tasks.running.values()):
        task._thread.join(30.0)


def assert_as_kept(bench: Bench, path: Path) -> None:
    """Memory is what the file loads to."""
    job = bench.workspace.open.job
    assert job is not None
    assert differences(load_job(path), job) == []


def test_a_log_removed_while_others_are_read(
    driven: Bench, job_path: Path, tmp_path: Path, short_log: Log
) -> None:
    """The file once ended with no logs at all, memory with three, and the next change raised ValueError."""
    workspace = driven.workspace
    paths = [tmp_path / f"more{i}.csv" for i in (1, 2)]
    for i, path in enumerate(paths):
        write_log_csv(part_of(short_log, 4.0 + i, path.stem), path)
    assert workspace.open.round is not None
    workspace.imports.add(paths)
    wait_for_answers(driven)
    assert workspace.logs.remove(workspace.open.round.id, workspace.open.round.log_infos[0].id)
    driven.settle()
    assert [i.name for i in workspace.open.round.log_infos] == ["more1.csv", "more2.csv"]
    assert_as_kept(driven, job_path)
    type_knowingly(workspace.deciding, "+1%", frozenset({3}))
    workspace.navigation.undo()
    assert_as_kept(driven, job_path)


def test_a_round_begun_while_the_car_is_driven(
    driven: Bench, job_path: Path, short_log: Log, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Memory once held rounds 1, 3, 2 and the file 1, 2, 3."""
    workspace = driven.workspace
    driven_log = part_of(short_log, 4.0, "driven meanwhile")
    monkeypatch.setattr(rounds, "drive_apart", lambda *_, **__: driven_log)
    workspace.rounds.drive()
    wait_for_answers(driven)
    # Other cells than the drive was driven on, so that the drive's round is another one.
    type_knowingly(workspace.deciding, "+5%", frozenset({40, 41}))
    workspace.rounds.begin_round()
    driven.settle()
    job = workspace.open.job
    assert job is not None and [r.number for r in job.rounds] == [1, 2, 3]
    assert [len(r.logs) for r in job.rounds] == [1, 0, 1]
    assert "driven meanwhile is in round 3 now" in driven.said
    assert_as_kept(driven, job_path)


def test_a_drive_goes_into_the_round_the_user_began_on_the_same_table(
    driven: Bench, job_path: Path, short_log: Log, monkeypatch: pytest.MonkeyPatch
) -> None:
    workspace = driven.workspace
    driven_log = part_of(short_log, 4.0, "driven meanwhile")
    monkeypatch.setattr(rounds, "drive_apart", lambda *_, **__: driven_log)
    workspace.rounds.drive()
    wait_for_answers(driven)
    workspace.rounds.begin_round()
    driven.settle()
    job = workspace.open.job
    assert job is not None and [len(r.logs) for r in job.rounds] == [1, 1]
    assert_as_kept(driven, job_path)


@pytest.mark.parametrize("meanwhile", ["cells", "a log", "a round", "a scale", "a setting"])
def test_work_done_while_the_job_is_saved_elsewhere_goes_along(
    driven: Bench,
    job_path: Path,
    tmp_path: Path,
    short_log: Log,
    monkeypatch: pytest.MonkeyPatch,
    meanwhile: str,
) -> None:
    """180 of 224 acknowledged cells were once not in the new file, with memory still showing them."""
    workspace = driven.workspace
    elsewhere = tmp_path / "elsewhere.leantrim"
    type_knowingly(workspace.deciding, "+1%", frozenset(range(44)))
    workspace.saving.save_elsewhere(elsewhere)
    wait_for_answers(driven)
    if meanwhile == "cells":
        type_knowingly(workspace.deciding, "+2%", frozenset(range(180)))
        workspace.deciding.put_back(frozenset({2}))
        workspace.deciding.leave_out(100.0, 130.0)
        workspace.marks.mark(50.0, "here")
    elif meanwhile == "a log":
        assert workspace.open.round is not None
        workspace.logs.leave_out(workspace.open.round.id, workspace.open.round.log_infos[0].id)
    elif meanwhile == "a round":
        workspace.rounds.begin_round()
        type_knowingly(workspace.deciding, "+2%", frozenset({5}))
    elif meanwhile == "a scale":
        workspace.scale.move(next(iter(workspace.scale.ways(1.1))).at, 1.1)
    else:
        workspace.open.save_setting("altitude_m", "900")
        workspace.tuning.turn("sieve", "tip.after_s", 1.5)
        workspace.tuning.rest()
    driven.settle()
    assert workspace.open.path == elsewhere
    assert_as_kept(driven, elsewhere)
    assert dict(workspace.open.settings) == workspace.open.commit(lambda store: store.settings())
    workspace.marks.mark(77.0, "in the new file only")
    assert_as_kept(driven, elsewhere)
    assert differences(load_job(job_path), load_job(elsewhere)) != []


def test_a_copy_that_cannot_take_what_came_since_is_thrown_away(
    driven: Bench, job_path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    workspace = driven.workspace
    elsewhere = tmp_path / "elsewhere.leantrim"

    def full(self: JobStore, *_: object) -> None:
        raise SaveFailedError(self.path, "no room left on the disk")

    monkeypatch.setattr(JobStore, "bring_up_to_date", full)
    workspace.saving.save_elsewhere(elsewhere)
    wait_for_answers(driven)
    type_knowingly(workspace.deciding, "+2%", frozenset(range(9)))
    driven.settle()
    assert workspace.open.path == job_path and not elsewhere.exists()
    assert "no room left" in driven.said
    assert_as_kept(driven, job_path)


def test_a_copy_nobody_waits_for_leaves_no_file(driven: Bench, tmp_path: Path) -> None:
    workspace = driven.workspace
    elsewhere = tmp_path / "elsewhere.leantrim"
    workspace.saving.save_elsewhere(elsewhere)
    task = workspace.tasks.running[Lane.READING]
    task._thread.join(30.0)
    workspace.tasks.cancel()
    driven.loop.turn()
    assert list(tmp_path.glob("elsewhere*")) == []


def test_opening_the_open_file_anew_fails_and_the_job_stays(
    driven: Bench, job_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """No job was left once: it was closed before the file was read again."""
    workspace = driven.workspace

    def broken(*_: object, **__: object) -> None:
        raise OSError("the disk does not answer")

    monkeypatch.setattr(opening, "open_job", broken)
    workspace.opening.open_path(job_path)
    driven.settle()
    assert workspace.open.job is not None and workspace.open.path == job_path
    assert "the disk does not answer" in driven.said
    type_knowingly(workspace.deciding, "+2%", frozenset({1}))
    assert_as_kept(driven, job_path)


def test_what_is_decided_while_the_open_file_is_read_anew_is_kept(
    driven: Bench, job_path: Path
) -> None:
    workspace = driven.workspace
    number = workspace.open.number
    workspace.opening.open_path(job_path)
    wait_for_answers(driven)
    type_knowingly(workspace.deciding, "=50", frozenset({1, 2}))
    driven.settle()
    assert workspace.open.number == number + 1 and workspace.open.round is not None
    assert workspace.open.round.decided.changed == 2 and not workspace.open.read_only
    type_knowingly(workspace.deciding, "=51", frozenset({3}))
    assert "not saved" not in driven.said
    assert_as_kept(driven, job_path)


def test_an_opening_nobody_waits_for_does_not_hold_the_file(bench: Bench, job_path: Path) -> None:
    bench.workspace.opening.open_path(job_path)
    wait_for_answers(bench)
    bench.workspace.tasks.cancel()
    bench.loop.turn()
    other = JobStore(job_path)
    assert other.read_only == ""
    other.close()


def test_only_the_models_thread_commits(driven: Bench) -> None:
    raised: list[BaseException] = []

    def elsewhere() -> None:
        try:
            driven.workspace.open.save_setting("a", "b")
        except AssertionError as error:
            raised.append(error)

    thread = threading.Thread(target=elsewhere)
    thread.start()
    thread.join()
    assert "only the model's thread" in str(raised[0])


def test_a_job_without_a_file_follows_the_same_way(
    bench: Bench, short_log: Log, tmp_path: Path
) -> None:
    """For a log that is looked at before there is a job."""
    workspace = bench.workspace
    store = JobStore.in_memory(heron(), car="heron")
    workspace.opening.take_job(store.path, store, store.load())
    write_log_csv(part_of(short_log, 6.0, "looked at"), tmp_path / "looked-at.csv")
    workspace.imports.add([tmp_path / "looked-at.csv"])
    bench.settle()
    assert workspace.solver.solution is not None
    assert type_knowingly(workspace.deciding, "+4%", frozenset({50}))
    workspace.navigation.undo()
    workspace.navigation.redo()
    kept = tmp_path / "kept.leantrim"
    workspace.saving.save_elsewhere(kept)
    bench.settle()
    assert isinstance(workspace.open, OpenJob) and workspace.open.path == kept
    assert_as_kept(bench, kept)
    assert np.count_nonzero(load_job(kept).rounds[0].decided.origin) == 1


@pytest.mark.parametrize("taken_back", ["undone", "put back"])
def test_a_scale_taken_back_after_the_hand_over_leaves_a_job_that_opens(
    driven: Bench, job_path: Path, tmp_path: Path, taken_back: str
) -> None:
    """Such a job could not be opened again: the cells handed over had no table any more."""
    workspace = driven.workspace
    assert workspace.scale.move(workspace.scale.ways(1.1)[0].at, 1.1)
    assert workspace.rounds.hand_over(tmp_path / "table.csv")
    if taken_back == "undone":
        workspace.navigation.undo()
    else:
        assert workspace.scale.put_back()
    assert workspace.open.round is not None and workspace.open.round.has_changed_since_handed_over
    assert_as_kept(driven, job_path)
    kept = load_job(job_path).rounds[0]
    assert kept.handed_calibration["engine_scale"].values.prod() == pytest.approx(1.1)


def test_what_was_refused_does_not_overrule_what_came_after(
    driven: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The whole decision of a refused change once took the place of later ones the file had taken."""
    workspace = driven.workspace
    may_write = Database._may_write

    def full(database: Database) -> None:
        raise SaveFailedError(database.path, "no room left on the disk")

    monkeypatch.setattr(Database, "_may_write", full)
    type_knowingly(workspace.deciding, "=50", frozenset({1}))
    workspace.deciding.leave_out(10.0, 20.0)
    workspace.tuning.turn("sieve", "tip.after_s", 1.5)
    workspace.tuning.rest()
    monkeypatch.setattr(Database, "_may_write", may_write)
    type_knowingly(workspace.deciding, "=60", frozenset({2}))
    workspace.deciding.leave_out(30.0, 40.0)
    workspace.tuning.turn("sieve", "cold.below_c", 65.0)
    workspace.tuning.rest()
    elsewhere = tmp_path / "elsewhere.leantrim"
    workspace.saving.save_elsewhere(elsewhere)
    driven.settle()
    kept = load_job(elsewhere).rounds[0]
    assert [kept.decided.values.ravel()[i] for i in (1, 2)] == [50.0, 60.0]
    assert [s.start_s for s in kept.left_out] == [10.0, 30.0]
    assert kept.tuning.solve.sieve.changes == {"tip.after_s": 1.5, "cold.below_c": 65.0}
    # Each of them is a change like any other now.
    while workspace.history.count():
        workspace.navigation.undo()
    assert workspace.open.round is not None and workspace.open.round.decided.changed == 0
    assert_as_kept(driven, elsewhere)
