"""Logs are read when they are looked at; damage is told before that."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.errors import BadInputError
from lean_trim.job import kept_logs
from lean_trim.job.blobs import log_to_parquet, store_log
from lean_trim.job.kept_logs import NO_SUM, KeptLog, KeptLogs, bytes_of, sum_of
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.workspace.work_state import Stage
from tests.race.conftest import Bench, bench

__all__ = ["bench"]


def small_log(name: str = "a drive") -> Log:
    time = np.arange(50.0)
    return Log(time, {Role.RPM: 1000.0 + time, Role.LAMBDA: np.full(50, 0.98)}, name)


@pytest.fixture
def job(tmp_path: Path) -> Path:
    path = tmp_path / "a.leantrim"
    store = JobStore.create(path, heron())
    store.add_logs(store.load().rounds[0].id, [store_log(small_log()), store_log(small_log("b"))])
    store.close()
    return path


def test_nothing_is_read_before_it_is_looked_at(job: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    read: list[str] = []
    real = kept_logs.log_from_parquet

    def counted(data: bytes, name: str) -> Log:
        read.append(name)
        return real(data, name)

    monkeypatch.setattr(kept_logs, "log_from_parquet", counted)
    (r,) = load_job(job).rounds
    assert len(r.logs) == 2 and r.logs and read == []
    assert r.logs[1].name == "b" and read == ["b"]
    assert r.logs[1] is r.logs[-1] and [log.name for log in r.logs[1:]] == ["b"] == read
    np.testing.assert_array_equal(r.logs[0][Role.RPM], small_log()[Role.RPM])


def test_the_bytes_of_a_kept_log_are_used_again() -> None:
    data = log_to_parquet(small_log())
    logs = KeptLogs([KeptLog(data, "a", sum_of(data))])
    assert bytes_of(logs, 0) is data
    assert bytes_of((small_log(),), 0) == data


def test_changed_bytes_are_told_without_reading_and_old_logs_are_read_at_once() -> None:
    data = log_to_parquet(small_log())
    bad = data[:-20] + bytes(20)
    with pytest.raises(BadInputError, match="not what was saved"):
        KeptLog(bad, "a", sum_of(data))
    with pytest.raises(BadInputError, match="cannot be read|samples"):
        KeptLog(bad, "a", NO_SUM)
    assert len(KeptLog(data, "a", NO_SUM).read()) == 50


def test_a_forged_sum_ends_in_a_sentence(bench: Bench, job: Path) -> None:
    store = JobStore(job)
    with store.database.writing() as db:
        db.execute("UPDATE logs SET parquet = ?, crc = ?", (b"no log", sum_of(b"no log")))
    store.close()
    bench.open(job)
    state = bench.workspace.work.state
    assert state.stage is Stage.FAILED and "cannot be read" in state.why
