"""A job file is whole from the moment it has its name, and comes from an earlier version with a copy kept."""

from __future__ import annotations

import errno
import json
import os
import sqlite3
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.formats.vehicle_sheet import vehicle_dict
from lean_trim.job.blobs import log_to_parquet, table_row
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.loading import load_job
from lean_trim.job.schema import MIGRATIONS, apply_migration
from lean_trim.job.store import JobStore
from lean_trim.job.tuning import Tuning

WHEN = "2026-01-02T03:04:05+00:00"


def test_a_crash_before_the_end_leaves_no_file(
    tmp_path: Path, heron_vehicle: Vehicle, monkeypatch: pytest.MonkeyPatch
) -> None:
    def crash(*_: object) -> None:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))

    monkeypatch.setattr("lean_trim.job.creation._flush", crash)
    with pytest.raises(SaveFailedError, match="the disk is full"):
        JobStore.create(tmp_path / "job.leantrim", heron_vehicle)
    assert list(tmp_path.iterdir()) == []


def test_what_a_kill_left_behind_is_in_nobodys_way(tmp_path: Path, heron_vehicle: Vehicle) -> None:
    left = tmp_path / f"job.leantrim.{os.getpid()}-0123abcd.part"
    left.write_bytes(b"half a job")
    JobStore.create(tmp_path / "job.leantrim", heron_vehicle).close()
    assert [p.name for p in tmp_path.iterdir() if p != left] == ["job.leantrim"]
    assert len(load_job(tmp_path / "job.leantrim").rounds) == 1


