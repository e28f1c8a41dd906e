"""The job file brings everything back."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.typed import type_in
from lean_trim.core.errors import BadInputError
from lean_trim.job.blobs import store_log
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.loading import load_job
from lean_trim.job.records import Outcome, Span, Verdict
from lean_trim.job.store import JobStore
from tests.builders import maf_vehicle


def test_closing_and_reopening_brings_everything_back(
    tmp_path: Path, heron_vehicle: Vehicle, heron_log: Log
) -> None:
    path = tmp_path / "job.leantrim"
    store = JobStore.create(path, heron_vehicle, car="heron")
    first = store.load().rounds[0]
    store.add_logs(first.id, [store_log(heron_log, "abc")])
    decision = type_in(decide.undecided(first.table), "+3%", {5, 17}, heron_vehicle.limits)
    decision = decide.pin(decision, first.table, {40}, True)
    store.save_decision(first.id, "ve", decision)
    store.save_left_out(first.id, [Span(10.0, 20.5)])
    store.save_outcome(first.id, Outcome("ve", Verdict(7.7, np.nan, 40.0), {}))
    store.mark_handed_over(first.id, "CSV a.csv", {"ve": first.table.with_values(decision.values)})
    store.begin_round(
        first, first.revision.calibration.with_table("ve", first.table.with_values(decision.values))
    )
    store.close()
    job = load_job(path)
    assert (job.car, job.vehicle.name, len(job.rounds)) == ("heron", "Heron", 2)
    back = job.rounds[0]
    for role, values in heron_log.channels.items():
        np.testing.assert_array_equal(back.logs[0][role], values)
    assert (back.log_infos[0].name, back.log_infos[0].sha256) == (heron_log.name, "abc")
    np.testing.assert_array_equal(back.decided.values, decision.values)
    np.testing.assert_array_equal(back.decided.origin, decision.origin)
    np.testing.assert_array_equal(back.decided.pinned, decision.pinned)
    assert back.left_out == (Span(10.0, 20.5),)
    assert back.verdict is not None
    assert back.verdict.residual_rms == 7.7
    assert np.isnan(back.verdict.trim_rms)
    assert "CSV a.csv" in back.handed_over
    np.testing.assert_array_equal(back.handed["ve"].values, decision.values)
    assert not back.has_changed_since_handed_over
    np.testing.assert_array_equal(job.rounds[1].table.values, decision.values)
    assert job.rounds[1].decided.changed == 0
    assert job.vehicle.target is not None
    np.testing.assert_array_equal(job.vehicle.target.values, heron_vehicle.target.values)  # type: ignore[union-attr]


def test_a_curve_vehicle_without_target_table_is_kept(tmp_path: Path) -> None:
    path = tmp_path / "maf.leantrim"
    JobStore.create(path, maf_vehicle()).close()
    job = load_job(path)
    assert job.vehicle.airflow == "maf"
    assert job.vehicle.target is None
    np.testing.assert_array_equal(job.rounds[0].table.values, maf_vehicle().table.values)


def test_a_failed_change_leaves_the_file_as_it_was(tmp_path: Path, heron_vehicle: Vehicle) -> None:
    path = tmp_path / "job.leantrim"
    store = JobStore.create(path, heron_vehicle)
    with pytest.raises(SaveFailedError, match="Nothing was changed"):
        store.save_left_out(999, [Span(0.0, 1.0)])
    store.save_left_out(store.load().rounds[0].id, [Span(0.0, 1.0)])
    assert store.load().rounds[0].left_out == (Span(0.0, 1.0),)
    store.close()


def test_what_is_not_a_job_is_refused(tmp_path: Path, heron_vehicle: Vehicle) -> None:
    (tmp_path / "text.leantrim").write_text("hello, this is no database at all" * 40)
    with pytest.raises(BadInputError, match="cannot be opened as a job file"):
        JobStore(tmp_path / "text.leantrim")
    with pytest.raises(BadInputError, match="no such job file"):
        JobStore(tmp_path / "absent.leantrim")
    other = sqlite3.connect(tmp_path / "other.leantrim")
    other.execute("CREATE TABLE things (x)")
    other.commit()
    other.close()
    with pytest.raises(BadInputError, match="not a Lean Trim job"):
        JobStore(tmp_path / "other.leantrim")
    JobStore.create(tmp_path / "new.leantrim", heron_vehicle).close()
    newer = sqlite3.connect(tmp_path / "new.leantrim")
    newer.execute("PRAGMA user_version = 99")
    newer.commit()
    newer.close()
    with pytest.raises(BadInputError, match="written by a newer Lean Trim"):
        JobStore(tmp_path / "new.leantrim")
    with pytest.raises(BadInputError, match="already exists"):
        JobStore.create(tmp_path / "new.leantrim", heron_vehicle)
    with pytest.raises(BadInputError, match="is not a folder"):
        JobStore.create(tmp_path / "no" / "job.leantrim", heron_vehicle)


def test_a_hand_over_of_an_earlier_version_lies_on_the_rounds_own_axes(
    tmp_path: Path, heron_vehicle: Vehicle
) -> None:
    """Those files hold cells without axes; what no longer fits is as if it were not known."""
    path = tmp_path / "old.leantrim"
    store = JobStore.create(path, heron_vehicle)
    table = heron_vehicle.table
    with store.database.writing() as db:
        for name, cells in (
            ("ve", [70.0] * table.size),
            ("dead_time", [1.0]),
            ("target_lambda", [1.0]),
        ):
            db.execute(
                "INSERT INTO handed_over_tables (round_id, table_name, cells) VALUES (1, ?, ?)",
                (name, json.dumps(cells)),
            )
    store.close()
    handed = load_job(path).rounds[0].handed
    assert set(handed) == {"ve"} and handed["ve"].same_axes(table)
    np.testing.assert_array_equal(handed["ve"].values, 70.0)
