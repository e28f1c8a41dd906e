"""A sample of ``./campaign kills``: what was acknowledged is in the file, and no file is refused."""

from __future__ import annotations

from pathlib import Path

import pytest

from campaigns.kills import CREATE, DECIDE, lost_in, work_and_kill
from lean_trim.job.loading import load_job
from tests.conftest import SHORT_MINUTES, DrivenJob


@pytest.mark.slow
@pytest.mark.parametrize("seed", [3, 5])
def test_a_killed_program_loses_nothing_it_acknowledged(
    tmp_path: Path, driven_job: DrivenJob, seed: int
) -> None:
    (tmp_path / "whole.leantrim").write_bytes(driven_job(SHORT_MINUTES))
    path, acknowledged = work_and_kill(tmp_path, DECIDE, seed)
    assert lost_in(path, acknowledged) == []


@pytest.mark.slow
def test_creation_that_is_killed_leaves_whole_jobs_or_none(tmp_path: Path) -> None:
    _, acknowledged = work_and_kill(tmp_path, CREATE, 1)
    made = list(tmp_path.glob("*.leantrim"))
    assert len(made) >= len(acknowledged)
    for path in made:
        assert len(load_job(path).rounds) == 1
