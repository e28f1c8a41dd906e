"""Random cars with a fault of their own, and sound ones: driven once and kept, as owners would log them.

A sound car's table is as far off as a random table is: from another engine (half of the cars), or
corrected once and off by a quarter of that.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from campaigns.runner import CACHE, ROOT
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import SOUND, Faults, fault_named
from lean_trim.simcar.fleet.cars import FleetCar, random_car
from lean_trim.simcar.fleet.dress import dressed

HEALTHY = 240
PER_FAULT = 20
BARELY = 0.25
CLEAR = 0.5
GROSS = 1.0
STRENGTHS = (BARELY,) * 5 + (CLEAR,) * 5 + (GROSS,) * 10
"""By number of the drive with a fault."""
MINUTES = (8.0, 25.0)
FLASHED_WARM_C = 55.0
CORRECTED_SHARE = 0.25
"""What is left of a table's error after a round."""
PHYSICS = (
    "drive",
    "faults",
    "faulty_log",
    "injectors",
    "laws",
    "plan",
    "state",
    "stepper",
    "truth",
)

Needs = Callable[[FleetCar], bool]


def _any(car: FleetCar) -> bool:
    return True


def _maf(car: FleetCar) -> bool:
    return car.vehicle.airflow == "maf"


def _speed_density(car: FleetCar) -> bool:
    return car.vehicle.is_speed_density


def _boosted(car: FleetCar) -> bool:
    return car.truth.turbo


def _boosted_with_sensor(car: FleetCar) -> bool:
    return _boosted(car) and _with_sensor(car)


def _flashed_warm(car: FleetCar) -> bool:
    # A cold engine's first minutes are left out, and what fades in them is not to be seen.
    return car.truth.start_coolant_c > FLASHED_WARM_C


def _boosted_strongly(car: FleetCar) -> bool:
    return car.truth.turbo and car.truth.max_boost_kpa > 60.0


def _trimming(car: FleetCar) -> bool:
    return car.vehicle.feedback == "wideband"


def _with_sensor(car: FleetCar) -> bool:
    return not car.dress.without_lambda


def _with_both(car: FleetCar) -> bool:
    return _with_sensor(car) and _with_width(car)


def _with_width(car: FleetCar) -> bool:
    return not car.dress.without_width


@dataclass(frozen=True)
class Plant:
    """A fault as it is planted.

    Attributes
    ----------
    simulated : name the simulated car knows it by; empty for one of sheet or logging.
    needs : which cars can have it so that their log could show it.
    unlogged : channels nobody logs on those cars.
    injectors : factor on the injectors' size, on the sheet and in truth.
    log_hz : rows a second; 0 for the car's own.
    times : strength of the simulated fault over that of the trial.
    """

    simulated: str = ""
    needs: Needs = _any
    unlogged: tuple[Role, ...] = ()
    injectors: float = 1.0
    log_hz: float = 0.0
    times: float = 1.0


PLANTS: Mapping[str, Plant] = {
    "pump": Plant("pump"),
    "pump, Δp not logged": Plant("pump", _with_sensor, unlogged=(Role.FUEL_DP,), times=1.6),
    "regulator": Plant("regulator"),
    "battery": Plant("battery"),
    "small injectors": Plant("", _with_width, injectors=0.5),
    "airflow sensor": Plant("airflow-sensor", _maf),
    "sensor cold": Plant("sensor-cold", _with_sensor),
    "sensor slow": Plant("sensor-slow", _with_both),
    "sensor stuck": Plant("sensor-stuck", _with_sensor),
    "sensor drops": Plant("sensor-drops", _with_sensor),
    "free air": Plant("free-air", _with_sensor),
    "no enrichment": Plant("no-enrichment"),
    "hidden enrichment": Plant("hidden-enrichment", _with_width),
    "trim limit": Plant("trim-limit", _trimming),
    "feedback": Plant("feedback", _trimming),
    "target swing": Plant("target-swing", _trimming),
    "intake leak": Plant("intake-leak", _maf),
    "exhaust leak": Plant("exhaust-leak", _with_sensor),
    "injector flow": Plant("injector-flow", times=1.6),
    "dead time": Plant("dead-time"),
    "air temperature": Plant("air-temperature", _speed_density),
    "altitude": Plant("altitude"),
    "extra fuel": Plant("extra-fuel", _boosted_with_sensor),
    "after flash": Plant("after-flash", _flashed_warm),
    "knock": Plant("knock", _boosted_strongly),
    "misfire": Plant("misfire", _with_sensor),
    "slow log": Plant(log_hz=2.0),
    "banks": Plant("banks"),
}
NAMES = tuple(PLANTS)
COUNT = HEALTHY + PER_FAULT * len(NAMES)


