"""What shifts k beside the table: courses known beforehand, coefficients found with the table."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.film import film_uptake
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.nuisance_terms import SharedTerms, Term, heat_by_cell, nuisance_terms
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import observe
from lean_trim.core.estimation.surface import SurfaceSettings, fit_surface
from tests.builders import (
    maf_vehicle,
    make_log,
    small_vehicle,
    steady_states,
    with_channel,
    without,
)

LOG = steady_states(seconds=3.0)
N = len(LOG)
SINCE = LOG.time_s - LOG.time_s[0]
ORDER = np.random.default_rng(9).permutation(96)
"""States in random order, or time since the start and load would go together."""


def shuffled(k: np.ndarray, noise: float = 0.004) -> Log:
    blocks = np.arange(N).reshape(96, -1)[ORDER].ravel()
    return make_log(
        LOG.time_s,
        LOG[Role.RPM][blocks],
        LOG[Role.MAP][blocks],
        k,
        noise,
        np.random.default_rng(10),
    )


def terms_of(log: Log) -> SharedTerms:
    frame = make_frame(log, small_vehicle())
    return nuisance_terms(frame, film_uptake(frame))


def fitted(log: Log) -> Estimate:
    frame = make_frame(log, small_vehicle())
    observations = observe(frame, log[Role.LAMBDA], np.ones(N, bool))
    return fit_surface(observations, frame.vehicle.table, log.time_s, SurfaceSettings())


def test_a_warm_settled_engine_has_the_film_only() -> None:
    assert terms_of(LOG).names == (Term.FILM,) or terms_of(LOG).names == (Term.FILM, Term.SOAK)
    cool = with_channel(LOG, Role.COOLANT, np.where(np.arange(N) < 5, 59.0, 88.0))
    assert Term.SOAK not in terms_of(cool).names


def test_cold_counts_kelvins_below_75() -> None:
    coolant = np.linspace(40.0, 90.0, N)
    found = terms_of(with_channel(LOG, Role.COOLANT, coolant))
    np.testing.assert_allclose(
        found.values[found.names.index(Term.COLD)], np.clip(75.0 - coolant, 0.0, None), atol=1e-9
    )


def test_a_fall_of_intake_air_after_the_start_is_read_from_the_log() -> None:
    """30 K that fade with 120 s make the ECU count 30/330 too little air at first."""
    air = 30.0 + 30.0 * np.exp(-SINCE / 120.0)
    found = terms_of(with_channel(LOG, Role.IAT, air))
    course = found.values[found.names.index(Term.SOAK)]
    np.testing.assert_allclose(course, (air - 30.0) / (air + 273.15), rtol=0.02)


def test_air_that_is_weighed_needs_no_temperature() -> None:
    channels = {**LOG.channels, Role.MAF_HZ: np.full(N, 3000.0), Role.IAT: 60.0 - SINCE / 10.0}
    frame = make_frame(Log(LOG.time_s, channels), maf_vehicle())
    assert set(nuisance_terms(frame, np.zeros(N)).names) <= {Term.FILM, Term.COLD}


def test_fuel_that_does_not_burn_is_told_from_the_table() -> None:
    """1 per mille per kelvin below 75 °C, from 50 °C: 2.5 % at first."""
    coolant = np.clip(50.0 + SINCE / 4.0, None, 88.0)
    wrong = 1.06 * (1.0 + 0.001 * np.clip(75.0 - coolant, 0.0, None))
    estimate = fitted(with_channel(shuffled(wrong), Role.COOLANT, coolant))
    np.testing.assert_allclose(estimate.correction_pct, 6.0, atol=0.6)
    cold = estimate.of(Term.COLD)
    assert cold is not None
    assert cold.value == pytest.approx(0.001, abs=0.00015)
    assert cold.std_error < 0.0003


def test_a_soaked_sensor_is_told_from_the_table() -> None:
    """Without the term the table would come out about 3 % too high."""
    fall = 30.0 * np.exp(-SINCE / 140.0)
    log = with_channel(shuffled(1.04 * (1.0 + fall / (25.0 + 273.15))), Role.IAT, 25.0 + fall)
    # What the ECU believed follows from the air it saw, so that the pulse width says the same as
    # before.
    log = without(log, Role.PULSE_WIDTH)
    estimate = fitted(log)
    np.testing.assert_allclose(estimate.correction_pct, 4.0, atol=0.8)
    soak = estimate.of(Term.SOAK)
    assert soak is not None
    assert soak.value == pytest.approx(1.0, abs=0.15)


def test_what_was_not_estimated_is_none() -> None:
    assert fitted(shuffled(np.full(N, 1.02))).of(Term.COLD) is None


def test_unseen_heat_is_a_matter_of_little_flow_and_of_speed_density() -> None:
    """60 K over 298 K at no flow, less by e with every 15 g/s, (ideal gas, R = 287.05 J/(kg·K))."""
    vehicle = small_vehicle()
    heat = heat_by_cell(vehicle)
    assert heat.shape == vehicle.table.shape
    assert heat.argmax() == 0 and heat.argmin() == heat.size - 1
    air_g = 0.8 * 30.0 / (0.28705 * 298.15) * vehicle.cylinder_l
    flow = air_g * vehicle.cylinders * 1000.0 / 120.0
    assert heat[0, 0] == pytest.approx(60.0 / 298.15 * np.exp(-flow / 15.0), rel=1e-3)
    assert not heat_by_cell(maf_vehicle()).any()
