"""What changes without a stretch is what leaving it out brings, and nothing is decided by it."""

from __future__ import annotations

import numpy as np

from lean_trim.core.explore.adding_up import visits_of_cells
from tests.race.conftest import Bench


def test_it_foretells_what_leaving_out_brings(driven: Bench) -> None:
    workspace = driven.workspace
    solution = workspace.solver.solution
    assert solution is not None
    busy = int(solution.estimate.seconds.argmax())
    visit = max(visits_of_cells(solution, [busy]), key=lambda v: v.seconds)
    workspace.without.try_span(visit.start_s, visit.end_s)
    driven.until(lambda: workspace.without.found is not None)
    found = workspace.without.found
    assert found is not None and found.span == (visit.start_s, visit.end_s)
    before = solution.estimate.correction_pct.ravel()
    np.testing.assert_allclose(found.moved_pct, found.asked_pct - before, atol=1e-12)
    assert abs(found.moved_pct).max() > 0.01
    # Nothing was left out by that.
    assert workspace.solver.solution is solution
    current = workspace.open.round
    assert current is not None and current.left_out == ()
    workspace.deciding.leave_out(visit.start_s, visit.end_s)
    driven.settle()
    after = workspace.solver.solution
    assert after is not None and after is not solution
    asked = after.estimate.correction_pct.ravel()
    # The whole solve reads delay and film anew as well: far from what was driven that tells.
    error = after.estimate.own_error_pct.ravel()
    assert (abs(found.asked_pct - asked) / error).max() < 0.25
    assert abs(found.asked_pct[busy] - asked[busy]) < 0.1
    assert workspace.without.found is None
