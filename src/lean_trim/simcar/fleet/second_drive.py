"""The second drive of a car, on which a corrected table is judged: where it went, and what was true there."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.fleet.cars import FleetCar
from lean_trim.simcar.fleet.dress import dressed
from lean_trim.simcar.fleet.grids import locate

Array = np.ndarray
SECOND_MINUTES = 10.0
STEADY_SHARE_PER_S = 0.25
"""Change of engine speed or MAP a second, relative to itself, up to which running counts as
quasi-steady."""
FULL_PCT = 95.0
CLOSED_PCT = 1.5
COASTS_RPM = 1200.0
"""On a closed throttle above this the engine falls to idle, mostly without fuel: no state anybody
drives in, and none a log can tell."""
NEAR_S = 1.0
"""Seconds of the first drive within a grid square (between two points) that make a state there
supported."""


@dataclass(frozen=True, eq=False)
class States:
    """States of a second drive, (n,) each.

    ``at`` are coordinates of the table in the order of its axes, ``true`` what it should hold
    there.
    """

    at: tuple[Array, ...]
    true: Array
    supported: Array
    boost: Array


def first_drive(car: FleetCar) -> Log:
    """The drive its owner brings, dressed as it was logged."""
    log = simulate(
        car.vehicle,
        car.seed,
        car.minutes,
        car.truth,
        name=f"car {car.seed}",
        faults=car.faults,
        log_hz=car.dress.log_hz,
    )
    return dressed(log, car.dress, car.seed)


def second_drive(car: FleetCar, first: Log) -> tuple[States, Array]:
    """Warm and without faults, on a table that is right; and seconds the first drive spent near each cell."""
    right = car.vehicle.with_table(car.vehicle.table.with_values(car.best))
    truth = replace(car.truth, start_coolant_c=88.0, soak_k=0.0, cold_unburnt_per_k=0.0)
    log = simulate(right, car.seed + 100_000, SECOND_MINUTES, truth, log_hz=10.0)
    axes = [a.points for a in car.vehicle.table.axes]
    inside = np.ones(len(log), bool)
    # Past the ends the ECU reads the edge, which no table can make right for all of what lies
    # there.
    for points, along in zip(axes, _coordinates(log, car), strict=True):
        inside &= (along >= points[0]) & (along <= points[-1])
    keep = np.flatnonzero(_settled(log) & inside)[::3]
    at = tuple(c[keep] for c in _coordinates(log, car))
    seconds = _seconds_by_square(first, car, axes)
    square = tuple(locate(p, x)[0] for p, x in zip(axes, at, strict=True))
    true = car.truth.airflow_value(car.vehicle, at)
    boost = log[Role.MAP][keep] > 1.02 * car.truth.baro_kpa
    return States(at, true, seconds[square] >= NEAR_S, boost), _near_nodes(seconds)


def _coordinates(log: Log, car: FleetCar) -> tuple[Array, ...]:
    if car.vehicle.airflow == "maf":
        return (log[Role.MAF_HZ],)
    return log[Role.MAP], log[Role.RPM]


def _settled(log: Log) -> Array:
    """Fuelled and either quasi-steady or at full throttle for half a second."""
    step = float(np.median(np.diff(log.time_s)))
    half = max(1, round(0.5 / step))
    calm = np.ones(len(log), bool)
    for role in (Role.RPM, Role.MAP):
        values = log[role]
        around = np.convolve(values, np.ones(half) / half, mode="same")
        change = np.abs(np.roll(around, -half) - np.roll(around, half)) / (2 * half * step)
        calm &= change < STEADY_SHARE_PER_S * np.maximum(around, 1.0)
    full = log[Role.THROTTLE] > FULL_PCT
    held = np.convolve(full, np.ones(2 * half + 1), mode="same") >= 2 * half
    fuelled = log[Role.PULSE_WIDTH] > 0.0
    running = fuelled & (log[Role.RPM] > 500.0) & (log.time_s > log.time_s[0] + 20.0)
    coasts = (log[Role.THROTTLE] < CLOSED_PCT) & (log[Role.RPM] > COASTS_RPM)
    return np.asarray(running & ~coasts & (calm | held))


def _seconds_by_square(first: Log, car: FleetCar, axes: list[Array]) -> Array:
    """Seconds of settled running in every square between the axes' points."""
    filled = replace(first, channels={r: _whole(v) for r, v in first.channels.items()})
    if Role.PULSE_WIDTH not in filled:
        filled = replace(
            filled, channels={**filled.channels, Role.PULSE_WIDTH: np.ones(len(first))}
        )
    keep = _settled(filled)
    step = float(np.median(np.diff(first.time_s)))
    shape = tuple(len(p) - 1 for p in axes)
    squares = [locate(p, c[keep])[0] for p, c in zip(axes, _coordinates(filled, car), strict=True)]
    count = np.bincount(np.ravel_multi_index(squares, shape), minlength=int(np.prod(shape)))
    return np.asarray(step * count.reshape(shape))


def _whole(values: Array) -> Array:
    """Held over holes and impossible readings, for counting seconds only."""
    good = np.isfinite(values) & (np.abs(values) < 20_000.0)
    at = np.maximum.accumulate(np.where(good, np.arange(len(values)), 0))
    return np.asarray(values[at])


def _near_nodes(seconds: Array) -> Array:
    """Most seconds of any square that touches a node, in the table's shape."""
    padded = np.pad(seconds, 1)
    if seconds.ndim == 1:
        return np.asarray(np.maximum(padded[:-1], padded[1:]))
    rows = np.maximum(padded[:-1], padded[1:])
    return np.asarray(np.maximum(rows[:, :-1], rows[:, 1:]))
