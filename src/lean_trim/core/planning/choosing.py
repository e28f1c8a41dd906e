"""Which states to drive, and in which order: what each tells, over the time it takes."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.planning.states import KPA_STEP, RPM_STEP, Knowledge
from lean_trim.core.types import Floats, Mask

DWELL_S = 5.0
"""Between 3 and 15 s a state it makes no difference how long (a trial of twelve cars)."""
SETTLING_S = 2.0
"""Until a state is held and the gas that was burnt there is read."""
MISFIT_PCT = 0.35
READ_PCT = 0.45
"""What one second of steady running leaves open, percent."""
DYNO_RPM_PER_S = 500.0
DYNO_KPA_PER_S = 20.0
DYNO_S = 0.3
GEAR_S = 1.2
ROAD_S = 2.0
ROAD_KMH_PER_S = 1.2 * 3.6
"""How fast one gets from a state to the next."""
HEAVY = 0.85
"""Share of the barometer from which a state is load: lean is dangerous there."""
MOST_LEAN_PCT = 5.0
MOST_LEAN_LIGHT_PCT = 15.0
PROVEN_S = 3.0
PROVEN_ERROR_PCT = 2.0
PROVEN_LEAN_PCT = 3.0
NEIGHBOUR_KPA = 1.6 * KPA_STEP
NEIGHBOUR_RPM = 0.8 * RPM_STEP
COVER_SHARE = 0.7
"""Part of the weight that goes to every state alike; the rest to where time is spent. By time alone a
plan covers nothing (a trial of twelve cars)."""


@dataclass(frozen=True)
class Visit:
    """One state of a plan.

    Attributes
    ----------
    state : its place among the known ones.
    seconds : to be held.
    before_pct, after_pct : standard error of the table there before and after.
    """

    state: int
    seconds: float
    before_pct: float
    after_pct: float


def light(known: Knowledge, baro_kpa: float) -> Mask:
    """States of little load, where lean hurts nothing."""
    return np.asarray(known.map_kpa < HEAVY * baro_kpa)


def may_be_driven(known: Knowledge, baro_kpa: float, error_pct: Floats) -> Mask:
    """States whose lean edge is within what is allowed.

    Parameters
    ----------
    known : states.
    baro_kpa : barometer.
    error_pct : standard errors as they are by then.

    Returns
    -------
    Shape (s,).
    """
    most = np.where(light(known, baro_kpa), MOST_LEAN_LIGHT_PCT, MOST_LEAN_PCT)
    return np.asarray(known.off_pct + 2.0 * error_pct < most)


def is_proven(seconds: Floats, off_pct: Floats, error_pct: Floats) -> Mask:
    """States of which a higher load may follow."""
    lean = off_pct + 2.0 * error_pct
    return np.asarray(
        (seconds >= PROVEN_S) & (error_pct < PROVEN_ERROR_PCT) & (lean < PROVEN_LEAN_PCT)
    )


def neighbours_below(known: Knowledge) -> Mask:
    """Whether one state is the lower-load neighbour of another, shape (s, s): [state, neighbour]."""
    lower = known.map_kpa[:, None] - known.map_kpa[None, :]
    near = np.abs(known.rpm[:, None] - known.rpm[None, :]) <= NEIGHBOUR_RPM
    return np.asarray(near & (lower > 0.0) & (lower <= NEIGHBOUR_KPA))


def offered_now(
    known: Knowledge, baro_kpa: float, error_pct: Floats, seconds: Floats, below: Mask
) -> Mask:
    """States that may be driven as things stand: not too lean, and under load above a proven one.

    Parameters
    ----------
    known : states.
    baro_kpa : barometer.
    error_pct, seconds : as they are by then, shape (s,).
    below : ``neighbours_below``.

    Returns
    -------
    Shape (s,).
    """
    proven = is_proven(seconds, known.off_pct, error_pct)
    stands = light(known, baro_kpa) | (below & proven[None, :]).any(axis=1)
    return may_be_driven(known, baro_kpa, error_pct) & stands


def after_visit(covariance: Floats, state: int, noise: float) -> Floats:
    """Covariance once a state was held, percent²."""
    column = covariance[:, state]
    return np.asarray(covariance - np.outer(column, column) / (column[state] + noise))


def driven_in_order(
    known: Knowledge, baro_kpa: float, visits: list[Visit]
) -> tuple[list[Visit], Floats, Mask]:
    """Walk a plan in its order, leaving out what may not be driven when its turn comes.

    Parameters
    ----------
    known : states that can be reached.
    baro_kpa : barometer.
    visits : in the order they are driven.

    Returns
    -------
    Those that may be driven with their errors before and after, errors at every state after them, and the
    states that are offered then.
    """
    covariance = known.covariance()
    below = neighbours_below(known)
    seconds = known.seconds.copy()
    out = []
    offered = np.zeros(len(known), bool)
    for visit in visits:
        error = np.sqrt(np.maximum(np.diag(covariance), 0.0))
        offered = offered_now(known, baro_kpa, error, seconds, below)
        if not offered[visit.state]:
            continue
        covariance = after_visit(covariance, visit.state, noise_pct2(visit.seconds))
        after = float(np.sqrt(max(covariance[visit.state, visit.state], 0.0)))
        out.append(replace(visit, before_pct=float(error[visit.state]), after_pct=after))
        seconds[visit.state] += visit.seconds - SETTLING_S
    final = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    return out, final, offered_now(known, baro_kpa, final, seconds, below)


def noise_pct2(seconds: float) -> float:
    """What a visit leaves open, percent²: what no table of its shape can hold, and noise."""
    return MISFIT_PCT**2 + READ_PCT**2 / max(seconds - SETTLING_S, 0.5)


def weights_of(known: Knowledge, baro_kpa: float) -> Floats:
    """How much each state counts: all alike, more where time is spent, twice where lean is dangerous."""
    even = np.full(len(known), 1.0 / len(known))
    share = known.share if known.share.sum() > 0.0 else even
    harm = np.where(light(known, baro_kpa), 1.0, 2.0)
    return np.asarray((COVER_SHARE * even + (1.0 - COVER_SHARE) * share) * harm)


def choose(
    known: Knowledge, baro_kpa: float, budget_s: float, way_s: float, dwell_s: float = DWELL_S
) -> list[Visit]:
    """Choose states greedily by what they tell, within a time.

    A state of load is driven only if its lean edge allows it, and after its lower-load neighbour is proven:
    by earlier driving, or by an earlier state of the plan that is expected to prove it.

    Parameters
    ----------
    known : states that can be reached.
    baro_kpa : barometer.
    budget_s : time there is, s.
    way_s : from one state to the next, about.
    dwell_s : a state is held for.

    Returns
    -------
    Visits in the order of what they tell.
    """
    covariance = known.covariance()
    weight = weights_of(known, baro_kpa)
    below = neighbours_below(known)
    seconds = known.seconds.copy()
    noise = noise_pct2(dwell_s)
    visited = np.zeros(len(known), bool)
    visits: list[Visit] = []
    while True:
        error = np.sqrt(np.maximum(np.diag(covariance), 0.0))
        offered = offered_now(known, baro_kpa, error, seconds, below)
        gain = (weight @ covariance**2) / (np.diag(covariance) + noise)
        rate = np.where(offered & ~visited, gain, -1.0)
        best = int(np.argmax(rate))
        if rate[best] <= 0.0 or (len(visits) + 1) * (dwell_s + way_s) > budget_s:
            break
        covariance = after_visit(covariance, best, noise)
        after = float(np.sqrt(max(covariance[best, best], 0.0)))
        visits.append(Visit(best, dwell_s, float(error[best]), after))
        visited[best] = True
        seconds[best] += dwell_s - SETTLING_S
    return visits


def dyno_transit(known: Knowledge) -> Floats:
    """Seconds from one state to another where a brake holds the engine, shape (s, s)."""
    by_rpm = np.abs(known.rpm[:, None] - known.rpm[None, :]) / DYNO_RPM_PER_S
    by_kpa = np.abs(known.map_kpa[:, None] - known.map_kpa[None, :]) / DYNO_KPA_PER_S
    return np.asarray(np.maximum(by_rpm, by_kpa) + DYNO_S)


def road_transit(speed_kmh: Floats, gear: Floats) -> Floats:
    """Seconds from one state to another on a road, shape (s, s)."""
    faster = np.abs(speed_kmh[:, None] - speed_kmh[None, :]) / ROAD_KMH_PER_S
    shifts = np.abs(gear[:, None] - gear[None, :]) * GEAR_S
    return np.asarray(faster + shifts + ROAD_S)
