"""The driver of the reference car: follows the plan, step by step."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.simcar.plan import plan
from lean_trim.simcar.state import GEARS_RPM_PER_KMH, Kind
from tests.simcar.reference.plant import Plant

APPROACH_S = 25.0
"""Longest time spent getting to a leg's gear and speed."""


@dataclass
class Controls:
    """What the driver does in one step. ``hold_rpm`` > 0 asks the dyno or hill to hold that speed."""

    pedal_pct: float = 0.0
    gear: int = 0
    clutch: bool = False
    brake: float = 0.0
    grade: float = 0.0
    hold_rpm: float = 0.0


class Driver:
    """Follows the plan; ``step`` returns the controls."""

    def __init__(self, rng: np.random.Generator, redline_rpm: float, top_kpa: float) -> None:
        self.rng = rng
        self.redline = redline_rpm
        self.legs = plan(rng, redline_rpm, top_kpa)
        self.leg = next(self.legs)
        self.began = 0.0
        self.arrived = False
        self.gear = 1
        self.shift_until = 0.0
        self.pedal = 0.0
        self.integral = 12.0
        self.wander = 0.0

    def step(self, time_s: float, plant: Plant, dt: float) -> Controls:
        """Decide pedal, gear and clutch for this step."""
        if self._done(time_s, plant):
            self.leg = next(self.legs)
            self.began = time_s
            self.arrived = False
            self.integral = min(max(self.pedal, 6.0), 30.0)
        self.wander += (-self.wander * dt / 2.5) + 0.35 * float(
            self.rng.standard_normal()
        ) * dt**0.5
        wanted: Controls = getattr(self, f"_{self.leg.kind.name.lower()}")(time_s, plant, dt)
        shifting = time_s < self.shift_until
        limit = (260.0 if self.leg.kind in (Kind.PULL, Kind.BLIP) else 75.0) * dt
        if shifting:
            wanted.pedal_pct = 0.0
            wanted.clutch = False
            limit = 500.0 * dt
        self.pedal += max(-3 * limit, min(limit, wanted.pedal_pct - self.pedal))
        wanted.pedal_pct = max(0.0, self.pedal)
        return wanted

    def _done(self, time_s: float, plant: Plant) -> bool:
        spent = time_s - self.began
        if self.leg.kind is Kind.PULL and plant.rpm >= self.leg.value:
            return True
        if self.leg.kind is Kind.COAST and plant.speed_kmh <= self.leg.value:
            return True
        extra = APPROACH_S if self.leg.kind is Kind.HOLD and not self.arrived else 0.0
        return spent >= self.leg.seconds + extra

    def _select(self, gear: int, time_s: float) -> None:
        if gear != self.gear and time_s >= self.shift_until:
            self.gear += 1 if gear > self.gear else -1
            self.shift_until = time_s + 0.45

    def _towards_gear(self, plant: Plant, time_s: float) -> None:
        """One gear at a time towards the leg's gear.

        Up once revs allow it, down before the engine labours.
        """
        here = plant.speed_kmh * GEARS_RPM_PER_KMH[self.gear]
        up = plant.speed_kmh * GEARS_RPM_PER_KMH[min(self.gear + 1, 5)]
        enough = 1600.0 if self.leg.kind is not Kind.HOLD else min(1600.0, 0.85 * self.leg.value)
        if self.gear < self.leg.gear and up > enough:
            self._select(self.gear + 1, time_s)
        elif self.gear > 1 and (
            here < 1050.0 or (self.gear > self.leg.gear and here < 0.5 * self.redline)
        ):
            self._select(self.gear - 1, time_s)

    def _cruise(self, time_s: float, plant: Plant, dt: float) -> Controls:
        return self._approach(self.leg.value, time_s, plant, dt)

    def _approach(self, speed_kmh: float, time_s: float, plant: Plant, dt: float) -> Controls:
        self._towards_gear(plant, time_s)
        gap = speed_kmh - plant.speed_kmh
        self.integral = max(
            0.0, min(45.0, self.integral + 0.35 * gap * dt if abs(gap) < 12 else self.integral)
        )
        pedal = min(52.0, self.integral + 1.1 * gap + self.wander)
        if plant.speed_kmh < 5.0:
            pedal = 16.0
        clutch = plant.speed_kmh > 4.0 or pedal > 10.0
        return Controls(
            pedal if pedal > 2.5 else 0.0, self.gear, clutch, brake=1.5 if gap < -14 else 0.0
        )

    def _hold(self, time_s: float, plant: Plant, dt: float) -> Controls:
        there = self.leg.value / GEARS_RPM_PER_KMH[self.leg.gear]
        if not self.arrived and time_s - self.began < APPROACH_S:
            self.arrived = self.gear == self.leg.gear and abs(plant.speed_kmh / there - 1.0) < 0.12
            self.began = time_s if self.arrived else self.began
            return self._approach(there, time_s, plant, dt)
        spent = (time_s - self.began) / self.leg.seconds
        load = self.leg.load_kpa + (self.leg.load_end_kpa - self.leg.load_kpa) * min(
            max(spent * 1.25 - 0.2, 0.0), 1.0
        )
        self.integral = max(0.0, min(60.0, self.integral + 0.5 * (load - plant.map_kpa) * dt))
        pedal = self.integral + 0.12 * (load - plant.map_kpa) + 0.3 * self.wander
        return Controls(max(pedal, 2.6), self.gear, True, hold_rpm=self.leg.value)

    def _pull(self, time_s: float, plant: Plant, dt: float) -> Controls:
        if self.gear != self.leg.gear and time_s - self.began < APPROACH_S:
            return self._approach(
                0.3 * self.redline / GEARS_RPM_PER_KMH[self.leg.gear], time_s, plant, dt
            )
        return Controls(100.0, self.gear, True)

    def _coast(self, time_s: float, plant: Plant, dt: float) -> Controls:
        low = plant.speed_kmh * GEARS_RPM_PER_KMH[self.gear] < 1050
        if low:
            self._select(max(1, self.gear - 1), time_s)
        return Controls(0.0, self.gear, not (low and self.gear == 1), brake=0.5)

    def _idle(self, time_s: float, plant: Plant, dt: float) -> Controls:
        stopped = plant.speed_kmh < 1.0
        if stopped:
            self._select(1, time_s)
        clutch = plant.speed_kmh * GEARS_RPM_PER_KMH[self.gear] > 1000
        return Controls(0.0, self.gear, clutch, brake=2.5)

    def _blip(self, time_s: float, plant: Plant, dt: float) -> Controls:
        on = (time_s - self.began) % 1.9 < 0.35
        return Controls(22.0 if on else 0.0, self.gear, False, brake=2.5)
