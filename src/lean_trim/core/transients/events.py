"""Moments at which air or fuel moves quickly: found from throttle, manifold pressure and fuel."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import fill_missing, rate_per_s
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import fuel_cuts
from lean_trim.core.types import Floats, Ints


class Kind(StrEnum):
    """What happened."""

    TIP_IN = "tip-in"
    TIP_OUT = "tip-out"
    AFTER_CUT = "after fuel cut"
    SHIFT = "gear change"
    LIFT = "lift at full load"
    STAB = "stab at standstill"


@dataclass(frozen=True)
class Transient:
    """One quick change.

    Attributes
    ----------
    kind : what happened.
    edge_s : when it began; of a fuel cut, when fuel came back.
    size : change of throttle, percent of its travel (of manifold pressure, kPa, where no throttle
        was logged); of a fuel cut, its length, s.
    rpm, coolant_c, map_kpa : at the edge; NaN where not logged.
    map_rate_kpa_per_s, throttle_rate_pct_per_s : quickest that way (a closing below 0) while the
        foot moved; NaN where not logged.
    """

    kind: Kind
    edge_s: float
    size: float
    rpm: float
    coolant_c: float
    map_kpa: float
    map_rate_kpa_per_s: float = float("nan")
    throttle_rate_pct_per_s: float = float("nan")


THROTTLE_PCT_PER_S = 30.0
"""Rate of the throttle from which it is quick (common practice, no source)."""
LEAST_THROTTLE_PCT = 5.0
"""Least change of the throttle that is an event, % (common practice, no source)."""
MAP_KPA_PER_S = 60.0
"""Rate of MAP from which it is quick, where no throttle was logged (common practice, no source)."""
LEAST_MAP_KPA = 8.0
"""Rate from which it is quick, and least change (common practice, no source)."""
RATE_OVER_S = 0.1
"""Time over which a rate is fitted, s; at least two rows."""
MOVES_FOR_S = 0.8
"""For how long a foot moves at most."""
QUIET_S = 0.4
"""Below the rate before another event can begin, s: a foot that moves on is one event."""
SHIFT_NEAR_S = 0.9
"""Distance from a change of gear within which a movement belongs to it, s."""
SAME_S = 0.5
"""A tip-in so near to fuel that comes back after a cut is that one event, s."""
FULL_PCT = 80.0
"""Throttle from which lifting off is a lift from full load, as the knob of the regimes."""
STILL_KMH = 3.0
"""Road speed below which a movement of the throttle is a blip of a standing car."""
LEAST_CUT_S = 0.25
"""Shortest fuel cut after which fuel that comes back is an event, s."""
LEAST_RPM = 500.0
"""Engine speed below which it is starting or standing."""
RATE_FROM_S = 0.1
"""Before an edge; a rate fitted over a window begins before what it is the rate of."""


def find_transients(motion: Motion) -> tuple[Transient, ...]:
    """Every quick change of a drive, in time order.

    Parameters
    ----------
    motion : a log with its frame and rates.

    Returns
    -------
    The changes; none where nothing moved.
    """
    log = motion.frame.log
    returns = _returns(motion)
    back = np.array([e.edge_s for e in returns])
    # An opening that ends a cut is the return of fuel, and lean for what the walls take of it.
    feet = [
        e
        for e in _of_the_foot(motion)
        if e.kind not in (Kind.TIP_IN, Kind.STAB) or not (np.abs(back - e.edge_s) <= SAME_S).any()
    ]
    found = [*feet, *returns]
    running = fill_missing(log[Role.RPM]) > LEAST_RPM
    at = {e: int(np.searchsorted(log.time_s, e.edge_s)) for e in found}
    return tuple(sorted((e for e in found if running[at[e]]), key=lambda e: e.edge_s))


def _of_the_foot(motion: Motion) -> list[Transient]:
    """Openings and closings, named by what stands beside them."""
    from lean_trim.core.kernels.log_loops import onsets

    log = motion.frame.log
    by_throttle = Role.THROTTLE in log and bool(np.isfinite(log[Role.THROTTLE]).any())
    if not by_throttle and Role.MAP not in log:
        return []
    values = fill_missing(log[Role.THROTTLE if by_throttle else Role.MAP])
    rates = _rates(motion)
    quick, least = (
        (THROTTLE_PCT_PER_S, LEAST_THROTTLE_PCT) if by_throttle else (MAP_KPA_PER_S, LEAST_MAP_KPA)
    )
    rate = rate_per_s(log.time_s, values, max(RATE_OVER_S, 2.0 * log.step_s))
    shifts = log.time_s[_shifts(motion)]
    out = []
    for way in (1.0, -1.0):
        starts = onsets(way * rate > quick, log.time_s, QUIET_S)
        for i, size in zip(starts.tolist(), _moved(values, starts, log.time_s, way), strict=True):
            if size >= least:
                kind = _kind(motion, i, way, by_throttle, shifts)
                out.append(_with_rates(_transient(motion, kind, i, size), log.time_s, rates, way))
    return out


def _rates(motion: Motion) -> dict[str, Floats]:
    """Rates along the log by the event's field, of what was logged."""
    log = motion.frame.log
    over_s = max(RATE_OVER_S, 2.0 * log.step_s)
    fields = {"map_rate_kpa_per_s": Role.MAP, "throttle_rate_pct_per_s": Role.THROTTLE}
    return {
        field: rate_per_s(log.time_s, fill_missing(log[role]), over_s)
        for field, role in fields.items()
        if role in log and bool(np.isfinite(log[role]).any())
    }


