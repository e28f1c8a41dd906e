"""Drives of earlier rounds in the open job: kept, read back, worked out where they are missing, ended."""

from __future__ import annotations

import sqlite3
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.pipeline.carrying import DriveEvidence
from lean_trim.job.evidence_rows import evidence_from
from lean_trim.job.loading import load_job
from lean_trim.job.records import Job, Round
from lean_trim.job.results import packed
from lean_trim.workspace import carrying
from lean_trim.workspace.carrying import earlier_rounds
from tests.deciding import accept_knowingly
from tests.race.conftest import Bench

pytestmark = pytest.mark.slow


@pytest.fixture
def twice(driven: Bench) -> Bench:
    """Two rounds of the demo, driven and solved."""
    accept_knowingly(driven.workspace.deciding)
    driven.workspace.rounds.drive(minutes=3.0)
    driven.settle()
    return driven


def job(bench: Bench) -> Job:
    assert bench.workspace.open.job is not None
    return bench.workspace.open.job


def counted(bench: Bench) -> list[int]:
    return [c.number for c in bench.solution.measured.before.counted if c.counts]


def kept(r: Round) -> DriveEvidence:
    return evidence_from(r.evidence[r.subject])


def test_what_a_drive_said_is_kept_with_its_round(twice: Bench, job_path: Path) -> None:
    assert counted(twice) == [1]
    first, second = load_job(job_path).rounds
    assert kept(first).seconds > 60.0 and kept(second).seconds > 60.0
    # Its own drive alone: what was carried to it is not carried on a second time.
    own = twice.solution.observations.seconds.sum()
    assert kept(second).seconds == pytest.approx(own, rel=1e-3)


def test_a_round_that_has_none_is_worked_out_once(
    twice: Bench, job_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = twice.solution.estimate.correction_pct
    twice.workspace.opening.close_job()
    with sqlite3.connect(job_path) as db:
        db.execute("DELETE FROM evidence WHERE round_id = 1")
    db.close()
    times = []
    real = carrying.solve
    monkeypatch.setattr(carrying, "solve", lambda *a, **m: (times.append(1), real(*a, **m))[1])
    twice.open(job_path)
    assert counted(twice) == [1] and len(times) == 1
    np.testing.assert_allclose(twice.solution.estimate.correction_pct, before, atol=1e-6)
    assert kept(load_job(job_path).rounds[0]).seconds > 60.0
    twice.workspace.solver.solve()
    twice.settle()
    assert len(times) == 1


@pytest.mark.parametrize("data", [b"", b"PK\x03\x04", packed(np.zeros(3)), packed((1, "two"))])
def test_damaged_bytes_are_worked_out_anew(twice: Bench, job_path: Path, data: bytes) -> None:
    before = twice.solution.estimate.correction_pct
    twice.workspace.opening.close_job()
    with sqlite3.connect(job_path) as db:
        db.execute("UPDATE evidence SET data = ? WHERE round_id = 1", (data,))
    db.close()
    twice.open(job_path)
    assert counted(twice) == [1]
    np.testing.assert_allclose(twice.solution.estimate.correction_pct, before, atol=1e-6)


def test_other_injectors_end_it_and_undo_brings_it_back(twice: Bench) -> None:
    assert twice.workspace.swaps.mark(True)
    twice.settle()
    assert counted(twice) == []
    (one,) = twice.workspace.solver.earlier()
    assert one.why_not == "other injectors since round 2"
    twice.workspace.navigation.undo()
    twice.settle()
    assert counted(twice) == [1]


def test_another_car_ends_it_for_all_later_rounds(twice: Bench) -> None:
    twice.workspace.tuning.say_car_changed("fuel")
    twice.workspace.tuning.rest()
    twice.settle()
    assert counted(twice) == []
    twice.workspace.rounds.begin_round()
    made = job(twice)
    third = made.rounds[2]
    whys = [e.why_not for e in earlier_rounds(made, third, third.tuning)]
    assert whys == ["the car is another since round 2: fuel", ""]


def test_what_was_taken_out_of_a_round_is_not_carried_on(twice: Bench, job_path: Path) -> None:
    workspace = twice.workspace
    workspace.navigation.show_round(0)
    twice.settle()
    (info,) = job(twice).rounds[0].log_infos
    workspace.logs.leave_out(job(twice).rounds[0].id, info.id)
    twice.settle()
    assert not load_job(job_path).rounds[0].evidence
    workspace.navigation.show_round(1)
    twice.settle()
    assert counted(twice) == [] and workspace.solver.earlier() == ()


def test_months_are_counted_from_the_days_the_logs_came_in(twice: Bench) -> None:
    made = job(twice)
    first, second = made.rounds
    old = "2026-01-01T12:00:00+00:00"
    new = "2026-04-02T13:00:00+00:00"
    aged = [
        replace(r, log_infos=tuple(replace(i, added=day) for i in r.log_infos))
        for r, day in ((first, old), (second, new))
    ]
    (one,) = earlier_rounds(replace(made, rounds=tuple(aged)), aged[1], aged[1].tuning)
    assert one.months == pytest.approx(91 / 30.44)
