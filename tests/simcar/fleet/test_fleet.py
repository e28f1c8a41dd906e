"""Random cars: the same seed the same car, tables as good as can be, logs as bad as they are said to be."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.simcar.fleet import second_drive as second
from lean_trim.simcar.fleet.cars import random_car
from lean_trim.simcar.fleet.dress import Dress, dressed
from lean_trim.simcar.fleet.grids import best_table, between_points, corners
from lean_trim.simcar.fleet.judge import errors_in_sigma, judge
from lean_trim.simcar.truth import Breathing, Truth
from tests.builders import steady_states


def test_a_seed_is_a_car_and_cars_differ() -> None:
    one = random_car(5)
    again = random_car(5)
    np.testing.assert_array_equal(one.vehicle.table.values, again.vehicle.table.values)
    assert one.truth == again.truth
    cars = [random_car(seed) for seed in range(24)]
    assert {c.vehicle.airflow for c in cars} == {"ve", "maf"}
    assert {c.vehicle.feedback for c in cars} == {"wideband", "narrowband", "none"}
    sizes = {c.vehicle.table.size for c in cars}
    assert min(s for s in sizes if s > 36) == 40
    assert max(sizes) >= 540
    words = {w for c in cars for w in c.what}
    assert {"holes", "impossible readings", "cold start", "hot restart", "tailpipe", "sag"} <= words


def test_corners_are_those_of_the_computation() -> None:
    """Two implementations of the ECU's interpolation, written apart."""
    table = random_car(2).vehicle.table
    rng = np.random.default_rng(1)
    at = rng.uniform(5.0, 250.0, 300), rng.uniform(300.0, 8000.0, 300)
    cells, weights = corners(table.axes[0].points, table.axes[1].points, *at)
    np.testing.assert_allclose(
        (table.values.ravel()[cells] * weights).sum(axis=1), table.lookup(*at)
    )


def test_the_best_table_is_better_between_its_points_than_the_surface_at_them() -> None:
    truth = Truth(2.0, 4, 14.7, 7000.0, False, breathing=Breathing(ripple_pct=0.0))
    rows = np.array([20.0, 60.0, 100.0])
    columns = np.array([800.0, 2500.0, 4500.0, 7000.0])
    rpm, kpa = (m.ravel() for m in np.meshgrid(between_points(columns), between_points(rows)))
    surface = truth.ve_surface(rpm, kpa)
    best = best_table(rows, columns, surface, kpa, rpm)
    nodes = truth.ve_surface(*np.meshgrid(columns, rows))
    cells, weights = corners(rows, columns, kpa, rpm)
    off = [
        np.sqrt(np.mean(((t.ravel()[cells] * weights).sum(axis=1) / surface - 1) ** 2))
        for t in (best, nodes)
    ]
    assert off[0] < 0.7 * off[1]


def test_a_dressed_log_has_the_holes_it_was_given() -> None:
    log = steady_states(seconds=1.0)
    worn = dressed(
        log, Dress(holes=0.01, impossible=0.01, without_width=True, without_lambda=True), 3
    )
    assert Role.PULSE_WIDTH not in worn
    assert Role.LAMBDA not in worn
    assert np.isnan(worn[Role.COOLANT]).mean() == pytest.approx(0.01, abs=0.006)
    assert (worn[Role.RPM] == 65535.0).sum() > 0


def test_what_a_table_holds_is_right_for_a_settled_engine() -> None:
    """The charge is warmed unseen; soak, cold and unburnt fuel are no matter of the table."""
    truth = replace(random_car(0).truth, charge_heating=0.1)
    assert truth.table_ve_pct(900.0, 35.0) < truth.ve_pct(900.0, 35.0)
    assert truth.table_ve_pct(6000.0, 100.0) == pytest.approx(truth.ve_pct(6000.0, 100.0), rel=0.01)
    assert truth.soaked_k(0.0) == pytest.approx(truth.soak_k)
    assert replace(truth, cold_unburnt_per_k=0.001).burnt(25.0) == pytest.approx(0.95)


def test_one_round_on_a_random_car_comes_close(monkeypatch: pytest.MonkeyPatch) -> None:
    """A fast sample of ``./campaign fleet``; a second drive of two minutes has to do."""
    monkeypatch.setattr(second, "SECOND_MINUTES", 2.0)
    car = replace(random_car(7), minutes=4.0)
    log = second.first_drive(car)
    states, near_s = second.second_drive(car, log)
    solution = solve([log], car.vehicle)
    estimate = solution.estimate
    table = propose_for(summary_of(solution), PolicySettings()).table
    axes = [a.points for a in table.axes]
    asked = estimate.table.values * (1.0 + estimate.correction_pct / 100.0)
    figures = judge(axes, estimate.table.values, asked, table.values, states, car.best, near_s)
    assert figures.start > 4.0
    assert figures.asked < 1.2
    assert figures.leaned == 0
    sigma = errors_in_sigma(
        estimate.correction_pct, estimate.own_error_pct, estimate.table.values, car.best
    )
    assert np.median(np.abs(sigma[estimate.supported])) < 2.0
