"""The faults of a simulated car at work, where each of them bites."""

from __future__ import annotations

import math

import numpy as np

from lean_trim.simcar.faults import Faults
from lean_trim.simcar.faulty_log import STUCK_EVERY_S

FREE_AIR_LAMBDA = 9.0
"""What a sensor that lost its heater reports, before the meter's own end stop."""
LOADS_EVERY_S = 24.0
TAIL_HALF_G_PER_S = 2.0
"""Airflow at which air from behind counts half; an idling engine draws about as much (invented)."""
CHOKED = 0.53
"""Pressure ratio below which a leak draws all it can (textbook, air)."""
SPELL_EVERY_S = 200.0
SPELL_S = 90.0
SPELL_K = 25.0
"""Spells of hot air under the bonnet, as in traffic (invented)."""
PASS_EVERY_S = 480.0
BOOST_FROM_KPA = 15.0
BOOST_OVER_KPA = 25.0
"""Boost from which second injectors begin, and over which they open (invented)."""
MISFIRE_S = (0.25, 0.7)
MIDDLE_C = 25.0
"""Air temperature an air sensor that misreads was calibrated at (invented)."""


class FaultyParts:
    """The faults at work in one drive.

    A sound car draws no random number here, so its drive is what it was.
    """

    def __init__(self, faults: Faults, seed: int, max_flow_g_per_s: float, cylinders: int) -> None:
        self.faults = faults
        self.cylinders = cylinders
        self.max_flow = max_flow_g_per_s
        # A stream of its own, so that a fault does not change the drive it happens in.
        self.rng = np.random.default_rng([seed, 77])
        self.dropped_until = -1.0
        self.misfires_until = -1.0
        self.lagging = 1.0
        self.held = 1.0

    def fuel_dp_kpa(self, rated_kpa: float, flow_g_per_s: float, above_kpa: float = 0.0) -> float:
        """Differential pressure the pump keeps up at an airflow, and at MAP so far above the outside."""
        share = min(1.0, max(0.0, (flow_g_per_s / self.max_flow - 0.3) / 0.7))
        followed = rated_kpa - (1.0 - self.faults.regulator_follows) * above_kpa
        return followed * (1.0 - self.faults.pump_sag_pct / 100.0 * share)

    def volts(self, sound_v: float, time_s: float) -> float:
        """Battery voltage."""
        loads = self.faults.loads_v if time_s % LOADS_EVERY_S > LOADS_EVERY_S / 2.0 else 0.0
        return sound_v - (self.faults.battery_drop_v if time_s % 150.0 > 110.0 else 0.0) - loads

    def delivered(self, time_s: float) -> float:
        """Fuel delivered over fuel the injectors should deliver."""
        settling = self.faults.settle_rich_pct / 100.0 * 2.0 ** (-time_s / 60.0)
        along = min(1.0, time_s / self.faults.fuel_drift_s) - 0.5
        drift = self.faults.fuel_drift_pct / 100.0 * along
        return float(self.faults.flow_scale * (1.0 + settling + drift))

    def extra_fuel(self, above_kpa: float) -> float:
        """Fuel of second injectors over that of the first, at MAP so far above the barometer."""
        if not self.faults.extra_fuel_pct:
            return 0.0
        open_share = min(1.0, max(0.0, (above_kpa - BOOST_FROM_KPA) / BOOST_OVER_KPA))
        return self.faults.extra_fuel_pct / 100.0 * open_share

    def burnt(self, shifting: bool, misfires: bool = False) -> float:
        """Share of the fuel that burns."""
        share = 1.0 - self.faults.unburnt_share if shifting else 1.0
        return share * (1.0 - 1.0 / self.cylinders) if misfires else share

    def misfires(self, time_s: float, dt: float) -> bool:
        """Whether one cylinder does not fire now."""
        rate = self.faults.misfires_per_min
        if rate and time_s >= self.misfires_until and self.rng.random() < rate * dt / 60.0:
            self.misfires_until = time_s + self.rng.uniform(*MISFIRE_S)
        return time_s < self.misfires_until

    def lambda_read(self, lam: float, time_s: float, flow_g_per_s: float, dt: float) -> float:
        """What the sensor says when the gas at it has ``lam``."""
        faults = self.faults
        if faults.tail_air_pct:
            lam *= 1.0 + faults.tail_air_pct / 100.0 * 2.0 ** (-flow_g_per_s / TAIL_HALF_G_PER_S)
        if faults.exhaust_leak_pct:
            lam *= 1.0 + faults.exhaust_leak_pct / 100.0 * self.max_flow / max(flow_g_per_s, 0.1)
        if faults.free_air_gain != 1.0 and lam > 1.0:
            # By oxygen in the gas, which a worn cell pumps less of; free air holds all there is.
            lam = 1.0 / (1.0 - faults.free_air_gain * (1.0 - 1.0 / lam))
        if faults.sensor_lag_s:
            self.lagging += (1.0 / lam - self.lagging) * (1.0 - math.exp(-dt / faults.sensor_lag_s))
            lam = 1.0 / self.lagging
        if time_s < faults.sensor_cold_s:
            lam = FREE_AIR_LAMBDA
        may_drop = bool(faults.sensor_drops_per_min) and time_s >= self.dropped_until
        if may_drop and self.rng.random() < faults.sensor_drops_per_min * dt / 60.0:
            self.dropped_until = time_s + self.rng.uniform(0.5, 2.0)
        if time_s < self.dropped_until:
            lam = FREE_AIR_LAMBDA
        # After the drop: a stuck sensor shows neither the gas nor its loss.
        if faults.sensor_stuck_s and self.stuck(np.array(time_s)):
            return self.held
        self.held = lam
        return lam

    def metered(self, flow_g_per_s: float, map_share: float) -> float:
        """Airflow the mass-airflow sensor can show, at MAP over the barometer."""
        flow = flow_g_per_s - self.leaked(map_share)
        ceiling = self.faults.airflow_ceiling * self.max_flow
        return min(flow, ceiling) if ceiling else flow

    def leaked(self, map_share: float) -> float:
        """Air drawn in behind the airflow sensor, g/s; negative in boost, where it is blown out."""
        choked = self.faults.intake_leak_pct / 100.0 * self.max_flow
        if not choked or map_share < CHOKED:
            return choked
        low = min(map_share, 1.0 / map_share)
        high = max(1.0, map_share)
        # The ellipse that is used for orifices between choked and no flow.
        part = (
            math.sqrt(max(0.0, 1.0 - ((low - CHOKED) / (1.0 - CHOKED)) ** 2))
            if low > CHOKED
            else 1.0
        )
        return choked * part * high * (1.0 if map_share <= 1.0 else -1.0)

    def air_read(self, intake_c: float) -> float:
        """What the air sensor says."""
        return intake_c - self.faults.air_misread * (intake_c - MIDDLE_C)

    def hot_air_k(self, time_s: float) -> float:
        """How much hotter the air under the bonnet is."""
        return (
            SPELL_K
            if self.faults.air_misread and time_s % SPELL_EVERY_S > SPELL_EVERY_S - SPELL_S
            else 0.0
        )

    def climbed_kpa(self, time_s: float) -> float:
        """How far the barometer has fallen since the start."""
        if not self.faults.pass_kpa:
            return 0.0
        return self.faults.pass_kpa * 0.5 * (1.0 - math.cos(2.0 * math.pi * time_s / PASS_EVERY_S))

    def more_air(self, climbed_kpa: float) -> float:
        """Air drawn over what is drawn at the start's barometer."""
        return 1.0 + self.faults.pass_air_pct / 100.0 * climbed_kpa / 10.0

    def knock_deg(self, map_kpa: float) -> float:
        """Knock retard."""
        return 3.0 if self.faults.knock_from_kpa and map_kpa > self.faults.knock_from_kpa else 0.0

    def stuck(self, time_s: np.ndarray) -> np.ndarray:
        """True where the lambda sensor's reading does not move."""
        return np.asarray(time_s % STUCK_EVERY_S > STUCK_EVERY_S - self.faults.sensor_stuck_s)
