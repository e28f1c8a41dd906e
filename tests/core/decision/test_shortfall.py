"""What is cut at a limit or left lean is said before anyone accepts."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.decision.proposal import PolicySettings, Status, propose
from lean_trim.core.decision.restraints import no_restraints
from lean_trim.core.decision.shortfall import left_over_pct, shortfalls
from lean_trim.core.estimation.edge_nodes import Gaps
from tests.core.decision.test_proposal import LIMITS, estimate


def test_steps_that_were_cut_are_told_with_the_next_one() -> None:
    """-31 % asked, -20 % written: 0.69 / 0.80 leaves another -13.8 %."""
    asked = np.full((3, 3), -2.0)
    asked[0, 0] = -31.0
    proposal = propose(estimate(asked), PolicySettings(), LIMITS)
    (found,) = shortfalls(estimate(asked), proposal)
    assert found.id == "step_limited"
    assert found.message.startswith("1 cell cut at a step limit: asked -31.0 %, written -20.0 %")
    assert "about -13.8 %" in found.message
    assert left_over_pct(estimate(asked), proposal)[0, 0] == pytest.approx(-13.75, abs=0.1)


def test_nothing_is_said_where_everything_asked_is_written() -> None:
    assert shortfalls(estimate(4.0), propose(estimate(4.0), PolicySettings(), LIMITS)) == ()


def driven_between(low_rpm: float) -> Gaps:
    """Driving from a speed between the first two columns on, at every load."""
    above = np.zeros((2, 3, 3))
    below = np.zeros((2, 3, 3))
    above[1, :, 0] = low_rpm - 1000.0
    below[1, :, 0] = np.inf
    return Gaps(above.reshape(2, 9), below.reshape(2, 9))


def test_a_column_that_is_only_read_from_one_side_gets_a_breakpoint_advised() -> None:
    """1000 and 3000 rpm, driven from 1700 on: half of 0.2 per 1000² times 700 times 2000 is 14 %."""
    asked = estimate(np.full((3, 3), -6.0))
    asked = replace(asked, own_error_pct=np.full((3, 3), 0.2))
    held = replace(no_restraints((3, 3)), gaps=driven_between(1700.0))
    neighbours = replace(asked, correction_pct=np.array([[-6.0, -1.0, -1.0]] * 3))
    proposal = propose(neighbours, PolicySettings(), LIMITS, held)
    assert (proposal.status[:, 0] == Status.ONE_SIDED).all()
    found = {f.id: f for f in shortfalls(neighbours, proposal)}
    assert set(found) == {"read_from_one_side"}
    said = found["read_from_one_side"].message
    assert said.startswith("At 1000 rpm 3 cells stay up to ")
    assert "driving only reads them from 1700 rpm on: a breakpoint there" in said


def test_no_breakpoint_is_advised_where_driving_came_near_or_nothing_is_left() -> None:
    held = replace(no_restraints((3, 3)), gaps=driven_between(1010.0))
    leaner = estimate(np.full((3, 3), -2.0))
    assert shortfalls(leaner, propose(leaner, PolicySettings(), LIMITS, held)) == ()
    held = replace(no_restraints((3, 3)), gaps=driven_between(1700.0))
    richer = estimate(np.full((3, 3), 3.0))
    assert shortfalls(richer, propose(richer, PolicySettings(), LIMITS, held)) == ()


def test_a_lean_hole_in_boost_that_is_kept_is_a_danger() -> None:
    supported = np.ones((3, 3), bool)
    supported[2, 1] = False
    asked = replace(estimate(8.0), supported=supported)
    kept = PolicySettings(unvisited="keep")
    (found,) = shortfalls(asked, propose(asked, kept, LIMITS))
    assert (found.id, found.severity) == ("lean_hole_boost", "danger")
    assert found.message.startswith("In boost 1 cell nobody drove stays up to 8 % lean")
    assert shortfalls(asked, propose(asked, PolicySettings(), LIMITS)) == ()
