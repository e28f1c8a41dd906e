"""The next log goes into the round whose table it was driven on, or the user is asked."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.logs import write_log_csv
from lean_trim.job.loading import load_job
from lean_trim.job.records import Job
from lean_trim.simcar.drive import simulate
from lean_trim.workspace.destination import Place
from tests.deciding import accept_knowingly, type_knowingly
from tests.race.conftest import Bench

MUTE = (Role.PULSE_WIDTH, Role.DUTY)
"""Without these a log does not tell which table it was driven on."""


def job(bench: Bench) -> Job:
    assert bench.workspace.open.job is not None
    return bench.workspace.open.job


def layout(some: Job) -> list[list[str]]:
    return [[i.name for i in r.log_infos] for r in some.rounds]


def muted(log: Log) -> Log:
    return Log(log.time_s, {r: v for r, v in log.channels.items() if r not in MUTE}, log.name)


@pytest.fixture
def accepted(driven: Bench) -> Bench:
    accept_knowingly(driven.workspace.deciding)
    return driven


DRIVES: dict[bytes, Log] = {}
"""Drives by the table they were driven on: every test accepts the same one."""


@pytest.fixture
def next_drive(accepted: Bench, heron_vehicle: Vehicle) -> Log:
    """A drive on the decided table."""
    decided = job(accepted).rounds[0].result
    key = decided.values.tobytes()
    if key not in DRIVES:
        DRIVES[key] = simulate(
            replace(heron_vehicle, table=decided), seed=2, minutes=3.0, name="next"
        )
    return DRIVES[key]


def add(bench: Bench, log: Log, path: Path) -> None:
    write_log_csv(log, path)
    bench.workspace.imports.add([path])
    bench.settle()


@pytest.mark.slow
def test_a_log_after_the_hand_over_opens_the_next_round_on_what_was_handed_over(
    accepted: Bench, next_drive: Log, tmp_path: Path, job_path: Path
) -> None:
    workspace = accepted.workspace
    assert workspace.rounds.hand_over(tmp_path / "out.csv")
    handed = job(accepted).rounds[0].decided.values
    type_knowingly(workspace.deciding, "+5%", frozenset({3, 4}))
    assert job(accepted).rounds[0].has_changed_since_handed_over
    add(accepted, muted(next_drive), tmp_path / "next.csv")
    kept = load_job(job_path)
    assert layout(kept) == [["simulated drive 1"], ["next.csv"]]
    np.testing.assert_array_equal(kept.rounds[1].table.values, handed)
    assert workspace.open.index == 1


@pytest.mark.slow
def test_a_log_plainly_driven_on_the_decided_table_opens_the_next_round_unasked(
    accepted: Bench, next_drive: Log, short_log: Log, tmp_path: Path
) -> None:
    add(accepted, short_log, tmp_path / "again.csv")
    assert layout(job(accepted)) == [["simulated drive 1", "again.csv"]]
    add(accepted, next_drive, tmp_path / "next.csv")
    assert layout(job(accepted))[1] == ["next.csv"]
    assert accepted.workspace.imports.unplaced == []


@pytest.mark.slow
@pytest.mark.parametrize(("place", "expected"), [(Place.HERE, [2]), (Place.NEXT, [1, 1])])
def test_where_the_log_does_not_tell_the_user_is_asked(
    accepted: Bench, next_drive: Log, tmp_path: Path, place: Place, expected: list[int]
) -> None:
    add(accepted, muted(next_drive), tmp_path / "next.csv")
    assert layout(job(accepted)) == [["simulated drive 1"]]
    assert [u.stored.log.name for u in accepted.workspace.imports.unplaced] == ["next.csv"]
    accepted.workspace.imports.place(place)
    accepted.settle()
    assert [len(names) for names in layout(job(accepted))] == expected
    assert accepted.workspace.imports.unplaced == []


@pytest.mark.slow
def test_a_log_driven_before_the_hand_over_is_asked_about(
    accepted: Bench, short_log: Log, tmp_path: Path
) -> None:
    """Hand-over and pulse width say different things; only the user knows."""
    accepted.workspace.rounds.hand_over(tmp_path / "out.csv")
    add(accepted, short_log, tmp_path / "forgotten.csv")
    assert len(accepted.workspace.imports.unplaced) == 1
    accepted.workspace.imports.discard()
    assert accepted.workspace.imports.unplaced == []
    assert layout(job(accepted)) == [["simulated drive 1"]]


def test_with_nothing_decided_another_log_joins_the_round(
    driven: Bench, short_log: Log, tmp_path: Path
) -> None:
    add(driven, muted(short_log), tmp_path / "second.csv")
    assert layout(job(driven)) == [["simulated drive 1", "second.csv"]]


@pytest.mark.slow
def test_several_logs_after_a_hand_over_share_the_next_round(
    accepted: Bench, next_drive: Log, tmp_path: Path
) -> None:
    workspace = accepted.workspace
    workspace.rounds.hand_over(tmp_path / "out.csv")
    paths = [tmp_path / "n1.csv", tmp_path / "n2.csv"]
    half = len(next_drive) // 2
    for path, part in zip(paths, (slice(0, half), slice(half, None)), strict=True):
        channels = {r: v[part] for r, v in next_drive.channels.items()}
        write_log_csv(Log(next_drive.time_s[part], channels, path.name), path)
    workspace.imports.add(paths)
    accepted.settle()
    add(accepted, next_drive, tmp_path / "n3.csv")
    assert layout(job(accepted)) == [["simulated drive 1"], ["n1.csv", "n2.csv", "n3.csv"]]


def test_the_same_file_counts_once(driven: Bench, short_log: Log, tmp_path: Path) -> None:
    """A drive that is added twice would pass for two that agree."""
    for name in ("a.csv", "b.csv"):
        write_log_csv(short_log, tmp_path / name)
    driven.workspace.imports.add([tmp_path / "a.csv", tmp_path / "b.csv"])
    driven.settle()
    assert layout(job(driven)) == [["simulated drive 1", "a.csv"]]
    assert "b.csv is not added again: it is the same file as a.csv in round 1" in driven.said
    here = job(driven).rounds[0]
    driven.workspace.logs.leave_out(here.id, here.log_infos[1].id)
    driven.workspace.imports.add([tmp_path / "b.csv"])
    driven.settle()
    assert layout(job(driven)) == [["simulated drive 1"]]
    assert "which is left out in round 1. Let that one count again" in driven.said


def test_a_round_begun_on_other_cells_than_were_handed_over_says_so(
    accepted: Bench, tmp_path: Path
) -> None:
    workspace = accepted.workspace
    workspace.rounds.hand_over(tmp_path / "out.csv")
    type_knowingly(workspace.deciding, "+5%", frozenset({3}))
    workspace.rounds.begin_round()
    assert "not what was handed over" in accepted.said
    assert (
        job(accepted).rounds[1].table.values[0, 3] == job(accepted).rounds[0].decided.values[0, 3]
    )
