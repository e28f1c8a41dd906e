"""The simulated engine and car: intake filling, turbo, wall film, exhaust transport, road."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field

from lean_trim.simcar.state import GEARS_RPM_PER_KMH
from lean_trim.simcar.truth import Truth

IDLE_RPM = 900.0
IDLE_VALVE_S = 0.5
"""How late a valve follows whose loop is set too sharp; a sound one follows at once."""


@dataclass
class Exhaust:
    """Plug flow from valve to sensor.

    A parcel leaves one cycle after injection and arrives once it was pushed through.
    """

    volume_l: float
    tau_s: float
    leaving: deque[tuple[float, float]] = field(default_factory=deque)
    pipe: deque[tuple[float, float]] = field(default_factory=deque)
    pushed_l: float = 0.0
    at_sensor: float = 0.0
    reading: float = 0.0

    def step(self, time_s: float, phi: float, rpm: float, litres_per_s: float, dt: float) -> float:
        """Equivalence ratio the sensor element reports now."""
        # Injected, burnt and pushed out: one cycle, 720 degrees.
        self.leaving.append((time_s + 120.0 / max(rpm, 300.0), phi))
        self.pushed_l += litres_per_s * dt
        while self.leaving and self.leaving[0][0] <= time_s:
            self.pipe.append((self.pushed_l, self.leaving.popleft()[1]))
        # By volume pushed, not by time, so that the delay follows the flow.
        while self.pipe and self.pushed_l - self.pipe[0][0] >= self.volume_l:
            self.at_sensor = self.pipe.popleft()[1]
        self.reading += (self.at_sensor - self.reading) * (1.0 - math.exp(-dt / self.tau_s))
        return self.reading


@dataclass
class Plant:
    """State of engine and car. Pedal, gear and clutch come from the driver."""

    truth: Truth
    rpm: float = 850.0
    map_kpa: float = 36.0
    boost_kpa: float = 0.0
    coolant_c: float = 30.0
    intake_c: float = 20.0
    speed_kmh: float = 0.0
    film_g: float = 0.0
    throttle_pct: float = 0.0
    air_g: float = 0.1
    flow_g_per_s: float = 1.0
    baro_kpa: float = 0.0
    more_air: float = 1.0
    hot_air_k: float = 0.0
    idle_gain: float = 1.0
    idle_valve: float = 0.0145
    turn: float = 0.0

    def __post_init__(self) -> None:
        self.most_flow = self.truth.max_flow_g_per_s()
        self.exhaust = Exhaust(self.truth.exhaust_volume_l, self.truth.sensor_tau_s)
        self.coolant_c = self.truth.start_coolant_c
        self.baro_kpa = self.truth.baro_kpa
        self.intake_c = self.truth.ambient_c + 4.0

    def breathe(self, pedal_pct: float, dt: float) -> None:
        """Throttle, manifold filling, turbo: sets MAP, air per cylinder and airflow."""
        self.throttle_pct += (pedal_pct - self.throttle_pct) * (1.0 - math.exp(-dt / 0.05))
        idle_air = self._idle_air(dt) if self.throttle_pct < 3.0 else 0.0
        area = idle_air + (max(self.throttle_pct, 0.0) / 100.0) ** 1.5
        upstream = self.baro_kpa + self.boost_kpa
        share = 3.0 * 6500.0 / max(self.rpm, 200.0) * area
        # Small openings choke, large ones give what stands before them; smooth between.
        settled = upstream * share / (1.0 + share**4) ** 0.25
        # Leakage past the plate and the rings: no manifold goes to vacuum.
        settled = max(settled, 17.0)
        ve = self.truth.ve_pct(self.rpm, self.map_kpa) / 100.0 * self.more_air
        if self.truth.turn_pct:
            speed = min(max((self.rpm - 1500.0) / 2000.0, 0.0), 1.0)
            wanted = speed * min(max((self.map_kpa - 35.0) / 40.0, 0.0), 1.0)
            self.turn += (wanted - self.turn) * dt / 0.3
            swing = math.cos(3.8 * self.rpm / self.truth.redline_rpm)
            loaded = 0.5 + self.map_kpa / 200.0
            ve *= 1.0 + self.turn * self.truth.turn_pct / 100.0 * swing * loaded
        if self.baro_kpa != self.truth.baro_kpa:
            # What is left in the cylinder has expanded against the exhaust.
            left = (1.05 * self.baro_kpa / self.map_kpa) ** (1.0 / 1.33)
            usual = (1.05 * self.truth.baro_kpa / self.map_kpa) ** (1.0 / 1.33)
            ve *= (10.0 - left) / (10.0 - usual)
        # A manifold of 1.3 displacements fills through the throttle faster than the engine empties
        # it.
        tau = 1.3 * 120.0 / (max(self.rpm, 300.0) * ve) * (0.55 if settled > self.map_kpa else 1.0)
        self.map_kpa += (settled - self.map_kpa) * (1.0 - math.exp(-dt / tau))
        self._spool(dt)
        charge_c = self.truth.charge_c(self.intake_c, self.coolant_c, self.flow_g_per_s)
        density = self.map_kpa / (0.28705 * (charge_c + 273.15))
        self.air_g = ve * density * self.truth.displacement_l / self.truth.cylinders
        self.flow_g_per_s = self.air_g * self.truth.cylinders * self.rpm / 120.0

    def _idle_air(self, dt: float) -> float:
        """What the idle valve lets through: more below idle speed, less above."""
        wanted = min(0.02, max(0.007, 0.0145 + (IDLE_RPM - self.rpm) * 2.2e-5 * self.idle_gain))
        if self.idle_gain == 1.0:
            return wanted
        self.idle_valve += (wanted - self.idle_valve) * (1.0 - math.exp(-dt / IDLE_VALVE_S))
        return self.idle_valve

    def _spool(self, dt: float) -> None:
        if not self.truth.turbo:
            return
        drive = self.flow_g_per_s / (0.33 * self.most_flow)
        wanted = (
            self.truth.max_boost_kpa * min(1.0, drive**1.6) if self.throttle_pct > 25.0 else 0.0
        )
        self.boost_kpa += (wanted - self.boost_kpa) * (
            1.0 - math.exp(-dt / (0.55 if wanted > self.boost_kpa else 0.25))
        )

    def burn(self, injected_g: float, time_s: float, dt: float, burnt_share: float = 1.0) -> float:
        """Wall film, combustion, exhaust: returns lambda at the sensor element.

        Of fuel that does not burn the sensor sees only the air that was left over.
        """
        share, tau = self.truth.wall(self.coolant_c, self.map_kpa, self.rpm)
        cycles = self.rpm / 120.0 * dt
        evaporated = self.film_g * (1.0 - math.exp(-dt / tau))
        injected = injected_g * cycles
        self.film_g += share * injected - evaporated
        # What went onto the walls earlier burns now (the x-tau model).
        burnt = (1.0 - share) * injected + evaporated
        burnt_share *= self.truth.burnt(self.coolant_c)
        phi = burnt_share * burnt * self.truth.stoich_afr / max(self.air_g * cycles, 1e-9)
        # Exhaust weighs air and fuel, and fills its volume at 800 K.
        litres = self.flow_g_per_s * 1.07 * 0.28705 * 800.0 / self.baro_kpa
        reading = self.exhaust.step(time_s, phi, self.rpm, litres, dt)
        self._heat(dt)
        # After a fuel cut there is no fuel in the gas at all.
        return 1.0 / max(reading, 0.02)

    def _heat(self, dt: float) -> None:
        fire = 0.09 + 0.012 * min(self.flow_g_per_s, 40.0)
        self.coolant_c += (
            (fire * 1.7 if self.coolant_c < 86.0 else 0.0)
            * dt
            * (1.0 if self.coolant_c < 80 else 0.5)
        )
        # The thermostat opens.
        if self.coolant_c > 89.0:
            self.coolant_c -= 0.3 * dt
        hot = (
            self.truth.ambient_c
            + self.hot_air_k
            + 4.0
            + 0.16 * self.boost_kpa
            + 5.0 * math.exp(-self.flow_g_per_s / 12.0)
        )
        self.intake_c += (hot - self.intake_c) * dt / 18.0

    def roll(
        self, gear: int, clutch: bool, grade: float, brake: float, dt: float, firing: float
    ) -> None:
        """Engine and road speed.

        ``clutch`` True means engaged, ``brake`` in m/s², ``grade`` as slope, ``firing`` a share.
        """
        cycle_air = self.air_g * self.truth.cylinders
        friction = 15.0 + 0.003 * self.rpm + 0.24 * max(0.0, self.baro_kpa - self.map_kpa)
        torque = 96.0 * cycle_air * firing - friction
        metres = self.speed_kmh / 3.6
        mass = self.truth.mass_kg
        resist = 0.42 * metres**2 + mass * 9.81 * (0.013 * min(metres, 1.0) + grade) + mass * brake
        if clutch and gear > 0:
            per_metre = GEARS_RPM_PER_KMH[gear] * 3.6 * math.pi / 30.0
            inertia = mass + 0.17 * per_metre**2
            metres = max(0.0, metres + (0.93 * torque * per_metre - resist) / inertia * dt)
            self.speed_kmh = metres * 3.6
            locked = self.speed_kmh * GEARS_RPM_PER_KMH[gear]
            # The clutch slips a moment, and is pressed before the engine stalls.
            self.rpm += (max(locked, 780.0) - self.rpm) * min(1.0, dt / 0.08)
        else:
            self.rpm += torque / 0.16 * 30.0 / math.pi * dt
            self.speed_kmh = max(0.0, metres - resist / mass * dt) * 3.6
        self.rpm = min(max(self.rpm, 500.0), self.truth.redline_rpm * 1.04)
