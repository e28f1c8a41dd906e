"""What is cut at a limit or left lean is said before anyone accepts."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.decision.shortfall import left_over_pct, shortfalls
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


def test_a_lean_hole_in_boost_that_is_kept_is_a_danger() -> None:
    supported = np.ones((3, 3), bool)
    supported[2, 1] = False
    asked = replace(estimate(8.0), supported=supported)
    kept = PolicySettings(unvisited="keep")
    (found,) = shortfalls(asked, propose(asked, kept, LIMITS))
    assert (found.id, found.severity) == ("lean_hole_boost", "danger")
    assert "1 cell above atmospheric" in found.message
    assert shortfalls(asked, propose(asked, PolicySettings(), LIMITS)) == ()
