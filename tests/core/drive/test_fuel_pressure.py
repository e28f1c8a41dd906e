"""Logged fuel pressure: across the injectors, in the rail, or of something else."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.inference import infer
from lean_trim.core.drive.conditions import make_conditions
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.fuel_pressure import PressureKind, with_fuel_dp
from lean_trim.core.drive.motion import Motion
from lean_trim.core.explore.derived import series_of
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import fault_named
from tests.builders import small_vehicle, steady_states, with_channel, without

RATED = 300.0


def with_pressure(log: Log, values: np.ndarray | float) -> Log:
    return with_channel(log, Role.FUEL_DP, values)


@pytest.mark.parametrize("outside", [98.5, 0.0])
def test_rail_pressure_becomes_differential_whether_gauge_or_absolute(
    heron_log: Log, outside: float
) -> None:
    """Rail pressure of a regulator that refers to the manifold: Δp + MAP - surroundings (0 for absolute)."""
    rail = heron_log[Role.FUEL_DP] + heron_log[Role.MAP] - outside
    read, kind = with_fuel_dp(with_pressure(heron_log, rail), RATED)
    assert kind is PressureKind.RAIL
    np.testing.assert_allclose(read[Role.FUEL_DP], heron_log[Role.FUEL_DP], atol=1e-9)


@pytest.mark.slow
def test_a_pump_that_sags_does_not_hide_which_pressure_it_is(heron_vehicle: Vehicle) -> None:
    log = simulate(heron_vehicle, 1, 8.0, faults=fault_named("pump"))
    assert with_fuel_dp(log, RATED)[1] is PressureKind.DIFFERENTIAL
    rail = with_pressure(log, log[Role.FUEL_DP] + log[Role.MAP] - log[Role.BARO])
    read, kind = with_fuel_dp(rail, RATED)
    assert kind is PressureKind.RAIL
    np.testing.assert_allclose(read[Role.FUEL_DP], log[Role.FUEL_DP], atol=1e-9)


@pytest.mark.parametrize("kpa", [8000.0, 50.0, np.nan])
def test_a_pressure_far_from_the_rated_one_is_not_used(kpa: float) -> None:
    log = with_pressure(steady_states(), kpa)
    frame = make_frame(log, small_vehicle())
    assert frame.pressure is PressureKind.OTHER
    assert Role.FUEL_DP not in frame.log
    told = [
        i.taken
        for i in infer(make_conditions(Motion(frame), log[Role.LAMBDA]))
        if "pressure" in i.what
    ]
    assert told == ["the logged one is far from the rated pressure and was not used"]


def test_without_pressure_or_without_map_nothing_is_turned() -> None:
    log = steady_states()
    assert with_fuel_dp(without(log, Role.FUEL_DP), RATED)[1] is PressureKind.ABSENT
    assert with_fuel_dp(without(log, Role.MAP), RATED)[1] is PressureKind.DIFFERENTIAL
    same, kind = with_fuel_dp(log, RATED)
    assert same is log
    assert kind is PressureKind.DIFFERENTIAL


def test_a_correction_does_not_depend_on_which_pressure_was_logged(
    heron_vehicle: Vehicle, heron_log: Log, heron_solution: Solution
) -> None:
    rail = with_pressure(
        heron_log, heron_log[Role.FUEL_DP] + heron_log[Role.MAP] - heron_log[Role.BARO]
    )
    solution = solve([rail], heron_vehicle)
    np.testing.assert_allclose(
        solution.estimate.correction_pct, heron_solution.estimate.correction_pct, atol=1e-6
    )
    assert solution.sifted.counts["pressure"] == heron_solution.sifted.counts["pressure"] == 0
    assert "rail" in next(i.taken for i in solution.inferred if "pressure" in i.what)
    shown = series_of("fuel_dp_error_pct", rail, heron_vehicle)
    assert shown is not None
    assert np.abs(shown.values).max() < 3.0


@pytest.mark.parametrize("logged", ["differential", "rail"])
def test_a_rail_held_against_the_atmosphere_is_no_sagging_pump(heron_log: Log, logged: str) -> None:
    """300 kPa against the atmosphere are 371 at 30 kPa MAP and 221 at 180: as they are meant to be."""
    drop = np.where(heron_log.time_s > 360.0, 30.0, 0.0)
    above = heron_log[Role.BARO] - heron_log[Role.MAP]
    rail = RATED - drop
    log = with_pressure(heron_log, rail + above if logged == "differential" else rail)
    read, kind = with_fuel_dp(log, RATED, "atmosphere")
    assert kind is (PressureKind.DIFFERENTIAL if logged == "differential" else PressureKind.RAIL)
    meant = RATED + above
    np.testing.assert_allclose(read[Role.FUEL_DP], RATED * (meant - drop) / meant, rtol=1e-6)


def test_an_ecu_that_compensates_is_not_helped_a_second_time(heron_log: Log) -> None:
    read, kind = with_fuel_dp(with_pressure(heron_log, 250.0), RATED, "compensated")
    assert kind is PressureKind.COMPENSATED
    assert Role.FUEL_DP not in read
