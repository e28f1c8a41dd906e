"""The wall film: the model against its own differential equation, and its separation from airflow."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.film import GAP_S, film_uptake
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.kernels.log_loops import lag
from lean_trim.core.pipeline.solve import Solution, solve
from tests.builders import make_log, small_vehicle, with_channel

N = 6000
TIME = np.arange(N) * 0.04


def test_lag_agrees_with_an_integrated_differential_equation() -> None:
    """SciPy's solve_ivp on dL/dt = (f - L)/tau."""
    flow = 5.0 + np.sin(TIME / 1.5) + (TIME > 100)
    solved = solve_ivp(
        lambda t, y: (np.interp(t, TIME, flow) - y) / 0.5,
        (0, 60),
        [flow[0]],
        t_eval=TIME[:1400],
        max_step=0.02,
    )
    ours = lag(TIME, flow, 0.5, GAP_S)[:1400]
    assert np.abs(ours - solved.y[0]).max() < 0.05


def test_uneven_time_and_gaps_are_borne() -> None:
    rng = np.random.default_rng(1)
    uneven = np.cumsum(rng.uniform(0.01, 0.09, N))
    values = np.where(uneven < 100, 1.0, 2.0)
    lagged = lag(uneven, values, 0.5, GAP_S)
    at = np.searchsorted(uneven, 100.0) + 20
    assert lagged[at] == pytest.approx(2.0 - np.exp(-(uneven[at] - 100.0) / 0.5), abs=0.06)
    gap = np.concatenate([np.arange(50) * 0.04, 60 + np.arange(50) * 0.04])
    fresh = lag(gap, np.repeat([1.0, 3.0], 50), 0.5, GAP_S)
    assert fresh[50] == pytest.approx(3.0)


def test_excess_is_zero_in_steady_state_and_has_the_sign_of_the_change() -> None:
    pressure = np.interp(TIME, [0, 60, 70, 150, 160, 240], [40, 40, 80, 80, 40, 40])
    excess = film_uptake(make_frame(make_log(TIME, np.full(N, 2500.0), pressure), small_vehicle()))
    assert abs(excess[1000]) < 1e-6
    assert excess[TIME.searchsorted(65.0)] > 0.01
    assert excess[TIME.searchsorted(155.0)] < -0.01


def test_a_slow_climb_on_wet_walls_is_not_taken_for_missing_air() -> None:
    """The table is right; while load rises a quarter of the rise stays on the walls.

    Ten ramps up, ten down.
    """
    saw = np.interp(TIME % 24.0, [0, 12, 24], [35, 95, 35])
    log = make_log(TIME, np.repeat(np.linspace(1200, 5800, 10), N // 10), saw)
    frame = make_frame(log, small_vehicle())
    lam = 1.0 / (1.0 - 0.25 * film_uptake(frame))
    wet = with_channel(log, Role.LAMBDA, lam)
    solution = solve([wet], small_vehicle())
    assert solution.estimate.wall_x == pytest.approx(0.25, abs=0.08)
    assert np.abs(solution.estimate.correction_pct[solution.estimate.supported]).max() < 0.6


def test_the_simulated_walls_are_found(heron_solution: Solution) -> None:
    """Heron's warm walls take 0.16 to 0.26 of the fuel, depending on pressure."""
    assert heron_solution.estimate.wall_x == pytest.approx(0.19, abs=0.06)
    assert 0.0 < heron_solution.estimate.wall_x_se < 0.03
