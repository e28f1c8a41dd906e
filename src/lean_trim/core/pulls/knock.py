"""A ledger of knock: where spark was taken out, how much, in which run; as the largest on any axes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.tables import Axis
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.pulls.pull import Pull
from lean_trim.core.types import Floats, Mask

LEAST_DEG = 0.2
"""Retard from which it is knock and not the last digit of a channel (common practice, no
source)."""
MOST_SAMPLES = 40_000
APART_S = 0.5
"""Retards less far apart are one event: an ECU gives spark back in steps."""


class Say:
    """Sentences of this module."""

    LACKS = Message("knock.lacks", "this log has no {what} to read the grid by")


class By(StrEnum):
    """What the rows of a knock grid are read by."""

    MAP = "manifold pressure"
    BOOST = "boost"
    THROTTLE = "throttle"
    LOAD = "load"
    AIRFLOW = "airflow"


UNITS: dict[By, str] = {
    By.MAP: "kPa",
    By.BOOST: "kPa",
    By.THROTTLE: "%",
    By.LOAD: "g/rev",
    By.AIRFLOW: "g/s",
}


def by_of(axis: Axis) -> By | None:
    """What a table's rows are read by.

    Parameters
    ----------
    axis : of its rows, in our units.

    Returns
    -------
    None where knock cannot be laid out on it.
    """
    known = {("MAP", "kPa"): By.MAP, ("throttle", "%"): By.THROTTLE, ("load", "g/rev"): By.LOAD}
    return known.get((axis.name, axis.unit))


@dataclass(frozen=True)
class KnockEvent:
    """One event; figures are those at its largest retard, NaN where not logged.

    Attributes
    ----------
    start_s, end_s : on the joined log.
    deg : largest retard.
    pull : place of the pull it happened in, from 0; -1 outside of any.
    """

    start_s: float
    end_s: float
    deg: float
    rpm: float
    map_kpa: float
    throttle_pct: float
    spark_deg: float
    intake_c: float
    lam: float
    pull: int


def knock_events(conditions: Conditions, pulls: Sequence[Pull]) -> tuple[KnockEvent, ...]:
    """Every event of a drive, in the order of time.

    Parameters
    ----------
    conditions : one joined log.
    pulls : found in it.

    Returns
    -------
    None where knock retard was not logged, or was never seen.
    """
    log = conditions.frame.log
    on = np.flatnonzero(_retarded(conditions))
    if not len(on):
        return ()
    groups = np.split(on, np.flatnonzero(np.diff(log.time_s[on]) > APART_S) + 1)
    retard = log[Role.KNOCK]
    return tuple(
        _event(conditions, pulls, group, int(group[np.argmax(retard[group])])) for group in groups
    )


def _event(conditions: Conditions, pulls: Sequence[Pull], group: np.ndarray, at: int) -> KnockEvent:
    log = conditions.frame.log
    inside = (i for i, p in enumerate(pulls) if p.start <= at < p.stop)
    return KnockEvent(
        start_s=float(log.time_s[group[0]]),
        end_s=float(log.time_s[group[-1]]),
        deg=float(log[Role.KNOCK][at]),
        rpm=float(log[Role.RPM][at]),
        map_kpa=float(log.get(Role.MAP)[at]),
        throttle_pct=float(log.get(Role.THROTTLE)[at]),
        spark_deg=float(log.get(Role.SPARK)[at]),
        intake_c=float(log.get(Role.IAT)[at]),
        lam=float(conditions.lam[at]),
        pull=next(inside, -1),
    )


def _retarded(conditions: Conditions) -> Mask:
    with np.errstate(invalid="ignore"):
        return np.asarray(conditions.frame.log.get(Role.KNOCK) > LEAST_DEG)


def along(conditions: Conditions, by: By, baro_kpa: Floats) -> Floats:
    """What a grid's rows are read by, along the log.

    Parameters
    ----------
    conditions : one joined log.
    by : which.
    baro_kpa : barometer along it, shape (n,).

    Returns
    -------
    Shape (n,), in ``UNITS``.

    Raises
    ------
    BadInputError
        If the log does not have it.
    """
    frame = conditions.frame
    log = frame.log
    needed = {By.MAP: Role.MAP, By.BOOST: Role.MAP, By.THROTTLE: Role.THROTTLE}
    role = needed.get(by)
    if role is not None and role not in log:
        raise BadInputError(Say.LACKS(what=str(by)))
    if by is By.BOOST:
        return held(log[Role.MAP]) - baro_kpa
    if role is not None:
        return held(log[role])
    if by is By.AIRFLOW:
        return frame.flow_g_per_s
    return np.asarray(60.0 * frame.flow_g_per_s / np.maximum(held(log[Role.RPM]), 1.0))


@dataclass(frozen=True, eq=False)
class KnockSamples:
    """Retard along a drive and what a grid may be read by; arrays have shape (m,), degrees 0 without knock.

    Only samples of a running engine whose retard was logged; of those without any, no more than
    tell where it was driven.
    """

    rpm: Floats
    retard_deg: Floats
    by: Mapping[By, Floats]


def knock_samples(conditions: Conditions, baro_kpa: Floats) -> KnockSamples:
    """What the ledger's grids are made from, so that the log need not be kept.

    Parameters
    ----------
    conditions : one joined log.
    baro_kpa : barometer along it, shape (n,).

    Returns
    -------
    Empty where knock retard was not logged.
    """
    log = conditions.frame.log
    retarded = _retarded(conditions)
    known = np.isfinite(log.get(Role.KNOCK)) & (held(log[Role.RPM]) > 0.0)
    step = max(1, int(known.sum()) // MOST_SAMPLES)
    kept = known & (retarded | (np.arange(len(log)) % step == 0))
    by = {}
    for one in By:
        try:
            by[one] = along(conditions, one, baro_kpa)[kept]
        except BadInputError:
            continue
    retard = np.where(retarded, log.get(Role.KNOCK), 0.0)[kept]
    return KnockSamples(held(log[Role.RPM])[kept], retard, by)


def largest_retard(samples: Sequence[KnockSamples], by: By, rows: Axis, columns: Axis) -> Floats:
    """Largest retard seen nearest to each point of a grid.

    Parameters
    ----------
    samples : of one drive or several.
    by : what the rows are read by; a drive that lacks it says nothing.
    rows, columns : of the grid; the columns are engine speed.

    Returns
    -------
    Degrees, shape (rows, columns); 0 where it was driven without any, NaN where it was not driven.
    """
    out = np.full((len(rows), len(columns)), np.nan)
    for one in samples:
        if by in one.by:
            places = (_nearest(rows, one.by[by]), _nearest(columns, one.rpm))
            np.fmax.at(out, places, one.retard_deg)
    return out


def _nearest(axis: Axis, values: Floats) -> np.ndarray:
    """Nearest point of an axis; what is beyond its ends belongs to them, as an ECU reads it."""
    middles = 0.5 * (axis.points[1:] + axis.points[:-1])
    return np.searchsorted(middles, np.nan_to_num(values))
