"""Leaving out, removing, replacing and moving logs of the open job: saved first, and undone in one step."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.formats.logs import write_log_csv
from lean_trim.job.blobs import store_log
from lean_trim.job.loading import load_job
from lean_trim.job.records import Round
from lean_trim.workspace.additions import AddLogs
from tests.deciding import accept_knowingly
from tests.race.conftest import Bench


@pytest.fixture
def two(driven: Bench, short_log: Log) -> Bench:
    """The driven demo with a second log, the first minutes of the same drive."""
    assert driven.workspace.open.round is not None
    part = np.arange(len(short_log)) < 9000
    short = Log(
        short_log.time_s[part], {r: v[part] for r, v in short_log.channels.items()}, "second"
    )
    workspace = driven.workspace
    assert workspace.open.round is not None
    AddLogs(
        workspace.open, workspace.navigation, workspace.open.round.id, (store_log(short),)
    ).apply()
    driven.settle()
    return driven


def shown(bench: Bench) -> Round:
    assert bench.workspace.open.round is not None
    return bench.workspace.open.round


def names(some: Round) -> list[str]:
    return [i.name for i in some.log_infos]


def test_a_log_left_out_does_not_count_until_it_is_taken_back(two: Bench, job_path: Path) -> None:
    workspace = two.workspace
    both = two.solution
    here = shown(two)
    assert workspace.logs.leave_out(here.id, here.log_infos[1].id)
    two.settle()
    assert names(shown(two)) == ["simulated drive 1"]
    assert [x.info.name for x in shown(two).resting] == ["second"]
    assert len(two.solution.frame.log) < len(both.frame.log)
    assert len(load_job(job_path).rounds[0].resting) == 1
    assert workspace.logs.count_again(here.id, here.log_infos[1].id)
    two.settle()
    assert names(shown(two)) == ["simulated drive 1", "second"] and shown(two).resting == ()
    assert two.solution.residual.rms == pytest.approx(both.residual.rms)
    workspace.navigation.undo()
    workspace.navigation.undo()
    two.settle()
    assert names(load_job(job_path).rounds[0]) == ["simulated drive 1", "second"]
    assert "Undone: Leave out second" in two.said


def test_a_removed_log_comes_back_by_undo_with_stretches_and_verdict(
    two: Bench, job_path: Path
) -> None:
    workspace = two.workspace
    workspace.deciding.leave_out(430.0, 460.0)
    two.settle()
    before = shown(two)
    assert before.verdict is not None
    accept_knowingly(workspace.deciding)
    workspace.logs.remove(before.id, before.log_infos[1].id)
    two.settle()
    assert names(shown(two)) == ["simulated drive 1"] and shown(two).left_out == ()
    assert shown(two).decided.changed > 0
    workspace.navigation.undo()
    two.settle()
    assert names(shown(two)) == ["simulated drive 1", "second"]
    assert shown(two).left_out == before.left_out
    assert shown(two).decided.changed > 0, "what was decided in between stays"
    kept = load_job(job_path).rounds[0]
    assert kept.left_out == before.left_out and kept.verdict is not None
    assert kept.verdict.residual_rms == pytest.approx(before.verdict.residual_rms)


def test_a_log_moves_to_another_round_and_back(two: Bench, job_path: Path) -> None:
    workspace = two.workspace
    accept_knowingly(workspace.deciding)
    workspace.rounds.begin_round()
    workspace.navigation.show_round(0)
    two.settle()
    assert workspace.open.job is not None
    first, second = workspace.open.job.rounds
    assert workspace.logs.move(first.id, first.log_infos[1].id, second.id)
    two.settle()
    kept = load_job(job_path)
    assert [names(r) for r in kept.rounds] == [["simulated drive 1"], ["second"]]
    workspace.navigation.undo()
    two.settle()
    kept = load_job(job_path)
    assert [names(r) for r in kept.rounds] == [["simulated drive 1", "second"], []]
    assert not workspace.logs.move(first.id, first.log_infos[1].id, first.id)
    assert "is in round 1 already" in two.said


def test_a_log_is_replaced_by_a_file_and_the_round_is_solved_anew(
    two: Bench, tmp_path: Path, short_log: Log, job_path: Path
) -> None:
    workspace = two.workspace
    workspace.deciding.leave_out(430.0, 460.0)
    two.settle()
    write_log_csv(short_log, tmp_path / "whole.csv")
    here = shown(two)
    workspace.imports.add([tmp_path / "whole.csv"], replaces=(here.id, here.log_infos[1].id))
    two.settle()
    assert names(shown(two)) == ["simulated drive 1", "whole.csv"]
    assert shown(two).left_out == ()
    assert "stands in the place of second. Stretches left out" in two.said
    workspace.navigation.undo()
    two.settle()
    assert names(load_job(job_path).rounds[0]) == ["simulated drive 1", "second"]
    assert shown(two).left_out == here.left_out


def test_a_log_that_went_meanwhile_is_not_replaced(
    two: Bench, tmp_path: Path, short_log: Log
) -> None:
    write_log_csv(short_log, tmp_path / "whole.csv")
    here = shown(two)
    two.workspace.imports.add([tmp_path / "whole.csv"], replaces=(here.id, here.log_infos[1].id))
    two.workspace.logs.remove(here.id, here.log_infos[1].id)
    two.settle()
    assert names(shown(two)) == ["simulated drive 1"]
    assert "no longer in round 1; nothing was changed" in two.said


def test_removing_the_only_log_leaves_an_empty_round(driven: Bench) -> None:
    here = shown(driven)
    driven.workspace.logs.remove(here.id, here.log_infos[0].id)
    driven.settle()
    assert shown(driven).logs == () and driven.workspace.solver.solution is None
    driven.workspace.navigation.undo()
    driven.settle()
    assert driven.workspace.solver.solution is not None
