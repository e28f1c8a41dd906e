"""A round after an injector change: marked, kept, undone, and how large the change was."""

from __future__ import annotations

import math
import sqlite3
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.calibration import INJECTOR_FLOW
from lean_trim.core.data.injector_tables import FlowLaw, flow_table
from lean_trim.core.errors import BadInputError
from lean_trim.job.loading import load_job
from lean_trim.job.records import CORRECTION, SWAP
from lean_trim.workspace.swap import is_large, size_ratio
from tests.race.conftest import Bench


def test_a_swap_is_marked_kept_and_undone(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    assert workspace.swaps.mark(True)
    assert load_job(job_path).rounds[0].kind == SWAP
    workspace.navigation.undo()
    assert load_job(job_path).rounds[0].kind == CORRECTION
    workspace.navigation.redo()
    assert workspace.open.round is not None and workspace.open.round.kind == SWAP
    # The next round is one of correcting again.
    workspace.rounds.begin_round()
    assert [r.kind for r in load_job(job_path).rounds] == [SWAP, CORRECTION]


def test_only_the_newest_round_is_marked(driven: Bench) -> None:
    driven.workspace.rounds.begin_round()
    driven.workspace.navigation.show_round(0)
    assert not driven.workspace.swaps.mark(True)
    assert "newest" in driven.said


def test_a_kind_nobody_knows_is_refused(driven: Bench, job_path: Path) -> None:
    driven.workspace.opening.close_job()
    with sqlite3.connect(job_path) as db:
        db.execute("UPDATE rounds SET kind = 'holiday'")
    db.close()
    with pytest.raises(BadInputError, match="holiday"):
        load_job(job_path)


def test_the_size_of_the_change_is_that_of_the_flows(driven: Bench) -> None:
    workspace = driven.workspace
    assert workspace.open.round is not None
    assert math.isnan(size_ratio(workspace.open.job, workspace.open.round))
    workspace.rounds.begin_round()
    new = flow_table(FlowLaw(300.0, 7.6 * 2.5, 0.5), np.array([250.0, 300.0, 400.0]))
    assert workspace.injectors.take_table(INJECTOR_FLOW, new)
    ratio = size_ratio(workspace.open.job, workspace.open.round)
    assert ratio == pytest.approx(2.5, rel=1e-3) and is_large(ratio)
    assert is_large(0.4) and not is_large(1.5) and not is_large(float("nan"))
