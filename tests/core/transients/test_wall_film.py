"""The film against its closed form, and read back from drives: share, time constant and lag of MAP."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.delay import DelaySettings, pushed_through
from lean_trim.core.kernels.fuel_loops import evaporated, fuel_for
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.transients import wall_film_of
from lean_trim.core.transients.quick_changes import Rows
from lean_trim.core.transients.wall_film import (
    FEWEST,
    MIDDLE_KPA,
    QUICKER,
    TAU,
    WallFilm,
    cylinder_mixture,
    film_tau,
    fit_wall_film,
    fuelled,
    shown,
)
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.truth import truth_for
from tests.builders import without

SHARE = 0.22
TAU_S = 0.45
STEP_S = 0.01
THETA = np.array([np.log(3.0), np.log(0.08), 1.0, np.log(TAU_S), SHARE, 0.0, 0.0, 0.0])


def rows_with(fuel: np.ndarray, litres_per_s: float = 10.0) -> Rows:
    n = len(fuel)
    time = STEP_S * np.arange(n)
    one = np.ones(n)
    return Rows(
        time_s=time,
        pushed_l=litres_per_s * time,
        fuel=fuel,
        air=one,
        target=one,
        held=one,
        map_kpa=np.full(n, MIDDLE_KPA),
        rate=np.zeros(n),
        cycle_s=np.full(n, 0.06),
    )


def since(n: int, row: int) -> np.ndarray:
    return STEP_S * (np.arange(n) - row)


def test_a_step_of_fuel_reaches_the_cylinder_as_the_film_lets_it() -> None:
    # Aquino, SAE 810494 (from memory): (1 - X)·F1 + X·F0 + X·(F1 - F0)·(1 - exp(-t/τ)) after a
    # step.
    n = 600
    row = 200
    fuel = np.where(np.arange(n) < row, 0.5, 1.0)
    t = since(n, row)
    closed = np.where(t < 0.0, 0.5, 1.0 - SHARE * 0.5 * np.exp(-t / TAU_S))
    found = cylinder_mixture(rows_with(fuel), THETA)
    np.testing.assert_allclose(found[row + 1 :], closed[row + 1 :], atol=0.002)


def test_a_film_that_evaporates_quicker_at_speed_keeps_its_mass() -> None:
    n = 2000
    tau = np.where(np.arange(n) < 1000, 0.6, 0.3)
    joins = np.where(np.arange(n) % 400 < 200, 0.2, 0.1)
    time = STEP_S * np.arange(n)
    leaves = evaporated(time, joins, tau, 3.0)
    mass = leaves * tau
    # What came in and did not leave is still there.
    between = 0.5 * (joins[1:] + joins[:-1])
    kept = mass[0] + np.cumsum(STEP_S * (between - 0.5 * (leaves[1:] + leaves[:-1])))
    np.testing.assert_allclose(kept[:998], mass[1:999], rtol=0.01)
    rows = rows_with(np.ones(n))
    quicker = THETA.copy()
    quicker[QUICKER] = np.log(2.0)
    faster = replace(rows, cycle_s=np.full(n, 0.04))
    assert film_tau(rows, quicker)[0] == pytest.approx(TAU_S)
    assert film_tau(faster, quicker)[0] == pytest.approx(TAU_S / 2.0)


def test_what_has_to_be_injected_for_a_step_is_the_closed_form() -> None:
    # DOMAIN §8: F1 + X/(1 - X)·(F1 - F0)·exp(-t/(τ(1 - X))).
    n = 600
    row = 200
    wanted = np.where(np.arange(n) < row, 0.5, 1.0)
    t = since(n, row)
    closed = 1.0 + SHARE / (1.0 - SHARE) * 0.5 * np.exp(-t / (TAU_S * (1.0 - SHARE)))
    found = fuel_for(STEP_S * np.arange(n), wanted, np.full(n, SHARE), np.full(n, TAU_S), 3.0)
    np.testing.assert_allclose(found[row + 1 :], closed[row + 1 :], atol=0.004)
    # Sent through the film it gives what was wanted.
    back = cylinder_mixture(rows_with(found), THETA)
    np.testing.assert_allclose(back, wanted, atol=1e-9)


@pytest.mark.parametrize(("cut_s", "first_pct"), [(0.3, 14.0), (6.0, 28.0)])
def test_fuel_after_a_cut_is_more_by_what_has_evaporated(cut_s: float, first_pct: float) -> None:
    # The figures of DOMAIN §8 for X 0.22 and τ 0.45 s.
    n = 1200
    t = since(n, 800)
    wanted = np.where((t < 0.0) & (t >= -cut_s), 0.0, 1.0)
    found = fuel_for(STEP_S * np.arange(n), wanted, np.full(n, SHARE), np.full(n, TAU_S), 3.0)
    assert (found[wanted == 0.0] == 0.0).all()
    assert 100.0 * (found[801] - 1.0) == pytest.approx(first_pct, abs=1.2)


def test_gas_is_pushed_through_the_pipe_by_what_comes_after_it() -> None:
    time = STEP_S * np.arange(400)
    steady = 10.0 * time
    np.testing.assert_allclose(
        pushed_through(time, time, steady, 3.0)[:300] - time[:300], 0.3, atol=1e-9
    )
    # Twice the flow from 1 s on: what left just before is half-way through by then.
    faster = np.where(time < 1.0, 10.0 * time, 10.0 + 20.0 * (time - 1.0))
    through = pushed_through(time, time, faster, 3.0)
    assert through[85] == pytest.approx(1.0 + 0.15 / 2.0, abs=1e-6)
    assert np.isinf(through[-1])


def test_the_sensor_shows_it_later_and_smoothed() -> None:
    mixture = np.where(np.arange(400) < 100, 0.8, 1.0)
    seen = shown(rows_with(np.ones(400)), THETA, mixture)
    # 3 l at 10 l/s after a cycle of 0.06 s, then 63 % within the sensor's constant.
    arrives = 100 + round((0.3 + 0.06) / STEP_S)
    assert seen[arrives - 2] == pytest.approx(0.8, abs=0.003)
    assert seen[arrives + 8] == pytest.approx(1.0 - 0.2 * np.exp(-1.0), abs=0.012)


def test_too_few_quick_changes_are_said() -> None:
    film = fit_wall_film(None, DelaySettings(exhaust_volume_l=3.0))
    assert not film.known and str(FEWEST) in str(film.why)
    assert np.isnan(film.share_se) and np.isnan(film.tau_se_s)


def test_heron_tells_its_film(heron_solution: Solution, heron_vehicle: Vehicle) -> None:
    film, changes = wall_film_of(heron_solution)
    truth = truth_for(heron_vehicle)
    assert film.known and changes is not None
    loads = changes.rows.map_kpa[fuelled(changes)]
    share, tau = np.mean([truth.wall(90.0, m) for m in loads], axis=0)
    assert abs(film.share - share) < min(2.0 * film.share_se, 0.04)
    assert abs(film.tau_s - tau) < 2.0 * film.tau_se_s < 0.5 * tau
    assert film.share_at(film.map_kpa + 50.0) == pytest.approx(film.share + 0.5 * film.slope)


@pytest.mark.slow
def test_neither_a_slow_sensor_nor_a_wrong_table_passes_for_film(heron_vehicle: Vehicle) -> None:
    def film_of(vehicle: Vehicle, lag_s: float) -> WallFilm:
        truth = replace(truth_for(heron_vehicle), map_lag_s=lag_s)
        return wall_film_of(solve([simulate(vehicle, 5, 7.0, truth)], vehicle))[0]

    plain = film_of(heron_vehicle, 0.0)
    late = film_of(heron_vehicle, 0.06)
    assert late.map_lag_s == pytest.approx(0.06, abs=0.02) and plain.map_lag_s == pytest.approx(
        0.0, abs=0.02
    )
    # Within the errors of two short drives; over many cars it is less than 0.03 (docs/accuracy.md).
    assert abs(late.share - plain.share) < min(2.0 * np.hypot(late.share_se, plain.share_se), 0.06)
    table = heron_vehicle.table
    off = film_of(heron_vehicle.with_table(table.with_values(1.08 * table.values)), 0.0)
    assert abs(off.share - plain.share) < min(np.hypot(off.share_se, plain.share_se), 0.02)
    assert abs(off.tau_s - plain.tau_s) < np.hypot(off.tau_se_s, plain.tau_se_s)


@pytest.mark.parametrize(
    ("roles", "every", "words"),
    [
        ((Role.LAMBDA,), 1, "no lambda"),
        ((Role.PULSE_WIDTH, Role.DUTY), 1, "no pulse width"),
        ((), 5, "5.0 rows a second"),
    ],
    ids=["lambda", "width", "rate"],
)
def test_a_log_that_cannot_tell_says_why(
    roles: tuple[Role, ...], every: int, words: str, heron_log: Log, heron_vehicle: Vehicle
) -> None:
    less = without(heron_log, *roles)
    slow = Log(less.time_s[::every], {r: v[::every] for r, v in less.channels.items()}, "less")
    # Without a lambda of its own a narrowband loop is believed, which tells nothing quick.
    car = replace(heron_vehicle, feedback="narrowband") if Role.LAMBDA in roles else heron_vehicle
    film, changes = wall_film_of(solve([slow], car))
    assert not film.known and changes is None
    assert words in str(film.why)


def test_the_table_is_freed_of_the_film_that_the_desk_shows(heron_solution: Solution) -> None:
    """One law, read twice: from all samples with the table, and from the quick changes alone."""
    desk = wall_film_of(heron_solution)[0]
    estimate = heron_solution.estimate
    own = heron_solution.film
    share_se = np.hypot(estimate.wall_x_se, desk.share_se)
    assert abs(desk.share_at(MIDDLE_KPA) - estimate.wall_x) < min(2.0 * share_se, 0.05)
    tau_se = np.hypot(own.tau_se_s, desk.tau_se_s)
    assert abs(np.exp(desk.theta[TAU]) - own.tau_s) < min(2.0 * tau_se, 0.2 * own.tau_s)
