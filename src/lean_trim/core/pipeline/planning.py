"""From a solved round to a plan of the next drive."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import as_loop, rate_per_s
from lean_trim.core.data.table_kinds import Rows, rows_of
from lean_trim.core.data.tables import Table
from lean_trim.core.drive.gears import read_gears
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.planning.along import at_states
from lean_trim.core.planning.plan import Plan, Where, plan_drive
from lean_trim.core.planning.reach import Reached, Road, Span, road_of, span_of
from lean_trim.core.planning.states import UNKNOWN_PCT, Knowledge, seconds_near, states_between
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    NO_MAP = Message(
        "planning.no_map",
        "a drive is planned by engine speed and manifold pressure; log the manifold pressure",
    )
    NO_ROAD = Message(
        "planning.no_road",
        "road speed and gears are not known well enough to say what a road holds: log the road speed, or "
        "plan for a dynamometer",
    )


IDLE_RPM = 1000.0
REDLINE_SHARE = 0.93
"""States up to this share of the redline are planned; the rest is left to full-throttle runs."""
BOOSTED = 1.04
"""Share of the barometer from which a pressure that was seen is boost."""
ACCEL_S = 0.8
RUNNING_RPM = 500.0
MOSTLY_IN_FORCE = 0.5
"""Share of a table from which a state tells of it."""


@dataclass(frozen=True, eq=False)
class Drives:
    """What the drives so far tell, beside the table: what the engine reaches and what the road takes."""

    span: Span
    road: Road | None
    baro_kpa: float
    air: tuple[float, float, float]
    """Air per stroke, g, as a plane over pressure and pressure times engine speed."""


def drives_of(solution: Solution) -> Drives:
    """Read from a solved round what the engine reaches and what the road takes.

    Parameters
    ----------
    solution : of one round, with all its logs.

    Returns
    -------
    What a plan needs.
    """
    frame = solution.frame
    log = frame.log
    rpm = held(log[Role.RPM])
    kpa = held(log[Role.MAP])
    running = rpm > RUNNING_RPM
    baro = float(np.nanmedian(log[Role.BARO])) if Role.BARO in log else STANDARD_KPA
    boosted = (
        frame.vehicle.induction != "atmospheric" and float(kpa[running].max()) > BOOSTED * baro
    )
    fuelled = running & _fuelled(solution)
    span = span_of(
        rpm[running], kpa[running], fuelled[running], baro, boosted, frame.vehicle.redline_rpm
    )
    at = solution.observations.index
    air_g = frame.air_g[at] * solution.observations.k
    sound = np.isfinite(air_g)
    design = np.column_stack([np.ones(len(at)), kpa[at], kpa[at] * rpm[at] / 1000.0])
    plane, *_ = np.linalg.lstsq(design[sound], air_g[sound], rcond=None)
    road = _road_in(solution, air_g)
    reached = Reached(span, road)
    before = solution.measured.before.reached
    # What earlier drives reached can be reached, and the road is the same.
    whole = reached if before is None else reached.joined(before)
    return Drives(whole.span, whole.road, baro, (float(plane[0]), float(plane[1]), float(plane[2])))


def _road_in(solution: Solution, air_g: Floats) -> Road | None:
    """What the road takes, by this drive; None where it does not tell."""
    log = solution.frame.log
    gears = read_gears(log)
    if Role.SPEED not in log or gears.how == "unknown":
        return None
    at = solution.observations.index
    speed = held(log[Role.SPEED])
    accel = rate_per_s(log.time_s, as_loop(speed / 3.6), ACCEL_S)
    return road_of(
        held(log[Role.RPM])[at],
        speed[at],
        gears.gear[at],
        air_g,
        accel[at],
        solution.observations.seconds,
    )


def reached_in(solution: Solution) -> Reached | None:
    """What the drives so far tell of engine and road, to be kept with the round.

    Parameters
    ----------
    solution : of one round.

    Returns
    -------
    None where manifold pressure was not logged.
    """
    if Role.MAP not in solution.frame.log or not len(solution.observations):
        return None
    drives = drives_of(solution)
    return Reached(drives.span, drives.road)


def _fuelled(solution: Solution) -> np.ndarray:
    log = solution.frame.log
    if Role.PULSE_WIDTH not in log:
        return np.ones(len(log), bool)
    return np.asarray(log[Role.PULSE_WIDTH] > 0.0)


def knowledge_of(solution: Solution, step_pct: Floats, drives: Drives) -> Knowledge:
    """What is known of the table that will be driven, at every state in which it is in force.

    Parameters
    ----------
    solution : of the drive so far.
    step_pct : what is written of what was asked, percent, in the table's shape.
    drives : what the engine reaches.

    Returns
    -------
    One entry a state.

    Raises
    ------
    BadInputError
        If manifold pressure was not logged.
    """
    frame = solution.frame
    table = solution.estimate.table
    redline = REDLINE_SHARE * frame.vehicle.redline_rpm
    top = float(drives.span.high.max())
    rpm, kpa = states_between((IDLE_RPM, redline), (float(drives.span.low.min()), top))
    keep = drives.span.holds(rpm, kpa)
    rpm, kpa = rpm[keep], kpa[keep]
    keep = _in_force(solution, rpm, kpa)
    rpm, kpa = rpm[keep], kpa[keep]
    at = _coordinates(solution, table, rpm, kpa, drives)
    inside = table.inside(*at)
    rpm, kpa, at = rpm[inside], kpa[inside], tuple(a[inside] for a in at)
    asked = np.nan_to_num(solution.estimate.correction_pct)
    known = np.isfinite(solution.estimate.correction_pct)
    left = 100.0 * ((1.0 + asked / 100.0) / (1.0 + step_pct / 100.0) - 1.0)
    error = np.where(known, np.nan_to_num(solution.estimate.own_error_pct), UNKNOWN_PCT)
    mesh = table.interpolate(*at)
    log = frame.log
    used = solution.observations
    drove = [held(log[Role.RPM])[used.index], held(log[Role.MAP])[used.index], used.seconds]
    before = solution.measured.before
    if before.readings is not None and before.engine is not None:
        known_at = np.isfinite(before.engine).all(axis=0)
        told = (*before.engine[:, known_at], before.readings.seconds[known_at])
        drove = [np.concatenate(pair) for pair in zip(drove, told, strict=True)]
    near = seconds_near(rpm, kpa, *drove)
    whole = near.sum()
    return Knowledge(
        rpm=rpm,
        map_kpa=kpa,
        at=at,
        off_pct=_read(mesh, left),
        error_pct=np.minimum(_read(mesh, error), UNKNOWN_PCT),
        seconds=near,
        share=near / whole if whole > 0.0 else near,
    )


def _read(mesh: object, values: Floats) -> Floats:
    cells, weights = mesh.cells, mesh.weights  # type: ignore[attr-defined]
    return np.asarray((values.ravel()[cells] * weights).sum(axis=1))


def _coordinates(
    solution: Solution, table: Table, rpm: Floats, kpa: Floats, drives: Drives
) -> tuple[Floats, ...]:
    """Where a table is read at states of the engine."""
    if len(table.axes) == 2:
        rows = rows_of(table)
        if rows is Rows.MAP:
            return kpa, rpm
        if rows is Rows.MAP_OVER_BARO:
            return kpa / drives.baro_kpa, rpm
        # Throttle or load: as they went with speed and pressure in the drive.
        return _along(solution, solution.frame.coordinates[0], rpm, kpa), rpm
    # Of a curve by the flow there: what the corrected curve gives at a reading, read backwards.
    flow = air_at(drives, rpm, kpa) * solution.frame.vehicle.cylinders * rpm / 120.0
    asked = np.nan_to_num(solution.estimate.correction_pct)
    values = np.maximum.accumulate(table.values * (1.0 + asked / 100.0))
    return (np.interp(flow, values, table.axes[0].points),)


def _along(solution: Solution, values: Floats, rpm: Floats, kpa: Floats) -> Floats:
    """What stood along a drive, at states of the engine."""
    log = solution.frame.log
    running = held(log[Role.RPM]) > RUNNING_RPM
    drove = (held(log[Role.RPM])[running], held(log[Role.MAP])[running])
    return at_states(drove, values[running], (rpm, kpa))


def _in_force(solution: Solution, rpm: Floats, kpa: Floats) -> Mask:
    """States at which mostly the table under correction is in force; all of an ECU with one."""
    two = solution.frame.two
    if two is None:
        return np.ones(len(rpm), bool)
    share = _along(solution, two.share, rpm, kpa)
    # Where it is not told which was in force nothing speaks against a state.
    return ~(share < MOSTLY_IN_FORCE)


def air_at(drives: Drives, rpm: Floats, kpa: Floats) -> Floats:
    """Air per stroke at states of the engine, g."""
    base, by_kpa, by_both = drives.air
    return np.asarray(np.maximum(base + by_kpa * kpa + by_both * kpa * rpm / 1000.0, 1e-3))


def plan_next(
    solution: Solution, step_pct: Floats, minutes: float = 10.0, where: Where = "dyno"
) -> Plan:
    """Plan the next drive after a solved round.

    Parameters
    ----------
    solution : of the drives so far.
    step_pct : what is written of what was asked, percent, in the table's shape.
    minutes : of the next drive.
    where : on a dynamometer or on a road.

    Returns
    -------
    The plan.

    Raises
    ------
    BadInputError
        If the table cannot be planned by engine speed and pressure, or nothing is known of the road.
    """
    if Role.MAP not in solution.frame.log:
        raise BadInputError(Say.NO_MAP())
    drives = drives_of(solution)
    if where == "road" and drives.road is None:
        raise BadInputError(Say.NO_ROAD())
    known = knowledge_of(solution, step_pct, drives)
    air = air_at(drives, known.rpm, known.map_kpa)
    return plan_drive(known, drives.baro_kpa, minutes, where, drives.road, air)
