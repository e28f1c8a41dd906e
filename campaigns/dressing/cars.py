"""Cars whose drives are dressed: the demo's, one on E85, one with a mass-airflow curve."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import cache

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import random_car
from lean_trim.simcar.heron import heron
from lean_trim.simcar.tern import tern

MINUTES = 8.0
E85_FLOW = 1.5
"""Injectors for E85 are larger by half (common practice)."""


@cache
def heron_on_e85() -> Vehicle:
    """Heron with another fuel and the injectors for it."""
    car = heron()
    larger = replace(car.injectors, flow_g_per_s=car.injectors.flow_g_per_s * E85_FLOW)
    return replace(car, stoich_afr=9.8, injectors=larger)


CARS: dict[str, Callable[[], Vehicle]] = {
    "heron": cache(heron),
    "heron E85": heron_on_e85,
    "tern": cache(tern),
}


FLEET_CARS = {"narrowband": 10, "open loop": 20}
"""Cars of the random fleet by their seed: with a pressure table and feedback of other kinds."""


def vehicle_of(car: str) -> Vehicle:
    """The sheet of a car by its name."""
    return CARS[car]() if car in CARS else random_car(FLEET_CARS[car]).vehicle


@cache
def drive_of(car: str) -> tuple[Vehicle, Log]:
    """The drive that is dressed.

    A car with an airflow sensor has no pressure sensor, or its table would be taken for one over
    pressure.
    """
    vehicle = vehicle_of(car)
    truth = random_car(FLEET_CARS[car]).truth if car in FLEET_CARS else None
    log = simulate(vehicle, seed=3, minutes=MINUTES, truth=truth, name="drive")
    drop = (Role.MAP,) if vehicle.airflow == "maf" else ()
    # Writing takes longer than reading; a dozen rows a second show as much of a dress.
    kept = {r: v[::2] for r, v in log.channels.items() if r not in drop}
    return vehicle, Log(log.time_s[::2], kept, log.name)
