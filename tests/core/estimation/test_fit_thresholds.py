"""Numbers of the fit that only ever act beside others: each by itself, against what it says by hand."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.special import huber

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.film import DEFAULT_TAU_S
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.estimation import film_fit
from lean_trim.core.estimation.noise import noise_of_a_second
from lean_trim.core.estimation.observations import Observations, observe
from lean_trim.core.estimation.places import place_of
from lean_trim.core.estimation.samples import place_numbers, places_per_square
from tests.builders import maf_vehicle, make_log, small_vehicle, with_channel

HZ = 25.0


def events(left: np.ndarray, count: int) -> film_fit._Events:
    """Rows of steady fuel, whose film takes nothing up, so that what is left is left."""
    n = len(left)
    return film_fit._Events(
        time=np.arange(n) / HZ,
        flow=np.ones(n),
        joins=np.zeros(n),
        rate=np.ones(n),
        left=left,
        judged=np.ones(n, bool),
        event=np.arange(n) * count // n,
    )


def test_what_is_left_counts_by_hubers_loss() -> None:
    """Against ``scipy.special.huber`` (Huber, Annals of Mathematical Statistics 35, 1964) at 2 %."""
    left = np.linspace(-0.1, 0.1, 40)
    loss = film_fit._loss(events(left, 4), np.log(DEFAULT_TAU_S))
    expected = huber(0.02, left) / 0.02**2
    np.testing.assert_allclose(loss, expected.reshape(4, 10).sum(axis=1), rtol=1e-9)


def test_a_time_constant_three_fifths_of_the_usual_is_a_standard_deviation_away() -> None:
    """One standard deviation costs half a unit of loss; ten rows of an event say one thing."""
    rows = events(np.zeros(400), 4)
    away = film_fit._prior(rows, np.log(0.6065 * DEFAULT_TAU_S))
    assert away == pytest.approx(0.5 * 400 / 4 / 10, rel=0.01)


def test_residuals_are_looked_at_for_six_seconds() -> None:
    """Noise that stays as it is for ten seconds at a time, whose correlation falls by a line to 0 there.

    The sum of a line cut at six seconds is 6 - 6² / 20, to either side.
    """
    step_s = 0.2
    blocks = np.random.default_rng(9).standard_normal(600)
    alike = np.repeat(blocks, 50)
    seconds = noise_of_a_second(alike, np.zeros(len(alike), int), step_s) / _robust(alike) ** 2
    assert seconds == pytest.approx(2.0 * (6.0 - 6.0**2 / 20.0), rel=0.06)


def _robust(values: np.ndarray) -> float:
    return 1.4826 * float(np.median(np.abs(values)))


def on_a_curve(hz: list[float], rpm: list[float]) -> np.ndarray:
    """Places of samples on the curve of ``maf_vehicle``, by its signal and engine speed."""
    time = np.arange(len(hz)) / HZ
    log = make_log(time, np.array(rpm), np.full(len(hz), 60.0))
    frame = make_frame(with_channel(log, Role.MAF_HZ, np.array(hz)), maf_vehicle())
    used = observe(frame, log[Role.LAMBDA], np.ones(len(hz), bool))
    return np.asarray(place_of(frame, used))


def test_a_step_of_a_curve_has_two_places() -> None:
    places = on_a_curve([4200.0, 5700.0, 6200.0, 7800.0], [2050.0] * 4)
    assert places[0] == places[1] != places[2] == places[3]


def test_engine_speeds_a_hundred_apart_are_places_of_their_own() -> None:
    places = on_a_curve([4500.0] * 3, [1910.0, 1990.0, 2040.0])
    assert places[0] == places[1] != places[2]


def test_a_square_has_four_places_a_side() -> None:
    """Between 2000 and 3000 rpm at a row of the table: a place ends every 250 rpm."""
    rpm = np.array([2010.0, 2240.0, 2260.0, 2490.0, 2510.0])
    log = make_log(np.arange(5) / HZ, rpm, np.full(5, 50.1))
    frame = make_frame(log, small_vehicle())
    used: Observations = observe(frame, log[Role.LAMBDA], np.ones(5, bool))
    places = place_numbers(used)
    assert places[0] == places[1] != places[2] == places[3] != places[4]
    assert places_per_square(small_vehicle().table) == 16
    assert places_per_square(maf_vehicle().table) == 4
