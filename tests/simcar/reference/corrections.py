"""Corrections of fuel the simulated ECU reads from tables: enrichment, fuel after a cut, warm-up, wall film.

Each falls back to what the ECU does of itself where it was given no table for it.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from lean_trim.core.data.fuel_corrections import (
    AFTER_CUT,
    AFTER_CUT_FADE,
    AIR_TEMPERATURE,
    ENRICHMENT,
    ENRICHMENT_FADE,
    THROTTLE_RATE,
    WALL_SHARE,
    WALL_TIME,
    WARM_UP,
    cells_of,
)
from lean_trim.core.data.vehicle import Vehicle
from tests.simcar.reference.lookup import CurveLookup, GridLookup

RATE_OVER_S = 0.03
"""Time constant over which the ECU takes the rate of pressure or throttle."""
FADE_S = 0.35
"""Where no table of fading was given."""


@dataclass
class Sensed:
    """What these corrections read in one step; ``cutting`` while fuel is cut."""

    time_s: float
    rpm: float
    map_kpa: float
    throttle_pct: float
    intake_c: float
    coolant_c: float
    cutting: bool


class TableCorrections:
    """State of the corrections; ``factor`` and ``onto_walls`` advance it by one step each."""

    def __init__(self, vehicle: Vehicle) -> None:
        self._tables = vehicle.corrections
        enrichment = self._tables.get(ENRICHMENT)
        self.by_throttle = enrichment is not None and enrichment.axes[0].name == THROTTLE_RATE
        self.enrichment = self._surface(ENRICHMENT)
        self.fade = self._curve(ENRICHMENT_FADE)
        self.after_cut = self._curve(AFTER_CUT)
        self.after_cut_fade = self._curve(AFTER_CUT_FADE)
        self.warm_up = self._curve(WARM_UP)
        self.air = self._curve(AIR_TEMPERATURE)
        self.share = self._curve(WALL_SHARE)
        self.wall_time = self._curve(WALL_TIME)
        self.rate = 0.0
        self.last: float | None = None
        self.added_pct = 0.0
        self.after_pct = 0.0
        self.cut_since: float | None = None
        self.film = 0.0

    def _curve(self, name: str) -> CurveLookup | None:
        table = self._tables.get(name)
        if table is None:
            return None
        return CurveLookup(table.axes[0].points.tolist(), cells_of(name, table).tolist())

    def _surface(self, name: str) -> Callable[[float, float], float] | None:
        table = self._tables.get(name)
        if table is None:
            return None
        cells = cells_of(name, table)
        if len(table.axes) == 1:
            curve = CurveLookup(table.axes[0].points.tolist(), cells.tolist())
            return lambda rate, _: curve(rate)
        return GridLookup(
            table.axes[0].points.tolist(), table.axes[1].points.tolist(), cells.tolist()
        )

    def enriched_pct(self, s: Sensed, dt: float) -> float:
        """What quick openings and closings add now, percent; the larger of the table's and what fades."""
        assert self.enrichment is not None
        value = s.throttle_pct if self.by_throttle else s.map_kpa
        slope = 0.0 if self.last is None else (value - self.last) / dt
        self.last = value
        self.rate += (slope - self.rate) * min(1.0, dt / RATE_OVER_S)
        fade = self.fade(s.rpm) if self.fade is not None else FADE_S
        self.added_pct *= math.exp(-dt / max(fade, dt))
        wanted = self.enrichment(self.rate, s.rpm)
        if abs(wanted) > abs(self.added_pct):
            self.added_pct = wanted
        return self.added_pct

    def after_cut_pct(self, s: Sensed, dt: float) -> float:
        """What is added after a cut now, percent."""
        if s.cutting:
            self.cut_since = s.time_s if self.cut_since is None else self.cut_since
            return 0.0
        if self.cut_since is not None and self.after_cut is not None:
            self.after_pct = self.after_cut(s.time_s - self.cut_since)
        self.cut_since = None
        pct = self.after_pct
        fade = self.after_cut_fade(s.rpm) if self.after_cut_fade is not None else FADE_S
        self.after_pct *= math.exp(-dt / max(fade, dt))
        return pct

    def onto_walls(self, s: Sensed, fuel: float, dt: float) -> float:
        """What has to be injected a cycle for so much to reach the cylinder, by the ECU's own film."""
        if self.share is None or self.wall_time is None:
            return fuel
        share = min(0.9, self.share(s.map_kpa) / 100.0)
        gone = 1.0 - math.exp(-dt / max(self.wall_time(s.coolant_c), dt))
        cycles = max(s.rpm, 100.0) / 120.0 * dt
        evaporated = gone * self.film
        injected = 0.0 if s.cutting else max(0.0, (fuel * cycles - evaporated) / (1.0 - share))
        self.film += share * injected - evaporated
        return injected / cycles