def _with_rates(
    event: Transient, time_s: Floats, rates: dict[str, Floats], way: float
) -> Transient:
    first, last = np.searchsorted(time_s, [event.edge_s - RATE_FROM_S, event.edge_s + MOVES_FOR_S])
    quickest = {field: way * float((way * rate[first:last]).max()) for field, rate in rates.items()}
    return replace(
        event,
        map_rate_kpa_per_s=quickest.get("map_rate_kpa_per_s", float("nan")),
        throttle_rate_pct_per_s=quickest.get("throttle_rate_pct_per_s", float("nan")),
    )


def _moved(values: Floats, starts: Ints, time_s: Floats, way: float) -> Floats:
    """How far it moved that way from each start on."""
    last = np.searchsorted(time_s, time_s[starts] + MOVES_FOR_S, "right")
    sizes = [
        float((way * values[a : max(b, a + 1)]).max() - way * values[max(a - 1, 0)])
        for a, b in zip(starts, last, strict=True)
    ]
    return np.array(sizes)


def _kind(motion: Motion, i: int, way: float, by_throttle: bool, shifts: Floats) -> Kind:
    log = motion.frame.log
    near = np.searchsorted(shifts, log.time_s[i])
    if any(abs(s - log.time_s[i]) <= SHIFT_NEAR_S for s in shifts[max(near - 1, 0) : near + 1]):
        return Kind.SHIFT
    if way < 0.0:
        full = by_throttle and float(np.nan_to_num(log[Role.THROTTLE][max(i - 1, 0)])) >= FULL_PCT
        return Kind.LIFT if full else Kind.TIP_OUT
    still = Role.SPEED in log and float(np.nan_to_num(log[Role.SPEED][i], nan=99.0)) < STILL_KMH
    return Kind.STAB if still else Kind.TIP_IN


def _shifts(motion: Motion) -> Ints:
    """Rows at which the gear changes."""
    log = motion.frame.log
    if Role.GEAR not in log:
        return np.empty(0, np.intp)
    gear = np.nan_to_num(log[Role.GEAR])
    return np.flatnonzero(np.diff(gear, prepend=gear[:1]) != 0)


def _returns(motion: Motion) -> list[Transient]:
    """Fuel that comes back after a cut, in a running engine."""
    log = motion.frame.log
    out = []
    for begin, end in fuel_cuts(motion.frame, LEAST_CUT_S).tolist():
        if end < len(log):
            length = float(log.time_s[end] - log.time_s[begin])
            out.append(_transient(motion, Kind.AFTER_CUT, end, length))
    return out


def _transient(motion: Motion, kind: Kind, i: int, size: float) -> Transient:
    log = motion.frame.log

    def at(role: Role) -> float:
        return float(log[role][i]) if role in log else float("nan")

    return Transient(
        kind=kind,
        edge_s=float(log.time_s[i]),
        size=round(size, 3),
        rpm=float(np.nan_to_num(log[Role.RPM][i])),
        coolant_c=at(Role.COOLANT),
        map_kpa=at(Role.MAP),
    )


def of_kind(events: Sequence[Transient], *kinds: Kind) -> tuple[Transient, ...]:
    """Those of some kinds.

    Returns in the same order.
    """
    return tuple(e for e in events if e.kind in kinds)
