"""The pulse width tells which table a log was driven on, and says nothing where it cannot."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.which_table import driven_on
from tests.builders import small_vehicle, steady_states


@pytest.fixture(scope="module")
def vehicle() -> Vehicle:
    return small_vehicle()


@pytest.fixture(scope="module")
def log() -> Log:
    """Driven on the table of ``small_vehicle``."""
    return steady_states(1.04)


def wider(vehicle: Vehicle, percent: float) -> Vehicle:
    return vehicle.with_table(
        vehicle.table.with_values(vehicle.table.values * (1.0 + percent / 100.0))
    )


def test_both_ways_round(vehicle: Vehicle, log: Log) -> None:
    other = wider(vehicle, 6.0)
    assert driven_on(log, vehicle, other) is vehicle
    assert driven_on(log, other, vehicle) is vehicle


def test_other_injector_data_on_the_same_table_are_told_apart(vehicle: Vehicle, log: Log) -> None:
    smaller = replace(vehicle.injectors, flow_g_per_s=0.93 * vehicle.injectors.flow_g_per_s)
    assert driven_on(log, vehicle, replace(vehicle, injectors=smaller)) is vehicle


def test_tables_that_hardly_differ_are_not_told_apart(vehicle: Vehicle, log: Log) -> None:
    assert driven_on(log, vehicle, wider(vehicle, 0.5)) is None


def test_injector_data_that_fit_neither_say_nothing(vehicle: Vehicle, log: Log) -> None:
    off = replace(vehicle, injectors=replace(vehicle.injectors, flow_g_per_s=4.5))
    assert driven_on(log, off, wider(vehicle, 6.0)) is None


@pytest.mark.parametrize("missing", [Role.PULSE_WIDTH, Role.LTFT, Role.STFT])
def test_without_pulse_width_or_trims_it_says_nothing(
    vehicle: Vehicle, log: Log, missing: Role
) -> None:
    rest = Log(log.time_s, {r: v for r, v in log.channels.items() if r not in (missing, Role.DUTY)})
    assert driven_on(rest, vehicle, wider(vehicle, 6.0)) is None


def test_a_few_seconds_are_too_few(vehicle: Vehicle, log: Log) -> None:
    first = np.arange(len(log)) < 100
    short = Log(log.time_s[first], {r: v[first] for r, v in log.channels.items()})
    assert driven_on(short, vehicle, wider(vehicle, 6.0)) is None
