"""Pulls of the rounds: found when asked for, anew when logs change, words about them kept."""

from __future__ import annotations

from pathlib import Path

import pytest

from lean_trim.core.data.channels import Role
from lean_trim.features.pulls.control import PullsControl
from lean_trim.job.loading import load_job
from lean_trim.workspace.changes import Notice
from tests.race.conftest import Bench


@pytest.fixture
def looked(driven_bench: Bench) -> Bench:
    driven_bench.workspace.parts[PullsControl].want()
    driven_bench.settle()
    return driven_bench


def test_pulls_of_a_round_are_found_once_a_desk_asks(driven_bench: Bench) -> None:
    looked = driven_bench
    control = driven_bench.workspace.parts[PullsControl]
    control.look()
    driven_bench.settle()
    assert not control.found
    control.want()
    driven_bench.settle()
    (found,) = control.found.values()
    assert found.number == 1 and not found.failure
    assert {t.pull.kind for t in found.traces} <= {"full", "partial"} and found.traces
    control.look()
    looked.settle()
    assert next(iter(control.found.values())) is found


def test_a_pull_is_left_out_and_counted_again(looked: Bench, job_path: Path) -> None:
    control = looked.workspace.parts[PullsControl]
    workspace = looked.workspace
    (found,) = control.found.values()
    pull = found.traces[0].pull
    control.leave_out(found.round_id, pull)
    looked.settle()
    (span,) = load_job(job_path).rounds[0].left_out
    assert (span.start_s, span.end_s) == (pull.start_s, pull.end_s)
    assert control.is_left_out(found.round_id, pull)
    control.leave_out(found.round_id, pull)
    looked.settle()
    assert not load_job(job_path).rounds[0].left_out and not control.is_left_out(
        found.round_id, pull
    )
    workspace.navigation.undo()
    looked.settle()
    assert control.is_left_out(found.round_id, pull)


def test_what_is_said_of_a_pull_is_kept(looked: Bench, job_path: Path) -> None:
    control = looked.workspace.parts[PullsControl]
    (found,) = control.found.values()
    pull = found.traces[0].pull
    control.set_figure(found.round_id, pull, 143.0)
    # The demo logs its barometer: an altitude changes nothing but is looked at again.
    assert found.baro_logged
    control.set_altitude(1500.0)
    looked.settle()
    (again,) = control.found.values()
    assert again is not found and again.traces[0].pull.boost_kpa == pull.boost_kpa
    control.set_altitude(99_000.0)
    assert control.altitude_m == 1500.0
    said: list[str] = []
    looked.workspace.hub.subscribe(Notice, lambda n: said.append(str(n.said)))
    control.set_figure(found.round_id, pull, 9000.0)
    assert "allowed are 0 (none) to 2000 kW" in said[0]
    looked.workspace.opening.close_job()
    looked.open(job_path)
    looked.settle()
    assert control.figure_kw(found.round_id, pull) == 143.0


def test_a_log_that_cannot_be_looked_through_says_why(driven_bench: Bench) -> None:
    from dataclasses import replace

    workspace = driven_bench.workspace
    assert workspace.open.job is not None and workspace.open.round is not None
    log = workspace.open.round.logs[0]
    blind = replace(log, channels={r: v for r, v in log.channels.items() if r != Role.MAP})
    workspace.open.job = workspace.open.job.with_round(replace(workspace.open.round, logs=(blind,)))
    workspace.parts[PullsControl].want()
    driven_bench.settle()
    (found,) = workspace.parts[PullsControl].found.values()
    assert not found.traces and "manifold pressure" in found.failure
