"""Channels that follow from the logged ones and from the calibration."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import coordinates
from lean_trim.core.drive.frame import target_lambda
from lean_trim.core.drive.fuel_pressure import with_fuel_dp
from lean_trim.core.errors import LogError
from lean_trim.core.physics import duty_pct
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.types import Floats


@dataclass(frozen=True, eq=False)
class Series:
    """A trace for people: key, name, unit and values of the log's length."""

    key: str
    name: str
    unit: str
    values: Floats


DERIVED: dict[str, tuple[str, str]] = {
    "boost_kpa": ("Boost", "kPa"),
    "duty_of_pulse_pct": ("Duty from pulse width", "%"),
    "fuel_dp_error_pct": ("Δp off rated", "%"),
    "target_looked_up": ("Target looked up", "λ"),
    "table_value": ("Table value", ""),
    "asked_value": ("Value asked for", ""),
    "k_pct": ("Correction asked", "%"),
    "trim_pct": ("Trims together", "%"),
}
"""Keys of the derived channels with name and unit; the table's unit fills the empty one."""


def series_of(
    key: str, log: Log, vehicle: Vehicle, solution: Solution | None = None
) -> Series | None:
    """One logged or derived series by key, or None where it cannot be had.

    Parameters
    ----------
    key : name of a channel or of a derived series.
    log, vehicle : what it is made from.
    solution : needed for what only a solve tells.

    Returns
    -------
    Values along the log with name and unit.
    """
    if key in DERIVED:
        values = _derive(key, log, vehicle, solution)
        name, unit = DERIVED[key]
        return None if values is None else Series(key, name, unit or vehicle.table.unit, values)
    role = Role(key)
    if role not in log or not np.isfinite(log[role]).any():
        return None
    return Series(key, *LABELS[role], log[role])


def all_series(log: Log, vehicle: Vehicle, solution: Solution | None = None) -> list[str]:
    """Keys of everything that can be shown of a log.

    Parameters
    ----------
    log, vehicle : what is shown.
    solution : of that log, if there is one.

    Returns
    -------
    Keys for ``series_of``.
    """
    logged = [str(r) for r in Role if r in log]
    return logged + [k for k in DERIVED if _derive(k, log, vehicle, solution) is not None]


def _derive(key: str, log: Log, vehicle: Vehicle, solution: Solution | None) -> Floats | None:
    if key == "boost_kpa" and Role.MAP in log:
        baro = log.get(Role.BARO, 101.3)
        return log[Role.MAP] - np.where(np.isfinite(baro), baro, 101.3)
    if key == "duty_of_pulse_pct" and {Role.PULSE_WIDTH, Role.RPM} <= set(log.channels):
        return duty_pct(log[Role.PULSE_WIDTH], log[Role.RPM])
    if key == "fuel_dp_error_pct":
        rated = vehicle.injectors.rated_pressure_kpa
        read, _ = with_fuel_dp(log, rated)
        return 100.0 * (read[Role.FUEL_DP] / rated - 1.0) if Role.FUEL_DP in read else None
    if key == "trim_pct" and (Role.STFT in log or Role.LTFT in log):
        short = np.nan_to_num(log.get(Role.STFT, 0.0))
        long = np.nan_to_num(log.get(Role.LTFT, 0.0))
        return 100.0 * ((1 + short / 100) * (1 + long / 100) - 1)
    if key == "k_pct" and solution is not None:
        return 100.0 * (solution.k_along - 1.0)
    return _from_tables(key, log, vehicle, solution)


def _from_tables(key: str, log: Log, vehicle: Vehicle, solution: Solution | None) -> Floats | None:
    try:
        if key == "target_looked_up" and Role.TARGET not in log:
            return target_lambda(log, vehicle)
        if key in ("table_value", "asked_value"):
            base = vehicle.table.lookup(*coordinates(log, vehicle))
            if key == "table_value":
                return base
            return None if solution is None else base * solution.k_along
    except LogError:
        return None
    return None
