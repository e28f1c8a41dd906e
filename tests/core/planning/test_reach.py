"""What can be held: the road's law is found again from made-up drives, hills and all."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.planning.reach import GRAVITY, road_of, span_of

RATIOS = np.array([110.0, 65.0, 45.0, 34.0])
A, B, C, D = 0.05, 0.0016, 8.0, 6.0


def drives(rng: np.random.Generator, hilly: float) -> dict[str, np.ndarray]:
    """Samples of a made-up car; a part of them on hills nobody logged."""
    n = 4000
    gear = rng.integers(2, 5, n)
    speed = rng.uniform(25.0, 120.0, n)
    accel = 0.3 * rng.standard_normal(n)
    ratio = RATIOS[gear - 1]
    grade = np.where(rng.random(n) < hilly, rng.uniform(-0.03, 0.08, n), 0.0)
    air = A + (B * speed**2 + C + D * (accel + GRAVITY * grade)) / ratio
    return {
        "rpm": speed * ratio,
        "speed_kmh": speed,
        "gear": gear.astype(float),
        "air_g": air * (1.0 + 0.02 * rng.standard_normal(n)),
        "accel": accel,
        "steps_s": np.full(n, 0.04),
    }


def test_the_road_is_found_again_though_a_third_was_hills() -> None:
    road = road_of(**drives(np.random.default_rng(3), hilly=0.35))
    assert road is not None
    # First gear was not driven in; its ratio is nobody's, those of the others are.
    np.testing.assert_allclose(road.ratios[1:], RATIOS[1:], rtol=1e-3)
    assert pytest.approx(B, rel=0.15) == road.b and pytest.approx(D, rel=0.25) == road.d
    rpm = np.array([80.0 * RATIOS[3]])
    level = A + (B * 80.0**2 + C) / RATIOS[3]
    climbs = level + D * GRAVITY * 0.03 / RATIOS[3]
    assert abs(float(road.grade_for(4, rpm, np.array([level]))[0])) < 0.006
    assert float(road.grade_for(4, rpm, np.array([climbs]))[0]) == pytest.approx(0.03, abs=0.01)


def test_nothing_is_said_of_a_road_that_was_hardly_driven_or_follows_no_law() -> None:
    rng = np.random.default_rng(4)
    told = drives(rng, hilly=0.0)
    short = {name: values[:500] for name, values in told.items()}
    assert road_of(**short) is None
    assert road_of(**{**told, "gear": np.zeros(4000)}) is None
    # On a brake air has nothing to do with speed.
    assert road_of(**{**told, "air_g": rng.uniform(0.05, 0.6, 4000)}) is None


def test_the_span_is_what_was_seen_and_a_little_more() -> None:
    rng = np.random.default_rng(5)
    rpm = rng.uniform(1000.0, 4000.0, 20_000)
    kpa = rng.uniform(35.0, 80.0 + 0.02 * (rpm - 1000.0))
    boosted = span_of(rpm, kpa, np.ones(20_000, bool), 100.0, True, 6500.0)
    # Seen up to 140 kPa at 4000: no boost beyond that, and nothing above where nobody drove that fast.
    assert boosted.holds(np.array([2000.0, 2000.0]), np.array([95.0, 125.0])).tolist() == [
        True,
        False,
    ]
    assert boosted.high.max() <= kpa.max()
    # Without boost full throttle gives the barometer nearly at any speed, and a brake holds little load.
    plain = span_of(rpm, np.minimum(kpa, 97.0), np.ones(20_000, bool), 100.0, False, 6500.0)
    assert plain.holds(np.array([6000.0, 6000.0]), np.array([95.0, 45.0])).all()
    assert not plain.holds(np.array([3000.0]), np.array([101.0])).any()
