"""Where the ECU reads a table along a log."""

from __future__ import annotations

import numpy as np

from lean_trim.core import physics
from lean_trim.core.data.channels import Role
from lean_trim.core.data.fuels import stoich_with_ethanol
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import Holds, Rows, holds_of, rows_of
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    NO_LOAD = Message(
        "coordinates.no_load",
        "{name} has neither a mass airflow nor a pulse width to work the load out from; name the "
        "column of one",
    )


DEFAULT_CHARGE_C = 25.0
DEFAULT_VOLTS = 13.8
USUAL_FILLING_PCT = 85.0
"""VE taken where a table tells none, for the delay of the sensor only (common practice, no
source)."""
USUAL_PRESSURE_KPA = 60.0
"""Manifold pressure of ordinary driving, where none is logged and only the delay needs it."""


def coordinates(log: Log, vehicle: Vehicle, table: Table | None = None) -> tuple[Floats, ...]:
    """Coordinates of a table along the log, in the order of its axes.

    Parameters
    ----------
    log : a log.
    vehicle : whose log it is.
    table : the vehicle's airflow table if None.

    Returns
    -------
    One array per axis, each of shape (n,), in the axis' unit.

    Raises
    ------
    LogError
        If a channel the table is read by was not logged.
    """
    table = vehicle.table if table is None else table
    if len(table.axes) == 1:
        signal = Role.MAF_V if table.axes[0].unit == "V" else Role.MAF_HZ
        log.require([Role.RPM, signal])
        return (log[signal],)
    kind = rows_of(table) or Rows.MAP
    if kind is Rows.THROTTLE:
        log.require([Role.RPM, Role.THROTTLE])
        return log[Role.THROTTLE], log[Role.RPM]
    if kind in (Rows.LOAD_PER_REV, Rows.LOAD_PER_STROKE):
        log.require([Role.RPM])
        return _load(log, vehicle, kind), log[Role.RPM]
    log.require([Role.RPM, Role.MAP])
    if kind is Rows.MAP_OVER_BARO:
        return log[Role.MAP] / barometer(log), log[Role.RPM]
    return log[Role.MAP], log[Role.RPM]


def barometer(log: Log) -> Floats:
    """Barometer along a log; sea level where none is logged.

    Returns kPa, shape (n,).
    """
    logged = held(log[Role.BARO]) if Role.BARO in log else np.full(len(log), STANDARD_KPA)
    return np.where(np.isfinite(logged), logged, STANDARD_KPA)


def _load(log: Log, vehicle: Vehicle, kind: Rows) -> Floats:
    """Air of the ECU per revolution or stroke: by its airflow, else by the fuel it asked for."""
    if Role.MAF_FLOW in log:
        with np.errstate(invalid="ignore", divide="ignore"):
            stroke_g = physics.cylinder_air_from_flow_g(
                log[Role.MAF_FLOW], log[Role.RPM], vehicle.cylinders
            )
    elif Role.PULSE_WIDTH in log and vehicle.injectors.is_known:
        stroke_g = air_by_fuel_g(log, vehicle)
    else:
        raise LogError(Say.NO_LOAD(name=log.name))
    stroke_g = np.where(np.isfinite(stroke_g), stroke_g, np.nan)
    # A four-stroke engine takes half its cylinders' charges in one revolution.
    return stroke_g * vehicle.cylinders / 2.0 if kind is Rows.LOAD_PER_REV else 1000.0 * stroke_g


def air_by_fuel_g(log: Log, vehicle: Vehicle) -> Floats:
    """Air per stroke that the pulse width was made for, trims taken off.

    Parameters
    ----------
    log : with its pulse width.
    vehicle : with known injectors.

    Returns
    -------
    g, shape (n,); NaN where it is not known.
    """
    volts = held(log[Role.BATTERY]) if Role.BATTERY in log else np.full(len(log), DEFAULT_VOLTS)
    injectors = vehicle.injectors
    open_ms = injectors.open_time_ms(log[Role.PULSE_WIDTH], volts)
    fuel = physics.injected_fuel_g(open_ms, 0.0, injectors.flow_g_per_s)
    trim = (1 + np.nan_to_num(log.get(Role.STFT, 0.0)) / 100) * (
        1 + np.nan_to_num(log.get(Role.LTFT, 0.0)) / 100
    )
    target = log.get(Role.TARGET, 1.0)
    return np.asarray(
        fuel * stoich_along(log, vehicle) * np.where(np.isfinite(target), target, 1.0) / trim
    )


