"""Full throttle after a plan: only over a long run of speeds whose highest load may be driven."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.planning.full_throttle import full_throttle_lines, full_throttle_of
from lean_trim.core.planning.plan import Plan
from lean_trim.core.planning.states import Knowledge

SPEEDS = np.arange(2000.0, 6001.0, 350.0)
RATIOS = np.array([110.0, 65.0, 45.0, 34.0])


def plan_of(tops: list[bool]) -> Plan:
    """Two loads a speed; the lower is offered, the higher where it is said."""
    rpm = np.repeat(SPEEDS, 2)
    kpa = np.tile([60.0, 96.0], len(SPEEDS))
    n = len(rpm)
    known = Knowledge(rpm, kpa, (kpa, rpm), np.zeros(n), np.ones(n), np.zeros(n), np.zeros(n))
    offered = np.ones(n, bool)
    offered[1::2] = tops
    return Plan((), 0.0, known, np.ones(n), offered, "dyno", 100.0)


@pytest.mark.parametrize(
    ("off", "span"),
    [
        ([], (2000.0, 5850.0)),
        ([3], (3400.0, 5850.0)),
        ([8, 9], (2000.0, 4450.0)),
        ([0, 2, 4, 6, 8, 10], (2350.0, 2350.0)),
    ],
)
def test_it_is_the_longest_run_of_speeds_without_a_gap(
    off: list[int], span: tuple[float, float]
) -> None:
    tops = [i not in off for i in range(len(SPEEDS))]
    found = full_throttle_of(plan_of(tops))
    if span[0] == span[1]:
        assert not found.may_be_driven
    else:
        assert (found.first_rpm, found.last_rpm) == span


def test_it_is_said_with_gear_rest_and_when_to_end() -> None:
    plan = replace(plan_of([i < 9 for i in range(len(SPEEDS))]), ratios=RATIOS)
    lines = full_throttle_lines(plan, plan.ratios)
    # Third gear turns 4800 rpm at 107 km/h; fourth would be 141.
    assert "gear 3, 2000 to 4800 rpm, 3 runs, 2 minutes" in lines[0]
    assert "Not above 4800 rpm" in lines[1] and "End a run at once" in lines[-1]
    unknown = full_throttle_lines(plan, None)
    assert "five seconds or more" in unknown[0]


def test_where_load_is_not_proven_it_is_not_yet() -> None:
    lines = full_throttle_lines(plan_of([False] * len(SPEEDS)))
    assert lines[0].startswith("Full throttle not yet") and len(lines) == 2
