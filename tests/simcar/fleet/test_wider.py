"""What random cars have beside the usual: all of it occurs, and does what its name says."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.fleet.cars import random_car
from lean_trim.simcar.fleet.dress import Dress, dressed
from lean_trim.simcar.fleet.wider import BAD_CELLS, EXTRAS, extras_of, with_bad_cells
from lean_trim.simcar.heron import heron
from tests.builders import steady_states


def test_every_extra_occurs_and_some_cars_have_none() -> None:
    had = [extras_of(seed) for seed in range(80)]
    assert {name for extras in had for name in extras} == {*EXTRAS, BAD_CELLS}
    assert any(not extras for extras in had)


def test_extras_are_told_and_leave_the_rest_of_the_car_alone() -> None:
    car = random_car(34)
    assert {"drift", "film over speed", "long soak"} <= set(car.what)
    assert car.faults.fuel_drift_pct != 0.0 and car.faults.fuel_drift_s == 60.0 * car.minutes
    assert car.truth.wall_rpm > 0.0 and car.truth.soak_k > 0.0


def test_bad_cells_are_few_and_gross() -> None:
    seed = next(s for s in range(80) if BAD_CELLS in extras_of(s))
    values = np.full((8, 9), 60.0)
    off = with_bad_cells(seed, values) / values - 1.0
    assert 1 <= (off != 0.0).sum() <= 3
    assert (np.abs(off[off != 0.0]) >= 0.08).all()
    assert (values == 60.0).all()


def test_a_narrow_meter_ends_soon_and_shows_two_digits() -> None:
    log = dressed(steady_states(seconds=1.0), Dress(lambda_ends=(0.9, 1.1), lambda_step=0.01), 3)
    shown = log[Role.LAMBDA]
    assert shown.min() >= 0.9 and shown.max() <= 1.1
    np.testing.assert_allclose(shown, shown.round(2), atol=1e-12)


def test_fuel_that_drifts_is_right_in_the_middle_of_its_drift() -> None:
    vehicle = heron()
    plain = simulate(vehicle, seed=4, minutes=4.0)
    drifts = simulate(
        vehicle, seed=4, minutes=4.0, faults=Faults(fuel_drift_pct=6.0, fuel_drift_s=240.0)
    )
    ratio = drifts[Role.LAMBDA] / plain[Role.LAMBDA]
    thirds = [np.median(ratio[part]) for part in np.array_split(np.arange(len(plain)), 3)]
    # Fuel cuts and the loop's own trims make both a little unlike.
    assert 0.01 < thirds[0] - thirds[2] < 0.06
