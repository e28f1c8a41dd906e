"""A plan for the next drive: held states in an order without needless changes, and what is expected of it."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from lean_trim.core.planning.choosing import (
    DWELL_S,
    MISFIT_PCT,
    Visit,
    choose,
    driven_in_order,
    dyno_transit,
    road_transit,
)
from lean_trim.core.planning.reach import FASTEST_KMH, GRADES, Road
from lean_trim.core.planning.states import Knowledge
from lean_trim.core.types import Floats, Mask

Where = Literal["dyno", "road"]
TOLD = 0.7
"""Part of its error a state keeps at most to count as told by the drive."""
IDLE_S = 20.0
COAST_S = 10.0
"""At the end of every plan: what a plan of held states does not cover gets worse without it."""
LEAD_S = 20.0
"""At an even speed before the first state: of a log's beginning nothing counts, for an engine that was just
started has not settled (the rule ``starting`` of the sieve)."""
WAY_S = {"dyno": 1.2, "road": 5.0}
"""About how long the way from a state to the next takes, s."""


@dataclass(frozen=True)
class Held:
    """One state to be held.

    Attributes
    ----------
    rpm, map_kpa : of the state.
    gear : from 1; 0 where gears are not known.
    speed_kmh : in that gear; NaN where gears are not known.
    grade : that holds it without a brake, rise over run; NaN on a dynamometer.
    seconds : to be held.
    state : its place among the known ones.
    before_pct, after_pct : standard error of the table there before and after the drive.
    """

    rpm: float
    map_kpa: float
    gear: int
    speed_kmh: float
    grade: float
    seconds: float
    state: int
    before_pct: float
    after_pct: float


@dataclass(frozen=True, eq=False)
class Plan:
    """What to drive next.

    Attributes
    ----------
    held : states in their order.
    seconds : with an even speed before them, the way between them, idle and overrun at the end.
    known : all states that can be reached this way.
    error_pct : standard error expected after the drive at each of those.
    offered : of those, what may be driven.
    where : on a dynamometer or on a road.
    baro_kpa : barometer.
    ratios : rpm per km/h by gear, from the first; None where they are not known.
    """

    held: tuple[Held, ...]
    seconds: float
    known: Knowledge
    error_pct: Floats
    offered: Mask
    where: Where
    baro_kpa: float
    ratios: Floats | None = None

    @property
    def rms_before_pct(self) -> float:
        """Expected rms of how far the table is off, before the drive: over the states that can be reached."""
        return _rms(np.hypot(self.known.off_pct, self.known.error_pct))

    @property
    def rms_after_pct(self) -> float:
        """Expected rms once the drive is corrected for.

        What stays open, what was not driven, and what no table of its axes holds.
        """
        told = self.error_pct < TOLD * self.known.error_pct
        off = np.where(told, 0.0, self.known.off_pct)
        return float(np.hypot(_rms(np.hypot(off, self.error_pct)), MISFIT_PCT))

    @property
    def not_yet(self) -> Mask:
        """States that would tell much and are not offered: too lean perhaps, or above nothing proven."""
        return np.asarray(~self.offered & (self.known.error_pct > 1.0))


def _rms(values: Floats) -> float:
    return float(np.sqrt(np.mean(values**2))) if len(values) else float("nan")


def plan_drive(
    known: Knowledge,
    baro_kpa: float,
    minutes: float,
    where: Where,
    road: Road | None = None,
    air_g: Floats | None = None,
    dwell_s: float = DWELL_S,
) -> Plan:
    """Plan a drive of about so many minutes.

    Parameters
    ----------
    known : states the engine can be held in.
    baro_kpa : barometer.
    minutes : there are.
    where : on a road only what a gear and a grade hold is planned.
    road : what the road takes; needed for a plan on it.
    air_g : air per stroke at the states, shape (s,); needed for a plan on a road.
    dwell_s : a state is held for.

    Returns
    -------
    The plan; without a state if nothing may be driven.
    """
    gear = np.zeros(len(known), int)
    grade = np.full(len(known), np.nan)
    if road is not None and air_g is not None:
        gear, grade = gears_for(known, road, air_g)
    if where == "road":
        keep = gear > 0
        known, gear, grade = known.only(keep), gear[keep], grade[keep]
    ratios = np.full(len(known), np.nan)
    if road is not None:
        ratios = np.where(gear > 0, road.ratios[np.maximum(gear, 1) - 1], np.nan)
    speed = known.rpm / ratios
    budget = minutes * 60.0 - LEAD_S - IDLE_S - COAST_S
    if not len(known) or budget < dwell_s:
        nothing = np.zeros(len(known), bool)
        return Plan((), 0.0, known, known.error_pct, nothing, where, baro_kpa)
    transit = dyno_transit(known)
    if where == "road":
        transit = road_transit(speed, gear.astype(float))
    chosen = choose(known, baro_kpa, budget, WAY_S[where], dwell_s)
    visits, spent = _in_time(chosen, known, gear, transit, budget, where)
    visits, error, offered = driven_in_order(known, baro_kpa, visits)
    held = tuple(
        Held(
            rpm=float(known.rpm[v.state]),
            map_kpa=float(known.map_kpa[v.state]),
            gear=int(gear[v.state]),
            speed_kmh=float(speed[v.state]),
            grade=float(grade[v.state]) if where == "road" else float("nan"),
            seconds=v.seconds,
            state=v.state,
            before_pct=v.before_pct,
            after_pct=v.after_pct,
        )
        for v in visits
    )
    whole = LEAD_S + spent + IDLE_S + COAST_S
    gears = None if road is None else road.ratios
    return Plan(held, whole, known, error, offered, where, baro_kpa, gears)


def gears_for(known: Knowledge, road: Road, air_g: Floats) -> tuple[np.ndarray, Floats]:
    """Gear and grade that hold each state on a road: of several gears the one with the gentlest grade.

    Parameters
    ----------
    known : states.
    road : what it takes.
    air_g : air per stroke at the states, g.

    Returns
    -------
    Gear, 0 where none holds it, and grade, rise over run.
    """
    gear = np.zeros(len(known), int)
    grade = np.full(len(known), np.nan)
    for number in range(2, len(road.ratios) + 1):
        needed = road.grade_for(number, known.rpm, air_g)
        fits = (needed >= GRADES[0]) & (needed <= GRADES[1])
        fits &= known.rpm / road.ratios[number - 1] <= FASTEST_KMH
        better = fits & ((gear == 0) | (np.abs(needed) < np.abs(grade)))
        gear = np.where(better, number, gear)
        grade = np.where(better, needed, grade)
    return gear, grade


def _in_time(
    chosen: list[Visit],
    known: Knowledge,
    gear: np.ndarray,
    transit_s: Floats,
    budget_s: float,
    where: Where,
) -> tuple[list[Visit], float]:
    """The visits in their order, less those that tell least until they fit the time."""
    visits = list(chosen)
    while visits:
        ordered = _in_order(visits, known, gear, where)
        states = [v.state for v in ordered]
        ways = sum(float(transit_s[i, j]) for i, j in pairwise(states))
        spent = sum(v.seconds for v in ordered) + ways
        if spent <= budget_s:
            return ordered, spent
        # What was chosen last tells least, and nothing chosen before it stands on it.
        visits.pop()
    return [], 0.0


def _in_order(visits: list[Visit], known: Knowledge, gear: np.ndarray, where: Where) -> list[Visit]:
    """Up through the gears, from low to high speed, and at a speed from low to high load.

    So every state is driven after its lower-load neighbour.
    """
    by_gear = gear if where == "road" else np.zeros(len(known), int)
    return sorted(
        visits, key=lambda v: (by_gear[v.state], known.rpm[v.state], known.map_kpa[v.state])
    )
