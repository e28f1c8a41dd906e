"""Regions edited by the user: shares and scorecards follow, limits and cautions do not."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.decision.cautions import cautions_for
from lean_trim.core.decision.choices import Choice
from lean_trim.core.decision.confirmation import Danger
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.errors import BadInputError
from lean_trim.core.explore.scorecard import scorecard, told_regions
from lean_trim.job.tuning import Tuning, tuning_from, tuning_text
from tests.race.conftest import Bench

BOOST = frozenset(range(9 * 16, 14 * 16))


def steps(bench: Bench) -> np.ndarray:
    proposal = bench.workspace.solver.proposal
    assert proposal is not None
    return proposal.step_pct


def settle(bench: Bench) -> None:
    bench.workspace.tuning.rest()
    bench.settle()


def test_a_share_follows_the_region_and_limits_stay(driven: Bench) -> None:
    tuning = driven.workspace.tuning
    before = steps(driven)
    tuning.turn("policy", "gain_idle", 0.5)
    settle(driven)
    halved = steps(driven)
    tuning.put_regions(BOOST, "idle")
    settle(driven)
    after = steps(driven)
    # Boost is written by the share of idle now: half of what it was, where nothing cut it.
    taken = (before[9:] != 0.0) & (np.abs(before[9:]) < 10.0)
    ratio = after[9:][taken] / before[9:][taken]
    assert np.median(ratio) == pytest.approx(0.5, abs=0.02)
    np.testing.assert_array_equal(after[:9], halved[:9])
    # It is still boost to whoever warns.
    deciding = driven.workspace.deciding
    assert not deciding.accept(BOOST)
    waiting = deciding.confirming.waiting
    assert waiting is not None and waiting.warned[0].danger is Danger.BOOST
    current = driven.workspace.open.round
    proposal = driven.workspace.solver.proposal
    assert current is not None and proposal is not None
    said = cautions_for(current.table, -np.ones(current.table.shape), None, proposal.policy)
    assert "above atmospheric" in said[0].text


def test_scorecards_and_choices_follow(driven: Bench) -> None:
    solution = driven.workspace.solver.solution
    assert solution is not None
    words = tuple((cell, "part") for cell in sorted(BOOST))
    names = [s.region for s in scorecard(solution, words)]
    assert "boost" in [s.region for s in scorecard(solution)] and "boost" not in names
    driven.workspace.tuning.put_regions(BOOST, "part")
    settle(driven)
    assert driven.workspace.shaping.cells_by(Choice.BOOST) == frozenset()
    driven.workspace.tuning.put_regions(BOOST, "")
    settle(driven)
    told = frozenset(np.flatnonzero(told_regions(solution).ravel() == "boost").tolist())
    assert driven.workspace.shaping.cells_by(Choice.BOOST) == told


def test_it_is_kept_and_undone_like_any_setting(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    workspace.tuning.put_regions(frozenset({3, 1}), "full")
    settle(driven)
    assert workspace.history.undo_text == "Put 2 cells into another region"
    workspace.opening.close_job()
    driven.open(job_path)
    assert workspace.tuning.state.policy.regions == ((1, "full"), (3, "full"))


def test_what_cannot_be_is_refused_and_a_damaged_setting_takes_its_default() -> None:
    with pytest.raises(BadInputError, match="allowed are idle, part, full, boost"):
        PolicySettings(regions=((3, "nowhere"),))
    kept = Tuning(policy=PolicySettings(regions=((3, "idle"), (7, "boost"))))
    assert tuning_from(tuning_text(kept)).policy.regions == kept.policy.regions
    damaged = tuning_text(kept).replace('"idle"', '"nowhere"')
    assert tuning_from(damaged).policy.regions == ()
