"""A quantity of a drive at states of the engine: read between the places, held level beyond them."""

from __future__ import annotations

import numpy as np

from lean_trim.core.planning.along import at_states


def drove(seed: int = 1, size: int = 4000) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    return rng.uniform(1000.0, 5000.0, size), rng.uniform(25.0, 95.0, size)


def throttle(rpm: np.ndarray, kpa: np.ndarray) -> np.ndarray:
    """An opening that grows with both, steeply near the barometer."""
    return 0.004 * rpm * (kpa / 100.0) / np.sqrt(1.02 - kpa / 100.0)


def test_it_is_read_between_the_places_of_a_drive() -> None:
    rpm, kpa = drove()
    noise = np.random.default_rng(2).normal(0.0, 0.5, len(rpm))
    states = (np.array([1500.0, 3000.0, 4200.0]), np.array([40.0, 60.0, 85.0]))
    found = at_states((rpm, kpa), throttle(rpm, kpa) + noise, states)
    np.testing.assert_allclose(found, throttle(*states), rtol=0.08, atol=0.4)


def test_nothing_beyond_what_was_seen_is_invented() -> None:
    rpm, kpa = drove()
    values = throttle(rpm, kpa)
    found = at_states((rpm, kpa), values, (np.array([9000.0]), np.array([250.0])))
    assert values.min() <= found[0] <= values.max()


def test_holes_count_for_nothing_and_of_next_to_nothing_nothing_is_said() -> None:
    rpm, kpa = drove()
    values = throttle(rpm, kpa)
    states = (np.array([3000.0]), np.array([60.0]))
    whole = at_states((rpm, kpa), values, states)
    holes = np.where(np.arange(len(rpm)) % 2 == 0, np.nan, values)
    np.testing.assert_allclose(at_states((rpm, kpa), holes, states), whole, rtol=0.05)
    few = at_states((rpm[:3], kpa[:3]), values[:3], states)
    assert np.isnan(few).all()
