"""What cars have beside the usual: every car gets none to three of these, drawn apart from the rest of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.simcar.faults import Faults
from lean_trim.simcar.fleet.dress import Dress
from lean_trim.simcar.truth import Truth

Array = np.ndarray


@dataclass(frozen=True, eq=False)
class Plain:
    """A car before its table is made: what is true, what is wrong, and how it is logged."""

    truth: Truth
    faults: Faults
    dress: Dress
    what: tuple[str, ...] = ()


Extra = Callable[[np.random.Generator, Plain], Plain]


def _film_over_speed(rng: np.random.Generator, car: Plain) -> Plain:
    """A film that dries faster at speed, and takes more under load."""
    truth = replace(
        car.truth, wall_rpm=float(rng.uniform(0.03, 0.12)), wall_load=float(rng.uniform(0.3, 0.9))
    )
    return replace(car, truth=truth)


def _slow_sensor(rng: np.random.Generator, car: Plain) -> Plain:
    return replace(car, faults=replace(car.faults, sensor_lag_s=float(rng.uniform(0.1, 0.35))))


def _narrow_sensor(rng: np.random.Generator, car: Plain) -> Plain:
    """A meter whose output ends soon, and shows two digits."""
    ends = (float(rng.uniform(0.72, 0.82)), float(rng.uniform(1.08, 1.2)))
    return replace(car, dress=replace(car.dress, lambda_ends=ends, lambda_step=0.01))


def _heat(rng: np.random.Generator, car: Plain) -> Plain:
    return replace(car, truth=replace(car.truth, charge_heating=float(rng.uniform(0.12, 0.22))))


def _stops(rng: np.random.Generator, car: Plain) -> Plain:
    return replace(car, faults=replace(car.faults, trim_limit_pct=float(rng.uniform(6.0, 12.0))))


def _drift(rng: np.random.Generator, car: Plain) -> Plain:
    """Fuel that changes along the drive."""
    by = float(rng.uniform(1.5, 5.0)) * float(rng.choice([-1.0, 1.0]))
    return replace(car, faults=replace(car.faults, fuel_drift_pct=by))


def _cam(rng: np.random.Generator, car: Plain) -> Plain:
    shape = replace(
        car.truth.breathing,
        cam_pct=float(rng.uniform(4.0, 12.0)),
        cam_x=float(rng.uniform(0.5, 0.8)),
    )
    return replace(car, truth=replace(car.truth, breathing=shape))


def _notch(rng: np.random.Generator, car: Plain) -> Plain:
    shape = replace(
        car.truth.breathing,
        notch_pct=float(rng.uniform(5.0, 10.0)) * float(rng.choice([-1.0, 1.0])),
        notch_x=float(rng.uniform(0.25, 0.6)),
        notch_kpa=float(rng.uniform(35.0, 90.0)),
    )
    return replace(car, truth=replace(car.truth, breathing=shape))


def _long_soak(rng: np.random.Generator, car: Plain) -> Plain:
    truth = replace(
        car.truth,
        start_coolant_c=float(rng.uniform(84.0, 94.0)),
        cold_unburnt_per_k=0.0,
        soak_k=float(rng.uniform(20.0, 40.0)),
        soak_s=float(rng.uniform(120.0, 350.0)),
    )
    return replace(car, truth=truth)


def _late_sensor(rng: np.random.Generator, car: Plain) -> Plain:
    """A sensor far down the pipe."""
    return replace(
        car,
        truth=replace(
            car.truth, exhaust_volume_l=car.truth.exhaust_volume_l * float(rng.uniform(1.5, 3.0))
        ),
    )


def _map_lag(rng: np.random.Generator, car: Plain) -> Plain:
    return replace(car, truth=replace(car.truth, map_lag_s=float(rng.uniform(0.04, 0.1))))


EXTRAS: dict[str, Extra] = {
    "film over speed": _film_over_speed,
    "slow sensor": _slow_sensor,
    "narrow meter": _narrow_sensor,
    "much heat": _heat,
    "trim stops": _stops,
    "drift": _drift,
    "cam step": _cam,
    "notch": _notch,
    "long soak": _long_soak,
    "late sensor": _late_sensor,
    "MAP lag": _map_lag,
}
BAD_CELLS = "bad cells"
MOST_EXTRAS = 3


def extras_of(seed: int) -> tuple[str, ...]:
    """Names of what the car of a seed has beside the usual."""
    rng = np.random.default_rng([seed, 31])
    names = np.array([*EXTRAS, BAD_CELLS])
    count = int(rng.integers(0, MOST_EXTRAS + 1))
    return tuple(str(n) for n in sorted(rng.choice(names, size=count, replace=False)))


def widened(seed: int, car: Plain) -> Plain:
    """The car with its extras."""
    rng = np.random.default_rng([seed, 32])
    for name in extras_of(seed):
        if name in EXTRAS:
            car = EXTRAS[name](rng, car)
    return replace(car, what=(*car.what, *extras_of(seed)))


def with_bad_cells(seed: int, values: Array) -> Array:
    """A table in which one to three cells were mistyped, if the car has such."""
    if BAD_CELLS not in extras_of(seed):
        return values
    rng = np.random.default_rng([seed, 33])
    bad = values.copy()
    cells = rng.choice(bad.size, size=int(rng.integers(1, 4)), replace=False)
    bad.ravel()[cells] *= 1.0 + rng.uniform(0.08, 0.25, len(cells)) * rng.choice(
        [-1.0, 1.0], len(cells)
    )
    return np.asarray(bad)
