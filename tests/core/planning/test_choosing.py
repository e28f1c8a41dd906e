"""Which states are planned: the rule of safety and what a visit tells, worked by hand where it can be."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from lean_trim.core.planning.choosing import (
    after_visit,
    choose,
    driven_in_order,
    is_proven,
    may_be_driven,
    neighbours_below,
    noise_pct2,
    offered_now,
)
from lean_trim.core.planning.plan import plan_drive
from lean_trim.core.planning.states import Knowledge, alike, seconds_near, states_between

BARO = 100.0


def known_of(
    rpm: list[float],
    kpa: list[float],
    off: float | list[float] = 0.0,
    error: float | list[float] = 1.0,
    seconds: float | list[float] = 0.0,
) -> Knowledge:
    n = len(rpm)
    return Knowledge(
        rpm=np.array(rpm, float),
        map_kpa=np.array(kpa, float),
        at=(np.array(kpa, float), np.array(rpm, float)),
        off_pct=np.broadcast_to(np.asarray(off, float), n).copy(),
        error_pct=np.broadcast_to(np.asarray(error, float), n).copy(),
        seconds=np.broadcast_to(np.asarray(seconds, float), n).copy(),
        share=np.zeros(n),
    )


def test_the_lean_edge_is_two_errors_beyond_what_is_expected() -> None:
    # Expected 1 % lean, ±2.1 %: may be 5.2 % lean. Forbidden under load, allowed at light load.
    known = known_of([3000, 3000], [60, 95], off=1.0, error=2.1)
    assert known.lean_edge_pct == pytest.approx([5.2, 5.2])
    assert may_be_driven(known, BARO, known.error_pct).tolist() == [True, False]
    assert may_be_driven(known, BARO, np.array([7.1, 1.9])).tolist() == [False, True]


def test_a_heavy_state_stands_on_a_proven_lighter_one() -> None:
    known = known_of([3000, 3000, 3000], [86, 94, 102], error=1.0, seconds=[4.0, 0.0, 0.0])
    below = neighbours_below(known)
    offered = offered_now(known, BARO, known.error_pct, known.seconds, below)
    # The first is load as well and stands on nothing, but was driven; the third's neighbour was not.
    assert offered.tolist() == [False, True, False]
    # Of another speed it is no neighbour.
    other = known_of([3000, 3700], [86, 94], error=1.0, seconds=[4.0, 0.0])
    below = neighbours_below(other)
    assert not offered_now(other, BARO, other.error_pct, other.seconds, below)[1]


@pytest.mark.parametrize(
    ("seconds", "off", "error", "proven"),
    [(3.0, 0.0, 1.4, True), (2.9, 0.0, 1.4, False), (9.0, 0.0, 2.0, False), (9.0, 1.0, 1.1, False)],
)
def test_proven_is_seconds_error_and_edge(
    seconds: float, off: float, error: float, proven: bool
) -> None:
    assert bool(is_proven(np.array([seconds]), np.array([off]), np.array([error]))[0]) is proven


def test_a_visit_leaves_what_a_reading_of_that_noise_leaves() -> None:
    # One unknown of 3 % read once: variance 9·r / (9 + r).
    r = noise_pct2(5.0)
    left = after_visit(np.array([[9.0]]), 0, r)
    assert left[0, 0] == pytest.approx(9.0 * r / (9.0 + r))
    # A state 800 rpm away goes along by exp(-1/2): its variance falls by (9·0.6065)² / (9 + r).
    rpm, kpa = np.array([2000.0, 2800.0]), np.array([50.0, 50.0])
    whole = 9.0 * alike(rpm, kpa)
    after = after_visit(whole, 0, r)
    assert after[1, 1] == pytest.approx(9.0 - (9.0 * np.exp(-0.5)) ** 2 / (9.0 + r))


def column(error: float, seconds: list[float]) -> Knowledge:
    loads = [40.0, 48.0, 56.0, 64.0, 72.0, 80.0, 88.0, 96.0, 104.0, 112.0, 120.0]
    return known_of([3000.0] * len(loads), loads, error=error, seconds=seconds)


def test_a_plan_climbs_on_what_it_proves_itself() -> None:
    known = column(2.4, [9.0] * 5 + [0.0] * 6)
    plan = plan_drive(known, BARO, 5.0, "dyno")
    loads = [h.map_kpa for h in plan.held]
    assert loads == sorted(loads) and loads[-1] >= 112.0
    heavy = [load for load in loads if load > 85.0]
    # No step under load is longer than to the next neighbour.
    assert all(b - a <= 13.0 for a, b in pairwise(heavy))


def test_what_may_be_too_lean_is_not_offered_and_nothing_above_it() -> None:
    known = column(1.0, [9.0] * 6 + [0.0] * 5)
    lean = known.off_pct.copy()
    lean[8] = lean[9] = lean[10] = 6.0
    risky = Knowledge(**{**vars(known), "off_pct": lean})
    plan = plan_drive(risky, BARO, 10.0, "dyno")
    assert max(h.map_kpa for h in plan.held) <= 96.0
    assert not plan.offered[8:].any()


def test_what_was_planned_is_left_out_when_its_turn_comes_too_early() -> None:
    known = column(2.4, [9.0] * 5 + [0.0] * 6)
    chosen = choose(known, BARO, 600.0, 1.0)
    backwards = sorted(chosen, key=lambda v: -known.map_kpa[v.state])
    kept, _, _ = driven_in_order(known, BARO, backwards)
    assert max(known.map_kpa[v.state] for v in kept) < max(known.map_kpa[v.state] for v in chosen)


def test_the_time_is_kept_and_more_of_it_tells_more() -> None:
    rpm, kpa = states_between((1500.0, 5000.0), (30.0, 84.0))
    known = known_of(rpm.tolist(), kpa.tolist(), error=3.0)
    short, long = (plan_drive(known, BARO, minutes, "dyno") for minutes in (4.0, 8.0))
    assert short.seconds <= 240.0 and long.seconds <= 480.0
    assert len(long.held) > 1.5 * len(short.held)
    assert long.rms_after_pct < short.rms_after_pct < short.rms_before_pct
    # Up through the speeds, without going back.
    speeds = [h.rpm for h in long.held]
    assert speeds == sorted(speeds)
    assert not plan_drive(known, BARO, 0.5, "dyno").held


def test_seconds_count_for_the_states_they_are_near() -> None:
    near = seconds_near(
        np.array([2000.0, 2400.0]),
        np.array([50.0, 50.0]),
        np.array([2000.0, 2240.0, 2600.0, 2000.0]),
        np.array([50.0, 55.0, 45.0, 60.0]),
        np.array([1.0, 2.0, 4.0, 8.0]),
    )
    assert near.tolist() == [3.0, 6.0]
