"""Which pressure a log's fuel pressure is, told by how it goes with manifold pressure."""

from __future__ import annotations

from dataclasses import replace
from enum import StrEnum

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import PressureReference
from lean_trim.core.types import Floats

STANDARD_KPA = 100.0
"""Air pressure outside where no barometer was logged, kPa."""
RUNNING_RPM = 400.0
LOW_FLOW_PCT = 60.0
"""Part of the samples, by flow, in which no pump sags, %."""
LEAST_SPREAD_KPA = 20.0
"""Range of MAP in which rail and difference look apart, kPa."""
LEAST_SAMPLES = 100
FOLLOWS = (0.6, 1.4)
NEAR_RATED = (0.5, 2.0)
"""kPa of fuel pressure per kPa of MAP that make it the rail's.

Shares of the rated pressure that are believed. Common practice.
"""


class PressureKind(StrEnum):
    """What a logged fuel pressure turned out to be."""

    ABSENT = "absent"
    DIFFERENTIAL = "differential"
    RAIL = "rail"
    OTHER = "other"
    COMPENSATED = "compensated"


def with_fuel_dp(
    log: Log, rated_kpa: float, reference: PressureReference = "manifold"
) -> tuple[Log, PressureKind]:
    """The log with differential pressure as its fuel pressure, or with none where it is of another kind.

    Behind a regulator that refers to the manifold, Δp stays put while pressure in the rail follows
    MAP, kPa by kPa. Low flow tells, because a pump that sags at high flow would hide it. A pressure
    far from the rated one (direct injection, a lift pump) is dropped.

    Parameters
    ----------
    log : a log as it was read.
    rated_kpa : differential pressure the injectors are rated at, kPa.
    reference : what the rated pressure is held against. Against the atmosphere, Δp falls by as much
        as MAP rises, and the tables hold that: what counts is how far Δp is from what it is meant
        to be, so it is given as the pressure that would be as far off behind a manifold regulator.
        An ECU that compensates needs none of it, and counting it would be counting it twice.

    Returns
    -------
    The log with differential pressure or without any, and what the logged one turned out to be.
    """
    if Role.FUEL_DP not in log:
        return log, PressureKind.ABSENT
    if reference == "compensated":
        return _without(log), PressureKind.COMPENSATED
    pressure = log[Role.FUEL_DP]
    kind = PressureKind.DIFFERENTIAL
    if reference == "atmosphere" and Role.MAP in log:
        return _against_atmosphere(log, rated_kpa)
    if _follows_map(log):
        kind = PressureKind.RAIL
        outside = log.get(Role.BARO, STANDARD_KPA)
        absolute = pressure - log[Role.MAP]
        gauge = absolute + np.where(np.isfinite(outside), outside, STANDARD_KPA)
        pressure = min((gauge, absolute), key=lambda p: abs(_middle(p) - rated_kpa))
    low, high = NEAR_RATED
    if not low * rated_kpa < _middle(pressure) < high * rated_kpa:
        return _without(log), PressureKind.OTHER
    if kind is PressureKind.DIFFERENTIAL:
        return log, kind
    return replace(log, channels={**log.channels, Role.FUEL_DP: pressure}), kind


def _without(log: Log) -> Log:
    channels: dict[Role, Floats] = {r: v for r, v in log.channels.items() if r != Role.FUEL_DP}
    return replace(log, channels=channels)


def _against_atmosphere(log: Log, rated_kpa: float) -> tuple[Log, PressureKind]:
    """Pressure of a rail held against the atmosphere, as far from rated as it is from what is meant."""
    baro = log.get(Role.BARO, STANDARD_KPA)
    above = np.where(np.isfinite(baro), baro, STANDARD_KPA) - log[Role.MAP]
    slope = _slope_on_map(log)
    differential = slope is not None and FOLLOWS[0] <= -slope <= FOLLOWS[1]
    actual = log[Role.FUEL_DP] if differential else log[Role.FUEL_DP] + above
    pressure = rated_kpa * actual / np.maximum(rated_kpa + above, 1.0)
    low, high = NEAR_RATED
    if not low * rated_kpa < _middle(pressure) < high * rated_kpa:
        return _without(log), PressureKind.OTHER
    kind = PressureKind.DIFFERENTIAL if differential else PressureKind.RAIL
    return replace(log, channels={**log.channels, Role.FUEL_DP: pressure}), kind


def _follows_map(log: Log) -> bool:
    slope = _slope_on_map(log) if Role.MAP in log else None
    return slope is not None and FOLLOWS[0] <= slope <= FOLLOWS[1]


def _slope_on_map(log: Log) -> float | None:
    """KPa of logged pressure per kPa of MAP at low flow; None where that cannot be told."""
    every = max(1, len(log) // 20_000)
    pressure, manifold, rpm = (log[r][::every] for r in (Role.FUEL_DP, Role.MAP, Role.RPM))
    known = np.isfinite(pressure) & np.isfinite(manifold) & (rpm > RUNNING_RPM)
    if known.sum() < LEAST_SAMPLES:
        return None
    flow = np.where(known, manifold * rpm, np.inf)
    calm = flow <= np.percentile(flow[known], LOW_FLOW_PCT)
    low, high = np.percentile(manifold[calm], [5, 95])
    if high - low < LEAST_SPREAD_KPA:
        return None
    return float(np.polyfit(manifold[calm], pressure[calm], 1)[0])


def _middle(values: Floats) -> float:
    """Median of what is known, from at most about 20 000 values; NaN if nothing is."""
    some = values[:: max(1, len(values) // 20_000)]
    some = some[np.isfinite(some)]
    return float(np.median(some)) if len(some) else np.nan