def test_a_file_somebody_made_meanwhile_is_not_taken_away(
    tmp_path: Path, heron_vehicle: Vehicle, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "job.leantrim"
    monkeypatch.setattr("lean_trim.job.creation._flush", lambda part: path.write_text("theirs"))
    with pytest.raises(BadInputError, match="already exists"):
        JobStore.create(path, heron_vehicle)
    assert path.read_text() == "theirs" and len(list(tmp_path.iterdir())) == 1


def earlier_job(path: Path, vehicle: Vehicle, log: Log) -> None:
    """A job of two rounds as the schema before revisions kept it."""
    db = sqlite3.connect(path, isolation_level=None)
    for number in (1, 2):
        apply_migration(db, number, "", "")
    put = db.execute
    put("INSERT INTO vehicle VALUES (1, ?, 'heron')", (json.dumps(vehicle_dict(vehicle)),))
    assert vehicle.target is not None
    put(
        "INSERT INTO tables VALUES (1, 'target_lambda', ?, ?, ?, ?, ?)",
        (*table_row(vehicle.target), WHEN),
    )
    put("INSERT INTO tables VALUES (2, 've', ?, ?, ?, ?, ?)", (*table_row(vehicle.table), WHEN))
    richer = vehicle.table.with_values(vehicle.table.values * 1.02)
    put("INSERT INTO tables VALUES (3, 've', ?, ?, ?, ?, ?)", (*table_row(richer), WHEN))
    put(
        "INSERT INTO rounds VALUES (4, 1, ?, 2, 1, 7.0, 5.5, 40.0, ?, '')",
        (WHEN, f"{WHEN} CSV a.csv"),
    )
    put("INSERT INTO rounds VALUES (9, 2, ?, 3, 1, NULL, NULL, NULL, '', 'second')", (WHEN,))
    data = log_to_parquet(log)
    put(
        "INSERT INTO logs VALUES (1, 'drive', 'abc', ?, ?, ?, ?)",
        (WHEN, len(log), log.duration_s, data),
    )
    put("INSERT INTO round_logs VALUES (4, 1, 0)")
    put("INSERT INTO decisions VALUES (4, 17, 61.5, 2, 0)")
    put("INSERT INTO decisions VALUES (4, 18, 50.0, 0, 1)")
    put("INSERT INTO left_out VALUES (4, 10.0, 20.0)")
    put("INSERT INTO marks VALUES (4, 33.0, 'here')")
    put("INSERT INTO column_choices VALUES ('s', 'a', 'rpm', 'rpm')")
    put("INSERT INTO settings VALUES ('tuning', ?)", (json.dumps({"sieve": {"tip.after_s": 0.4}}),))
    put("INSERT INTO settings VALUES ('lanes Air', '[]')")
    db.close()


def test_a_job_of_an_earlier_version_is_brought_up_to_date_with_a_copy_kept(
    tmp_path: Path, heron_vehicle: Vehicle, heron_log: Log
) -> None:
    path = tmp_path / "old.leantrim"
    earlier_job(path, heron_vehicle, heron_log)
    before = path.read_bytes()
    job = load_job(path)
    first, second = job.rounds
    assert (first.number, second.number, second.note) == (1, 2, "second")
    assert (first.revision.parent_id, second.revision.parent_id) == (None, first.revision.id)
    assert set(second.revision.calibration) == {"ve", "target_lambda"}
    np.testing.assert_allclose(second.table.values, heron_vehicle.table.values * 1.02)
    assert first.decided.values.ravel()[17] == 61.5 and first.decided.pinned.ravel()[18]
    assert (
        first.verdict is not None and first.verdict.residual_rms == 7.0 and second.verdict is None
    )
    assert (
        first.tuning.solve.sieve.changes
        == {"tip.after_s": 0.4}
        == second.tuning.solve.sieve.changes
    )
    assert (
        first.handed_over.endswith("a.csv")
        and first.marks[0].text == "here"
        and first.left_out[0].end_s == 20.0
    )
    np.testing.assert_array_equal(first.logs[0].time_s, heron_log.time_s)
    store = JobStore(path)
    assert store.settings() == {"lanes Air": "[]"} and "s" in store.load_choices()
    applied = [r[0] for r in store.db.execute("SELECT name FROM migrations ORDER BY rowid")]
    assert applied == [m.name for m in MIGRATIONS[2:]]
    assert store.db.execute("PRAGMA foreign_key_check").fetchall() == []
    store.close()
    backup = tmp_path / "old.leantrim.schema2.bak"
    assert sqlite3.connect(backup).execute("SELECT count(*) FROM decisions").fetchone() == (2,)
    assert len(backup.read_bytes()) == len(before)


def test_a_migration_that_fails_leaves_the_file_as_it_was(
    tmp_path: Path, heron_vehicle: Vehicle, heron_log: Log, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "old.leantrim"
    earlier_job(path, heron_vehicle, heron_log)
    broken = (*MIGRATIONS[2].statements, "INSERT INTO nowhere VALUES (1)")
    monkeypatch.setattr(
        "lean_trim.job.schema.MIGRATIONS", (*MIGRATIONS[:2], type(MIGRATIONS[2])("broken", broken))
    )
    with pytest.raises(BadInputError, match="could not be brought up to date"):
        JobStore(path)
    monkeypatch.undo()
    assert load_job(path).rounds[0].tuning != Tuning()


def test_a_copy_written_elsewhere_is_the_same_job(
    tmp_path: Path, heron_vehicle: Vehicle, heron_log: Log
) -> None:
    path = tmp_path / "old.leantrim"
    earlier_job(path, heron_vehicle, heron_log)
    job = load_job(path)
    JobStore.write_copy(tmp_path / "copy.leantrim", job, {"k": "v"}, {}).close()
    copy = load_job(tmp_path / "copy.leantrim")
    for a, b in zip(job.rounds, copy.rounds, strict=True):
        assert (
            a.id,
            a.number,
            a.started,
            a.handed_over,
            a.note,
            a.marks,
            a.left_out,
            a.tuning,
            a.verdict,
        ) == (
            b.id,
            b.number,
            b.started,
            b.handed_over,
            b.note,
            b.marks,
            b.left_out,
            b.tuning,
            b.verdict,
        )
        assert (a.log_infos, a.revision.id, a.revision.parent_id) == (
            b.log_infos,
            b.revision.id,
            b.revision.parent_id,
        )
        assert a.revision.calibration.same_as(b.revision.calibration)
        np.testing.assert_array_equal(a.decided.values, b.decided.values)