@dataclass(frozen=True, eq=False)
class FaultyCar:
    """A car, what is wrong with it, and how it is logged. ``fault`` is empty for a sound one."""

    seed: int
    car: FleetCar
    fault: str
    strength: float
    vehicle: Vehicle
    faults: Faults
    minutes: float
    log_hz: float


def faulty_car(seed: int) -> FaultyCar:
    """The car of a trial: sound ones first, then ``PER_FAULT`` of every kind."""
    rng = np.random.default_rng([seed, 41])
    which, number = divmod(seed - HEALTHY, PER_FAULT)
    fault = NAMES[which] if seed >= HEALTHY else ""
    plant = PLANTS[fault] if fault else Plant()
    strength = STRENGTHS[number] if fault else 0.0
    car = random_car(_first_fit(seed, plant.needs))
    share = 1.0 if rng.random() < 0.5 else CORRECTED_SHARE
    table = car.vehicle.table
    off = table.values / car.best.reshape(table.shape) - 1.0
    values = np.round(car.best.reshape(table.shape) * (1.0 + share * off), 2)
    vehicle = car.vehicle.with_table(table.with_values(values))
    size = 1.0 + strength * (plant.injectors - 1.0)
    injectors = replace(
        vehicle.injectors, flow_g_per_s=round(vehicle.injectors.flow_g_per_s * size, 3)
    )
    low, high = MINUTES
    return FaultyCar(
        seed=seed,
        car=car,
        fault=fault,
        strength=strength,
        vehicle=replace(vehicle, injectors=injectors),
        faults=fault_named(plant.simulated, plant.times * strength) if plant.simulated else SOUND,
        # Most drives are short.
        minutes=round(low * (high / low) ** (rng.random() ** 1.7), 1),
        log_hz=plant.log_hz or car.dress.log_hz,
    )


def _first_fit(seed: int, needs: Needs) -> int:
    """Seed of the first random car that can have a fault; no two trials share a car."""
    return next(
        s for s in range(50_000 + 1000 * seed, 51_000 + 1000 * seed) if needs(random_car(s))
    )


def drives_folder() -> Path:
    """Where drives are kept: one folder for every state of what they depend on."""
    digest = hashlib.sha256()
    simcar = ROOT / "src" / "lean_trim" / "simcar"
    for path in [
        *(simcar / f"{name}.py" for name in PHYSICS),
        *sorted((simcar / "fleet").glob("*.py")),
    ]:
        digest.update(path.read_bytes())
    digest.update(Path(__file__).read_bytes())
    return CACHE / f"faulty-{digest.hexdigest()[:12]}"


def driven(car: FaultyCar) -> Log:
    """The drive its owner brings, from the folder if it was driven before."""
    kept = drives_folder() / f"{car.seed}.npz"
    if not kept.exists():
        drive = simulate(
            car.vehicle,
            car.seed,
            car.minutes,
            car.car.truth,
            name=f"car {car.seed}",
            faults=car.faults,
            log_hz=car.log_hz,
        )
        log = dressed(drive, car.car.dress, car.seed)
        unlogged = PLANTS[car.fault].unlogged if car.fault else ()
        kept.parent.mkdir(parents=True, exist_ok=True)
        part = kept.with_suffix(f".{os.getpid()}.part.npz")
        channels = {str(r): v for r, v in log.channels.items() if r not in unlogged}
        np.savez_compressed(part, allow_pickle=False, time_s=log.time_s, **channels)
        part.rename(kept)
    with np.load(kept) as stored:
        back = {Role(name): stored[name] for name in stored.files if name != "time_s"}
        return Log(stored["time_s"], back, f"car {car.seed}")
