"""A job file looked through, compacted, and copied where it is damaged."""

from __future__ import annotations

import random
import sqlite3
from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.errors import BadInputError
from lean_trim.job.blobs import store_log
from lean_trim.job.care import check_file, compact_file
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.loading import load_job
from lean_trim.job.records import Mark, Word
from lean_trim.job.repair import repair_file
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from tests.job.test_folder import rows_of

SAMPLES = 3000


def noise(seed: int) -> Log:
    """A log that takes its room."""
    rng = np.random.default_rng(seed)
    values = {r: rng.uniform(1.0, 100.0, SAMPLES) for r in (Role.RPM, Role.MAP, Role.LAMBDA)}
    return Log(np.arange(SAMPLES) / 25.0, values, f"drive {seed}")


@pytest.fixture
def job(tmp_path: Path) -> Path:
    """Three rounds with a log each, and something on every one."""
    path = tmp_path / "a.leantrim"
    store = JobStore.create(path, heron())
    first = store.load().rounds[0]
    store.add_logs(first.id, [store_log(noise(1))])
    last = store.load().rounds[0]
    for seed in (2, 3):
        last = store.begin_round(last, last.resulting_calibration, [store_log(noise(seed))])
    for r in store.load().rounds:
        store.save_marks(r.id, [Mark(12.0, f"of round {r.number}")])
        store.save_words(
            r.id, {("note", "round"): Word(f"note {r.number}", "2026-01-02T03:04:05+00:00")}
        )
    store.close()
    return path


def change(path: Path, sql: str, *values: object) -> None:
    with closing(sqlite3.connect(path)) as db, db:
        assert db.execute(sql, values).rowcount >= 1


def test_a_whole_file_says_what_it_holds(job: Path) -> None:
    state = check_file(job)
    assert (state.rounds, state.logs) == (3, 3)
    assert state.size_bytes == job.stat().st_size and state.free_bytes < 20_000
    assert "whole" in state.said and "3 log(s)" in state.said


def test_a_log_taken_out_gives_its_bytes_back(job: Path) -> None:
    store = JobStore(job)
    first = store.load().rounds[0]
    store.save_round_logs([replace(first, logs=(), log_infos=())])
    free = check_file(job).free_bytes
    one_log = len(store_log(noise(1)).data)
    assert free >= one_log
    store.close()
    kept = rows_of(job)
    before, after = compact_file(job)
    assert before - after >= 0.9 * one_log and after == job.stat().st_size
    assert rows_of(job) == kept and check_file(job).free_bytes < 5000


def test_a_file_somebody_holds_is_left_alone(job: Path) -> None:
    change(
        job,
        "INSERT OR REPLACE INTO owner VALUES (1, 'other', 'elsewhere', 1, '1', '2026-01-02T03:04:05+00:00')",
    )
    before = job.read_bytes()
    with pytest.raises(SaveFailedError, match="elsewhere"):
        compact_file(job)
    assert job.read_bytes() == before


def test_what_is_whole_comes_back_whole(job: Path, tmp_path: Path) -> None:
    repaired = repair_file(job, tmp_path / "b.leantrim")
    assert repaired.lost == () and len(repaired.job.rounds) == 3
    assert rows_of(tmp_path / "b.leantrim") == rows_of(job)


LOSSES: tuple[tuple[str, str, Callable[[object], bool]], ...] = (
    (
        "UPDATE logs SET parquet = x'00' WHERE id = 2",
        "the log 'drive 2'",
        lambda job: [len(r.logs) for r in job.rounds] == [1, 0, 1],  # type: ignore[attr-defined]
    ),
    (
        "UPDATE marks SET time_s = 'never' WHERE round_id = 2",
        "bookmarks of round 2",
        lambda job: [len(r.marks) for r in job.rounds] == [1, 0, 1],  # type: ignore[attr-defined]
    ),
    (
        "UPDATE rounds SET started = 'once' WHERE number = 3",
        "round 3",
        lambda job: [r.number for r in job.rounds] == [1, 2],  # type: ignore[attr-defined]
    ),
    (
        "UPDATE tables SET cells = '[1]' WHERE id = "
        "(SELECT table_id FROM revision_tables WHERE revision_id = 2 LIMIT 1)",
        "revision 2 of the calibration",
        lambda job: 2 not in [r.number for r in job.rounds],  # type: ignore[attr-defined]
    ),
)


@pytest.mark.parametrize(("sql", "lost", "rest"), LOSSES, ids=[x[1] for x in LOSSES])
def test_one_bad_value_costs_what_hangs_on_it(
    job: Path, tmp_path: Path, sql: str, lost: str, rest: Callable[[object], bool]
) -> None:
    change(job, sql)
    bad = job.read_bytes()
    with pytest.raises(BadInputError):
        check_file(job)
    repaired = repair_file(job, tmp_path / "b.leantrim")
    assert any(lost in what for what in repaired.lost) and rest(repaired.job)
    check_file(tmp_path / "b.leantrim")
    assert job.read_bytes() == bad


@pytest.mark.parametrize("seed", range(12))
def test_what_still_can_be_read_of_torn_pages_is_what_it_was(
    job: Path, tmp_path: Path, seed: int
) -> None:
    whole = load_job(job)
    data = bytearray(job.read_bytes())
    rng = random.Random(seed)
    for _ in range(3):
        page = rng.randrange(1, len(data) // 4096)
        data[page * 4096 : page * 4096 + 4096] = rng.randbytes(4096)
    job.write_bytes(data)
    out = tmp_path / "b.leantrim"
    try:
        repaired = repair_file(job, out)
    except BadInputError:
        assert not out.exists()
        return
    check_file(out)
    before = {r.number: r for r in whole.rounds}
    for r in repaired.job.rounds:
        old = before[r.number]
        # Less may be there, but nothing else.
        assert set(r.marks) <= set(old.marks) and set(r.words) <= set(old.words)
        for log in r.logs:
            (same,) = [x for x in old.logs if x.name == log.name]
            np.testing.assert_array_equal(log[Role.RPM], same[Role.RPM])


def test_of_another_file_nothing_can_be_saved(tmp_path: Path) -> None:
    for name, data in (("text", b"no job"), ("empty", b"")):
        path = tmp_path / f"{name}.leantrim"
        path.write_bytes(data)
        with pytest.raises(BadInputError, match="cannot be used"):
            repair_file(path, tmp_path / "b.leantrim")
    assert not (tmp_path / "b.leantrim").exists()
