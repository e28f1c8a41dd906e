"""Small vehicles and logs with exactly known answers."""

from __future__ import annotations

import numpy as np

from lean_trim.core import physics
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Axis, Table, maf_curve, ve_table
from lean_trim.core.data.vehicle import Injectors, TableLimits, Vehicle
from lean_trim.features.feature import desks_of, pages_of
from lean_trim.features.registry import FEATURES
from lean_trim.workspace.solving import Solver

DESKS = desks_of(FEATURES)
PAGES = {page.name: page for page in pages_of(FEATURES)}
"""Pages of the margin by name, in their order."""

RPM = np.array([1000.0, 2000.0, 3000.0, 4500.0, 6000.0])
MAP = np.array([30.0, 50.0, 70.0, 100.0])
INJECTORS = Injectors(5.0, 300.0, np.array([10.0, 14.0]), np.array([1.2, 0.8]))


def small_vehicle(ve: np.ndarray | float = 80.0, feedback: str = "wideband") -> Vehicle:
    """A 2-litre four with a 4 × 5 VE table and target lambda 1 everywhere."""
    values = np.broadcast_to(np.asarray(ve, float), (len(MAP), len(RPM))).copy()
    axes = (Axis("MAP", "kPa", MAP), Axis("engine speed", "rpm", RPM))
    target = Table(axes, np.ones(values.shape), "λ", "target lambda")
    return Vehicle(
        "small",
        2.0,
        4,
        14.7,
        "ve",
        feedback,
        INJECTORS,
        ve_table(RPM, MAP, values),
        target,
        TableLimits(0.1, 5.0, 200.0),
        3.0,  # type: ignore[arg-type]
    )


def maf_vehicle() -> Vehicle:
    """A 2.5-litre five with a short MAF curve and narrowband feedback."""
    curve = maf_curve([1000.0, 2000.0, 4000.0, 8000.0], [2.0, 6.0, 25.0, 110.0])
    return Vehicle(
        "maf",
        2.5,
        5,
        14.7,
        "maf",
        "narrowband",
        INJECTORS,
        curve,
        None,
        TableLimits(0.001, 0.0, 900.0),
        3.0,
    )


def steady_states(
    k: float | np.ndarray = 1.0, seconds: float = 4.0, hz: float = 25.0, noise: float = 0.0
) -> Log:
    """A log that dwells on many states of ``small_vehicle``.

    The table is wrong by the factor ``k`` everywhere.

    Half of the error sits in the trims and half in lambda. Speed follows engine speed, so nothing
    slips.
    """
    rng = np.random.default_rng(3)
    n = int(seconds * hz)
    dt = 1.0 / hz
    states = [(r, p) for p in np.linspace(32.0, 98.0, 8) for r in np.linspace(1100.0, 5900.0, 12)]
    rpm = np.repeat([r for r, _ in states], n).astype(float)
    pressure = np.repeat([p for _, p in states], n).astype(float)
    return make_log(np.arange(len(rpm)) * dt, rpm, pressure, k, noise, rng)


def make_log(
    time: np.ndarray,
    rpm: np.ndarray,
    pressure: np.ndarray,
    k: float | np.ndarray = 1.0,
    noise: float = 0.0,
    rng: np.random.Generator | None = None,
    vehicle: Vehicle | None = None,
) -> Log:
    """Channels that follow from the states: trims take sqrt(k), lambda shows the rest, pulse width fits."""
    vehicle = vehicle or small_vehicle()
    k = np.broadcast_to(np.asarray(k, float), time.shape)
    trim = np.sqrt(k)
    lam = k / trim * (1.0 + (noise * rng.standard_normal(len(time)) if rng is not None else 0.0))
    air = physics.cylinder_air_g(
        vehicle.table.lookup(pressure, rpm), pressure, np.full(len(time), 25.0), vehicle.cylinder_l
    )
    fuel = air / vehicle.stoich_afr * trim
    width = fuel / vehicle.injectors.flow_g_per_s * 1e3 + vehicle.injectors.dead_time_at(13.8)
    channels = {
        Role.RPM: rpm,
        Role.MAP: pressure,
        Role.THROTTLE: pressure / 2.0,
        Role.IAT: np.full(len(time), 25.0),
        Role.COOLANT: np.full(len(time), 88.0),
        Role.BATTERY: np.full(len(time), 13.8),
        Role.LAMBDA: lam,
        Role.TARGET: np.ones(len(time)),
        Role.STFT: 100.0 * (trim - 1.0),
        Role.LTFT: np.zeros(len(time)),
        Role.PULSE_WIDTH: width,
        Role.SPEED: rpm / 40.0,
        Role.GEAR: np.full(len(time), 4.0),
        Role.FUEL_DP: np.full(len(time), 300.0),
    }
    return Log(np.asarray(time, float), channels, "built")


def with_channel(log: Log, role: Role, values: np.ndarray | float) -> Log:
    """The same log with one channel replaced."""
    return Log(
        log.time_s,
        {**log.channels, role: np.broadcast_to(np.asarray(values, float), log.time_s.shape).copy()},
        log.name,
    )


def without(log: Log, *roles: Role) -> Log:
    """The same log lacking some channels."""
    return Log(log.time_s, {r: v for r, v in log.channels.items() if r not in roles}, log.name)


def cut(log: Log, start: int, stop: int) -> Log:
    """Rows ``start`` to ``stop`` of a log."""
    return Log(
        log.time_s[start:stop], {r: v[start:stop] for r, v in log.channels.items()}, log.name
    )


def changes_in(solver: Solver) -> int:
    """Cells for which the solution shown proposes another value."""
    assert solver.proposal is not None and solver.solution is not None
    return int(
        np.count_nonzero(solver.proposal.table.values != solver.solution.estimate.table.values)
    )
