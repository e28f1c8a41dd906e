"""A box's response: the trade's worked example, noise, refusals, and simulated loops."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.closed_loop_shift.feed_forward import (
    first_feed_forward,
    has_settled,
    next_feed_forward,
)
from lean_trim.core.closed_loop_shift.response import Response, Step, respond
from lean_trim.core.closed_loop_shift.shift_map import shift_map
from lean_trim.core.errors import BadInputError

# Common practice, no source: a narrowband that does nothing until -0.35 V, then AFR 13.0 with +11 % trim,
# 12.5 (+20), 12.0 (+26), 11.5, 10.0. The trims of the last two are invented.
WORKED = [
    Step(0.0, 1.0, 0.0),
    Step(-0.1, 1.0, 0.0),
    Step(-0.2, 1.0, 0.0),
    Step(-0.3, 1.0, 0.5),
    Step(-0.35, 13.0 / 14.7, 11.0),
    Step(-0.40, 12.5 / 14.7, 20.0),
    Step(-0.42, 12.0 / 14.7, 26.0),
    Step(-0.45, 11.5 / 14.7, 33.0),
    Step(-0.50, 10.0 / 14.7, 45.0),
]


def test_the_worked_example_is_read_both_ways() -> None:
    response = respond(WORKED)
    assert response.own == pytest.approx(1.0)
    assert list(response.dead) == [True, True, True] + [False] * 5
    # Steep where it wakes up, and at its rich end.
    assert list(response.steep) == [False] * 3 + [True] + [False] * 3 + [True]
    found = response.setting_for(12.5 / 14.7)
    assert found.value == pytest.approx(-0.40) and found.trim_pct == pytest.approx(20.0)
    between = response.setting_for(12.75 / 14.7)
    assert -0.40 < between.value < -0.35 and 11.0 < between.trim_pct < 20.0


def test_fuel_fed_forward_starts_at_forty_percent_of_the_trim() -> None:
    """4 to 5 for a noted trim of 11 (common practice, no source)."""
    found = respond(WORKED).setting_for(13.0 / 14.7)
    assert 4.0 <= float(first_feed_forward(np.array(found.trim_pct))) <= 5.0


@pytest.mark.parametrize(
    ("wanted", "why"),
    [
        (1.02, "leaner than the car's own"),
        (0.95, "one step of the box"),
        (0.70, "one step of the box"),
        (0.60, "the richest that was measured"),
    ],
)
def test_what_cannot_be_held_is_refused_in_words(wanted: float, why: str) -> None:
    found = respond(WORKED).setting_for(wanted)
    assert np.isnan(found.value) and why in str(found.refused)


def test_the_cars_own_lambda_needs_nothing() -> None:
    found = respond(WORKED).setting_for(1.0)
    assert (found.value, found.trim_pct, found.refused) == (0.0, 0.0, None)


@pytest.mark.parametrize(
    ("steps", "why"),
    [
        (WORKED[:4], "different steps"),
        ([*WORKED[:5], Step(-0.40, 0.95, 20.0), *WORKED[6:]], "does not lie between"),
        ([Step(v, 1.0, 0.0) for v in (0.0, -0.1, -0.2, -0.3, -0.4)], "does not reach the loop"),
        ([Step(v, 14.7, 0.0) for v in (0.0, -0.1, -0.2, -0.3, -0.4)], "allowed are 0.55"),
    ],
)
def test_a_test_that_tells_nothing_is_refused(steps: list[Step], why: str) -> None:
    with pytest.raises(BadInputError, match=why):
        respond(steps)


def test_a_noisy_test_is_refused() -> None:
    values = np.linspace(0.0, -1.0, 20)
    zigzag = 0.016 * (-1.0) ** np.arange(20)
    with pytest.raises(BadInputError, match="scatter"):
        respond([Step(v, 1.0 + 0.2 * v + z, -20 * v) for v, z in zip(values, zigzag, strict=True)])


def loop(value: np.ndarray, seed: int) -> np.ndarray:
    """λ a made-up loop settles at: dead, then falling ever faster."""
    rng = np.random.default_rng(seed)
    wakes, bend = rng.uniform(0.1, 0.3), rng.uniform(0.15, 0.4)
    beyond = np.maximum(0.0, -value - wakes)
    return np.asarray(1.0 - bend * beyond - 0.4 * beyond**2)


def measured_loop(seed: int) -> Response:
    rng = np.random.default_rng(1000 + seed)
    values = np.round(np.linspace(0.0, -0.65, 20), 2)
    lam = loop(values, seed) + rng.normal(0.0, 0.003, 20)
    steps = zip(values, lam, 100.0 * (1.0 / lam - 1.0), strict=True)
    return respond([Step(float(v), float(x), float(t)) for v, x, t in steps])


@pytest.mark.parametrize("seed", range(20))
def test_every_cell_that_is_set_meets_its_lambda(seed: int) -> None:
    response = measured_loop(seed)
    wanted = np.linspace(1.0, 0.8, 21)
    made = shift_map(response, wanted)
    set_ = np.isfinite(made.value)
    got = loop(np.round(made.value[set_], 2), seed)
    assert set_.sum() > 5 and np.all(np.abs(got - wanted[set_]) < 0.02)
    # Its own error is no wish.
    assert np.mean(np.abs(got - wanted[set_]) < 2.0 * made.error[set_]) > 0.9
    # Richer always takes more of the box.
    assert np.all(np.diff(made.value[set_]) <= 1e-9)


def test_a_voltage_in_the_sensors_place_is_read_as_well() -> None:
    """The simulated-voltage kind: 20 steps of 0.2 V, of which leaner ones are no part of a shift."""
    values = 0.2 * np.arange(1, 21)
    lam = 1.2 - 0.1 * values
    response = respond([Step(v, x, 0.0) for v, x in zip(values, lam, strict=True)], own=1.0)
    assert response.lambda_[0] == pytest.approx(1.0) and response.own == 1.0
    assert response.setting_for(0.9).value == pytest.approx(3.0, abs=1e-6)


def test_the_second_pass_takes_the_trims_over() -> None:
    """(1 + ff)(1 + trim) - 1; where nobody drove nothing changes."""
    before = np.array([4.4, 8.0, 4.4])
    after = next_feed_forward(before, np.array([6.0, -3.0, np.nan]))
    assert after == pytest.approx([10.664, 4.76, 4.4])
    assert not has_settled(np.array([6.0, 1.0])) and has_settled(np.array([1.5, np.nan]))
    assert not has_settled(np.array([np.nan]))
