"""What can be held: between which pressures an engine runs at a speed, and what of it a road gives."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.types import Floats, Mask

AROUND_RPM = 500.0
BEYOND_KPA = 10.0
"""How far beyond the highest pressure that was seen at a speed one may get."""
LEAST_SAMPLES = 40
FLOOR_PCT = 3.0
"""Percentile of the pressures of a fuelled engine that can still be held."""
FLOOR_KPA = 30.0
FLOOR_KPA_PER_1000 = 2.0
"""Pressure that still turns an engine against its own friction, and what it rises by with 1000 1/min (common
practice, no source)."""
STANDING_KMH = 8.0
GRAVITY = 9.81
GRADES = (-0.02, 0.04)
"""Grades a road may have, rise over run."""
FASTEST_KMH = 130.0
"""Speed a plan for the road does not go beyond; local limits are lower in many places."""
LEAST_SECONDS = 60.0
ROUNDS = 30
MOST_OFF = 0.15
"""Median error of what the road takes, as a share, beyond which nothing is said of it."""
LEAST_OFF = 0.01
"""Errors below this share of a usual stroke count as this, or the fit would stand on a few samples."""


@dataclass(frozen=True, eq=False)
class Span:
    """Pressures an engine can be held at, kPa, over engine speed, 1/min."""

    rpm: Floats
    low: Floats
    high: Floats

    def holds(self, rpm: Floats, map_kpa: Floats) -> Mask:
        """Whether states can be held at all."""
        low = np.interp(rpm, self.rpm, self.low)
        high = np.interp(rpm, self.rpm, self.high)
        return np.asarray((map_kpa >= low) & (map_kpa <= high))

    def joined(self, other: Span) -> Span:
        """What either drive shows to be within reach.

        Parameters
        ----------
        other : of another drive of the same car.

        Returns
        -------
        On this one's engine speeds.
        """
        low = np.interp(self.rpm, other.rpm, other.low)
        high = np.interp(self.rpm, other.rpm, other.high)
        return Span(self.rpm, np.minimum(self.low, low), np.maximum(self.high, high))


def span_of(
    rpm: Floats, map_kpa: Floats, fuelled: Mask, baro_kpa: float, boosted: bool, redline_rpm: float
) -> Span:
    """Read the pressures an engine can be held at from a drive.

    Parameters
    ----------
    rpm, map_kpa : of the running engine, shape (n,).
    fuelled : where it was not cut, shape (n,).
    baro_kpa : barometer.
    boosted : whether it can make boost.
    redline_rpm : highest engine speed.

    Returns
    -------
    The span. Where nothing was driven the nearest speed's stands; without boost full throttle gives the
    barometer nearly, at any speed.
    """
    grid = np.arange(800.0, redline_rpm + 1.0, 250.0)
    low = np.full(len(grid), np.nan)
    high = np.full(len(grid), np.nan)
    for place, speed in enumerate(grid):
        here = np.abs(rpm - speed) <= AROUND_RPM
        if (here & fuelled).sum() < LEAST_SAMPLES:
            continue
        low[place] = np.percentile(map_kpa[here & fuelled], FLOOR_PCT)
        high[place] = map_kpa[here].max() + BEYOND_KPA
    known = np.isfinite(low)
    if not known.any():
        return Span(grid, np.full(len(grid), 30.0), np.full(len(grid), 0.97 * baro_kpa))
    # At high speed many drives hold nothing but full throttle; a brake holds less.
    friction = FLOOR_KPA + FLOOR_KPA_PER_1000 * grid / 1000.0
    low = np.minimum(np.interp(grid, grid[known], low[known]), friction)
    high = np.interp(grid, grid[known], high[known])
    top = float(map_kpa.max())
    if boosted:
        return Span(grid, low, np.minimum(high, top))
    return Span(grid, low, np.full(len(grid), min(max(top, 0.93 * baro_kpa), 0.99 * baro_kpa)))


@dataclass(frozen=True, eq=False)
class Road:
    """What a car needs on a road, read from its drives.

    Attributes
    ----------
    ratios : rpm per km/h by gear, from the first.
    a, b, c, d : air per stroke is a + (b·v² + c + d·(acceleration + g·grade)) / ratio, with v in km/h and
        accelerations in m/s².
    error : median of how far air per stroke is from that, as a share of it.
    """

    ratios: Floats
    a: float
    b: float
    c: float
    d: float
    error: float

    def grade_for(self, gear: int, rpm: Floats, air_g: Floats) -> Floats:
        """Grade that holds states in a gear, rise over run.

        Parameters
        ----------
        gear : from 1.
        rpm, air_g : of the states; air per stroke, g.

        Returns
        -------
        Shape of the states.
        """
        ratio = self.ratios[gear - 1]
        speed = rpm / ratio
        needed = (air_g - self.a) * ratio - self.b * speed**2 - self.c
        return np.asarray(needed / (self.d * GRAVITY))


@dataclass(frozen=True, eq=False)
class Reached:
    """What drives so far tell of engine and road. ``road`` is None where none told it."""

    span: Span
    road: Road | None

    def joined(self, older: Reached) -> Reached:
        """With what an older drive tells; of two roads the newer stands."""
        road = self.road if self.road is not None else older.road
        return Reached(self.span.joined(older.span), road)


def road_of(
    rpm: Floats, speed_kmh: Floats, gear: Floats, air_g: Floats, accel: Floats, steps_s: Floats
) -> Road | None:
    """Learn gear ratios and what the road takes from steady driving.

    Parameters
    ----------
    rpm, speed_kmh, gear, air_g : along used samples, shape (m,); gear 0 where unknown.
    accel : of the car, m/s².
    steps_s : time each sample stands for.

    Returns
    -------
    None where speed or gears are not known well enough.
    """
    on = (gear > 0) & (speed_kmh > STANDING_KMH) & np.isfinite(air_g) & np.isfinite(accel)
    if steps_s[on].sum() < LEAST_SECONDS:
        return None
    gears = np.arange(1, int(gear[on].max()) + 1)
    in_gear = [on & (gear == number) for number in gears]
    told = _filled(np.array([_median(rpm[here] / speed_kmh[here]) for here in in_gear]))
    if told is None:
        return None
    ratios = told
    ratio = ratios[gear[on].astype(int) - 1]
    design = np.column_stack(
        [np.ones(on.sum()), speed_kmh[on] ** 2 / ratio, 1.0 / ratio, accel[on] / ratio]
    )
    found = _least_absolute(design, air_g[on], steps_s[on])
    a, b, c, d = found.tolist()
    left = air_g[on] - design @ found
    error = float(np.median(np.abs(left / air_g[on])))
    # Force goes with speed squared and with acceleration; a fit that says otherwise saw too little, and what
    # was held by a brake follows no road at all.
    if b <= 0.0 or d <= 0.0 or error > MOST_OFF:
        return None
    return Road(ratios, a, b, c, d, error)


def _least_absolute(design: Floats, wanted: Floats, steps_s: Floats) -> Floats:
    """Coefficients of the least sum of absolute errors: hills, wind and a trailer are no part of the law."""
    scale = np.abs(design).max(axis=0)
    weight = np.sqrt(steps_s)
    least = LEAST_OFF * float(np.median(np.abs(wanted)))
    found = np.zeros(design.shape[1])
    for _ in range(ROUNDS):
        found, *_ = np.linalg.lstsq(design / scale * weight[:, None], wanted * weight, rcond=None)
        off = np.abs(wanted - design / scale @ found)
        weight = np.sqrt(steps_s / np.maximum(off, least))
    return np.asarray(found / scale)


def _median(values: Floats) -> float:
    return float(np.median(values)) if len(values) else np.nan


def _filled(ratios: Floats) -> Floats | None:
    """Ratios of gears that were not used, by the steps of the others; None where none is known."""
    known = np.flatnonzero(np.isfinite(ratios))
    if len(known) < 2:
        return None
    logs = np.interp(np.arange(len(ratios)), known, np.log(ratios[known]))
    return np.asarray(np.exp(logs))
