"""A need for fuel that moves along the drive at equal states."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.patterns.drift import drift_course
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import random_car


def drifting(log: Log, by: float) -> Log:
    share = (log.time_s - log.time_s[0]) / log.duration_s - 0.5
    lam = log[Role.LAMBDA] * np.exp(by * share)
    return replace(log, channels={**log.channels, Role.LAMBDA: lam})


def moved_pct(solution: Solution) -> float:
    assert solution.seen.drift is not None
    return solution.seen.drift.moved_pct


@pytest.mark.slow
def test_a_drift_is_told_and_taken_off(
    heron_log: Log, heron_vehicle: Vehicle, heron_solution: Solution
) -> None:
    assert "drift" not in heron_solution.seen.shown
    solution = solve([drifting(heron_log, 0.05)], heron_vehicle)
    assert "drift" in solution.seen.shown
    assert moved_pct(solution) == pytest.approx(5.0, abs=1.5)
    # The table is that of the drive's mean: nearly the one without any drift.
    both = solution.estimate.supported & heron_solution.estimate.supported
    apart = (solution.estimate.correction_pct - heron_solution.estimate.correction_pct)[both]
    assert np.sqrt(np.mean(apart**2)) < 0.8


@pytest.mark.slow
def test_a_soak_that_is_read_too_small_does_not_hide_a_drift() -> None:
    """A car that was started hot with the air sensor soaked: what cools early looks like a drift back."""
    car = random_car(1006)
    assert car.truth.soak_k > 20.0
    vehicle = car.vehicle.with_table(car.vehicle.table.with_values(car.best))
    log = simulate(vehicle, 1006, 14.0, truth=car.truth)
    assert "drift" not in solve([log], vehicle).seen.shown
    solution = solve([drifting(log, 0.045)], vehicle)
    assert "drift" in solution.seen.shown
    assert moved_pct(solution) == pytest.approx(4.5, abs=1.5)


def test_two_drives_are_not_taken_for_one_that_drifts() -> None:
    time = np.concatenate([np.arange(0.0, 100.0), np.arange(200.0, 300.0)])
    course = drift_course(time, (150.0,))
    assert course[:100].mean() == pytest.approx(0.0) and course[100:].mean() == pytest.approx(0.0)
    np.testing.assert_allclose(course[:100], course[100:])
    assert np.ptp(course[:100]) == pytest.approx(1.0)
    assert not drift_course(np.array([3.0]), ()).any()
