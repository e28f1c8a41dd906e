"""Demo cars: what their injectors really are stays, whatever the ECU is told."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.errors import BadInputError
from lean_trim.core.pipeline.injectors import identify_injectors
from lean_trim.simcar.cars import CARS, car_named, truth_of
from lean_trim.simcar.drive import SimCar, simulate
from lean_trim.simcar.injectors import TrueInjectors
from lean_trim.simcar.plover import SAID_DEAD_MS, SAID_FLOW, plover, plover_injectors


@pytest.mark.parametrize("name", CARS)
def test_every_car_drives(name: str) -> None:
    vehicle = car_named(name).sheet()
    log = simulate(vehicle, 1, 0.3, truth=truth_of(name, vehicle))
    assert len(log) > 100 and np.isfinite(log[Role.LAMBDA]).all()


def test_an_unknown_car_lists_those_there_are() -> None:
    with pytest.raises(BadInputError, match="heron, plover"):
        car_named("robin")


def test_true_injectors_do_not_follow_what_the_ecu_is_told() -> None:
    sheet = plover()
    told = replace(sheet, injectors=replace(sheet.injectors, flow_g_per_s=9.9))
    cars = [SimCar(v, 1, truth_of("plover", v)) for v in (sheet, told)]
    assert cars[0].injectors == cars[1].injectors == plover_injectors()


@pytest.mark.slow
def test_plovers_injectors_are_told_in_one_drive() -> None:
    vehicle = plover()
    true = plover_injectors()
    found = identify_injectors(
        [simulate(vehicle, 1, 12.0, truth=truth_of("plover", vehicle))], vehicle
    ).split
    assert abs(found.flow_scale - true.flow_g_per_s / SAID_FLOW) < min(2.0 * found.flow_se, 0.04)
    assert found.dead_ms == pytest.approx(true.dead_ms[0] - SAID_DEAD_MS[0], abs=0.03)


def test_flow_dead_time_and_small_pulses_of_an_injector() -> None:
    one = TrueInjectors(
        5.0,
        (10.0, 14.0),
        (1.2, 0.8),
        exponent=0.45,
        dead_per_kpa=0.001,
        small_ms=0.1,
        small_open_ms=0.3,
    )
    assert one.flow_at(400.0) == pytest.approx(5.0 * (400.0 / 300.0) ** 0.45)
    assert one.dead_at(12.0, 350.0) == pytest.approx(1.05)
    # Half of what short pulses lose is lost at 0.3 ms.
    assert one.open_ms(1.3, 1.0) == pytest.approx(0.25)
    assert one.open_ms(0.9, 1.0) == 0.0
