"""The sensor delay read from the log: recovers what a simulated exhaust and sensor were made with."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.delay import DelaySettings, delay_s
from lean_trim.core.drive.film import GAP_S
from lean_trim.core.drive.frame import Frame, make_frame
from lean_trim.core.estimation.delay_fit import FEWEST, cylinder_phi, estimate_delay
from lean_trim.core.estimation.film_fit import FilmEstimate
from lean_trim.core.kernels.log_loops import lag
from lean_trim.core.pipeline.solve import Solution, SolveSettings, solve
from lean_trim.simcar.truth import truth_for
from tests.builders import make_log, small_vehicle, with_channel

N = 9000
TIME = np.arange(N) * 0.04


def cut_drive(
    volume_l: float,
    sensor_s: float,
    noise: float = 0.004,
    cut_s: float = 2.0,
    film: FilmEstimate | None = None,
) -> Frame:
    """Cruising at several speeds with a fuel cut every 15 s.

    Lambda is what such a film, exhaust and sensor would show.
    """
    rpm = np.repeat([1600.0, 2200.0, 3000.0, 4200.0, 2600.0, 1900.0], N // 6)
    log = make_log(TIME, rpm, np.full(N, 55.0))
    cut = cut_s > (TIME % 15.0)
    log = with_channel(log, Role.PULSE_WIDTH, np.where(cut, 0.0, log[Role.PULSE_WIDTH]))
    frame = make_frame(log, small_vehicle())
    arrival = np.maximum.accumulate(TIME + delay_s(frame, DelaySettings(1.0, volume_l, 0.0)))
    phi = np.interp(TIME, arrival, cylinder_phi(frame, film or FilmEstimate()))
    phi = lag(TIME, phi, sensor_s, GAP_S)
    lam = 1.0 / np.maximum(phi, 0.02) + noise * np.random.default_rng(0).standard_normal(N)
    return make_frame(with_channel(log, Role.LAMBDA, np.clip(lam, 0.65, 1.36)), small_vehicle())


@pytest.mark.parametrize(("volume", "sensor"), [(1.5, 0.06), (4.0, 0.12), (9.0, 0.08)])
def test_the_parts_are_recovered_within_their_errors_and_their_sum_closely(
    volume: float, sensor: float
) -> None:
    estimate = estimate_delay(cut_drive(volume, sensor), DelaySettings(), np.ones(N))
    assert estimate.estimated
    assert estimate.settings.exhaust_volume_l == pytest.approx(volume, abs=estimate.volume_se_l)
    assert estimate.settings.sensor_s == pytest.approx(sensor, abs=0.025)
    assert estimate.settings.cycles == pytest.approx(1.0, abs=estimate.cycles_se)
    assert 0.0 < estimate.volume_se_l < 0.6 * volume
    frame = cut_drive(volume, sensor)
    gap = delay_s(frame, estimate.settings) - delay_s(frame, DelaySettings(1.0, volume, sensor))
    assert np.abs(gap).max() < 0.02
    assert estimate.total_se_s < 0.03
    assert estimate.misfit_after <= estimate.misfit_before


def test_a_film_unlike_the_usual_one_is_told_to_the_fit() -> None:
    """With X 0.5 and 1 s taken for 0.2 and 0.5 s the answer comes out more than twice as far off."""
    film = FilmEstimate(1.0, 0.1, 0.5)
    frame = cut_drive(6.0, 0.12, film=film)
    real = delay_s(frame, DelaySettings(1.0, 6.0, 0.12))
    told, untold = (estimate_delay(frame, DelaySettings(), np.ones(N), f) for f in (film, None))
    gaps = [np.abs(delay_s(frame, e.settings) - real).max() for e in (told, untold)]
    assert gaps[0] < 0.02
    assert gaps[1] > 2.0 * gaps[0]


def test_a_steady_drive_tells_nothing_and_the_defaults_are_kept() -> None:
    frame = make_frame(make_log(TIME, np.full(N, 2500.0), np.full(N, 55.0)), small_vehicle())
    estimate = estimate_delay(frame, DelaySettings(), np.ones(N))
    assert not estimate.estimated
    assert estimate.settings.exhaust_volume_l == pytest.approx(small_vehicle().exhaust_volume_l)
    assert f"{FEWEST} are needed" in estimate.note


def test_a_volume_set_by_hand_is_kept() -> None:
    estimate = estimate_delay(cut_drive(4.0, 0.1), DelaySettings(exhaust_volume_l=7.0), np.ones(N))
    assert (estimate.estimated, estimate.settings.exhaust_volume_l, estimate.note) == (
        False,
        7.0,
        "set by hand",
    )


def test_answers_that_do_not_follow_are_not_believed() -> None:
    frame = cut_drive(3.0, 0.08)
    scrambled = np.random.default_rng(3).permutation(frame.log[Role.LAMBDA])
    estimate = estimate_delay(
        make_frame(with_channel(frame.log, Role.LAMBDA, scrambled), small_vehicle()),
        DelaySettings(),
        np.ones(N),
    )
    assert not estimate.estimated


def test_the_simulated_cars_delay_is_met_where_it_matters(
    heron_solution: Solution, heron_vehicle: Vehicle
) -> None:
    """Volume and sensor can trade against each other.

    Their sum, the delay itself, must be right at every flow.
    """
    assert heron_solution.delay.estimated
    truth = truth_for(heron_vehicle)
    frame = heron_solution.frame
    real = DelaySettings(1.0, truth.exhaust_volume_l / 1.07, truth.sensor_tau_s)
    used = heron_solution.sifted.used
    gap = delay_s(frame, heron_solution.delay.settings)[used] - delay_s(frame, real)[used]
    # Two rows of the log: a row's fuel is that of the injection before it.
    assert np.abs(np.median(gap)) < 0.08
    assert np.percentile(np.abs(gap), 95) < 0.2


def test_it_can_be_switched_off(heron_log: Log, heron_vehicle: Vehicle) -> None:
    solution = solve([heron_log], heron_vehicle, SolveSettings(fit_delay=False))
    assert not solution.delay.estimated
    assert solution.delay.note == "defaults"
