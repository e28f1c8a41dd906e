"""Targets are typed, kept, undone, handed over, and the next round drives on them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.calibration import TARGET
from lean_trim.features.pulls.target_table import TargetTable
from lean_trim.formats.tables import read_table
from lean_trim.job.loading import load_job
from lean_trim.workspace.carrying import earlier_rounds
from lean_trim.workspace.changes import Notice
from tests.race.conftest import Bench

CELLS = frozenset({200, 201})


def test_targets_are_typed_kept_and_undone(driven_bench: Bench, job_path: Path) -> None:
    targets = driven_bench.workspace.parts[TargetTable]
    before = targets.decided
    assert before is not None and targets.type_in("0.81", CELLS)
    kept = load_job(job_path).rounds[0].decisions[TARGET]
    np.testing.assert_allclose(kept.values.ravel()[sorted(CELLS)], 0.81)
    assert kept.changed == 2
    # Leaner in boost than it was driven is done by a deliberate word only, which is kept.
    assert not targets.type_in("x1.05", CELLS) and targets.deciding.confirming.waiting is not None
    assert targets.deciding.confirm() and targets.decided is not None
    assert targets.decided.values.ravel()[200] == pytest.approx(0.8505, abs=1e-3)
    driven_bench.workspace.navigation.undo()
    driven_bench.workspace.navigation.undo()
    assert TARGET not in load_job(job_path).rounds[0].decisions
    np.testing.assert_array_equal(targets.decided.values, before.values)
    # What cannot be is refused in words.
    said: list[str] = []
    driven_bench.workspace.hub.subscribe(Notice, lambda n: said.append(str(n.said)))
    assert not targets.type_in("14.7", CELLS) and "0.5 to 1.5" in said[-1]
    assert not targets.type_in("rich", CELLS) and "not understood" in said[-1]
    assert not targets.type_in("0.8", frozenset()) and "Choose the cells first" in said[-1]
    assert not load_job(job_path).rounds[0].decisions


def test_they_are_handed_over_and_driven_on(
    driven_bench: Bench, tmp_path: Path, job_path: Path
) -> None:
    workspace = driven_bench.workspace
    assert workspace.parts[TargetTable].type_in("0.81", CELLS)
    assert workspace.rounds.hand_over(tmp_path / "out.csv")
    written = read_table(tmp_path / "out-target-lambda.csv", "target_lambda")
    assert written.values.ravel()[200] == pytest.approx(0.81)
    workspace.rounds.begin_round()
    kept = load_job(job_path)
    first, second = (kept.vehicle_in(i).target for i in (0, 1))
    assert first is not None and second is not None
    assert second.values.ravel()[200] == pytest.approx(0.81) != first.values.ravel()[200]
    # What the first drive said of the airflow table does not hang on the target it was driven with.
    (earlier,) = earlier_rounds(kept, kept.rounds[1], kept.rounds[1].tuning)
    assert earlier.why_not == ""


def test_advice_follows_what_is_typed(driven_bench: Bench) -> None:
    targets = driven_bench.workspace.parts[TargetTable]
    before = targets.advice
    assert before is not None
    boosted = frozenset(
        np.flatnonzero(np.repeat(before.loads == "boost", before.odd.shape[1])).tolist()
    )
    assert boosted and not targets.type_in("0.95", boosted) and targets.deciding.confirm()
    after = targets.advice
    assert after is not None and "destroys engines" in " ".join(map(str, after.cautions))
    assert (
        targets.put_back()
        and targets.advice is not None
        and targets.advice.cautions == before.cautions
    )
