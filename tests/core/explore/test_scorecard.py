"""How a drive stands by region: its parts make up the whole."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.decision.regions import Region
from lean_trim.core.explore.events import tip_in_cells
from lean_trim.core.explore.scorecard import scorecard
from lean_trim.core.pipeline.solve import Solution


def test_the_regions_make_up_the_whole(heron_solution: Solution) -> None:
    every = scorecard(heron_solution)
    # Cells beside tip-ins count in their own region; their score comes last.
    scores = [s for s in every if s.region is not None]
    assert every[-1].region is None and len(scores) == len(every) - 1
    residual = heron_solution.residual
    assert sum(s.cells for s in scores) == residual.cells
    squares = sum(s.cells * s.rms_pct**2 for s in scores)
    assert np.sqrt(squares / residual.cells) == pytest.approx(residual.rms)
    within = sum(s.cells * s.within_pct[1] for s in scores) / residual.cells
    assert within == pytest.approx(residual.within_3)
    known = np.isfinite(residual.gap_pct)
    assert max(s.worst_lean_pct for s in scores) == pytest.approx(residual.gap_pct[known].max())
    for s in scores:
        assert 0.0 <= s.within_pct[0] <= s.within_pct[1] <= s.within_pct[2] <= 100.0


def test_the_cells_beside_tip_ins_have_a_score(heron_solution: Solution) -> None:
    beside = scorecard(heron_solution)[-1]
    gap = heron_solution.residual.gap_pct[tip_in_cells(heron_solution).ravel()]
    known = gap[np.isfinite(gap)]
    assert beside.cells == len(known)
    assert beside.rms_pct == pytest.approx(np.sqrt(np.mean(known**2)))


def test_boost_is_above_atmospheric(heron_solution: Solution) -> None:
    (boost,) = [s for s in scorecard(heron_solution) if s.region is Region.BOOST]
    gap = heron_solution.residual.gap_pct.reshape(heron_solution.estimate.table.shape)
    rows = heron_solution.estimate.table.axes[0].points > 101.0
    assert boost.cells == np.isfinite(gap[rows]).sum()
    assert boost.rms_pct == pytest.approx(np.sqrt(np.nanmean(gap[rows] ** 2)))
    assert np.isfinite(boost.trim_rms_pct)