def stoich_along(log: Log, vehicle: Vehicle) -> Floats | float:
    """Stoichiometry the ECU reckons with: the sheet's, or that of the ethanol a flex-fuel car logged.

    Returns shape (n,), or one number for all.
    """
    # A sensor that is not there reads 0 for ever, so only a car that is said to have one is
    # believed.
    if not vehicle.fuel_varies or Role.ETHANOL not in log:
        return vehicle.stoich_afr
    share = np.clip(held(log[Role.ETHANOL]), 0.0, 100.0)
    return np.where(
        np.isfinite(share), stoich_with_ethanol(np.nan_to_num(share)), vehicle.stoich_afr
    )


def believed_air_g(
    log: Log,
    vehicle: Vehicle,
    driven: Floats,
    target: Floats | float,
    at: slice | np.ndarray = slice(None),
) -> Floats:
    """Air per stroke the ECU believed in.

    Parameters
    ----------
    log : a log.
    vehicle : with its airflow table.
    driven : what the table said at the samples in question, without its offset, shape (m,).
    target : target lambda there.
    at : samples in question, all n if not said.

    Returns
    -------
    g, shape (m,). Of tables that hold fuel and not air it is an estimate, which serves for the
    delay only.
    """
    rpm = log[Role.RPM][at]
    if vehicle.airflow == "maf":
        return physics.cylinder_air_from_flow_g(driven, rpm, vehicle.cylinders)
    holds = holds_of(vehicle.table) or Holds.VE
    charge = held(log[Role.IAT])[at] if Role.IAT in log else np.full(len(rpm), DEFAULT_CHARGE_C)
    charge = np.where(np.isfinite(charge), charge, DEFAULT_CHARGE_C)
    if holds is Holds.AIR_PER_STROKE:
        return driven / 1000.0
    if holds is Holds.AIRFLOW:
        return physics.cylinder_air_from_flow_g(driven, rpm, vehicle.cylinders)
    if holds is Holds.FUEL_TIME and np.isfinite(vehicle.injectors.flow_g_per_s):
        stoich = np.broadcast_to(stoich_along(log, vehicle), len(log))[at]
        return np.asarray(driven / 1000.0 * vehicle.injectors.flow_g_per_s * stoich * target)
    if holds is not Holds.VE and Role.MAF_FLOW in log:
        return physics.cylinder_air_from_flow_g(log[Role.MAF_FLOW][at], rpm, vehicle.cylinders)
    ve = driven if holds is Holds.VE else np.full(len(rpm), USUAL_FILLING_PCT)
    return physics.cylinder_air_g(ve, _pressure(log, vehicle)[at], charge, vehicle.cylinder_l)


def _pressure(log: Log, vehicle: Vehicle) -> Floats:
    """Pressure a VE is relative to: the barometer where the rows are throttle, else the manifold's."""
    if rows_of(vehicle.table) is Rows.THROTTLE and holds_of(vehicle.table) is Holds.VE:
        return barometer(log)
    return log[Role.MAP] if Role.MAP in log else np.full(len(log), USUAL_PRESSURE_KPA)


def fuel_is_told(vehicle: Vehicle) -> bool:
    """True if table, target and injectors say how much fuel the ECU asks for.

    Returns false for tables of trims, whose base is not known, and for injectors that are not.
    """
    return vehicle.injectors.is_known and holds_of(vehicle.table) is not Holds.FUEL_TRIM


def moves_its_axis(table: Table) -> bool:
    """True if a correction of the table moves the place it is read at: air over a load made of that air."""
    over_load = rows_of(table) in (Rows.LOAD_PER_REV, Rows.LOAD_PER_STROKE)
    return over_load and holds_of(table) in (Holds.VE, Holds.AIR_PER_STROKE, Holds.AIRFLOW)
