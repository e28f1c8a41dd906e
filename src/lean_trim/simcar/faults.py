"""Faults of the simulated car that are not its airflow table, to see whether they stay out of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    UNKNOWN_FAULT = Message("faults.unknown_fault", "--fault {name!r} is unknown; allowed are {allowed}")


FREE_AIR_LAMBDA = 9.0
"""What a sensor that lost its heater reports, before the meter's own end stop."""


STUCK_EVERY_S = 120.0
LOADS_EVERY_S = 24.0
TAIL_HALF_G_PER_S = 2.0
"""Airflow at which air from behind counts half; an idling engine draws about as much (invented)."""


@dataclass(frozen=True)
class Faults:
    """What is wrong beside the table; a sound car has 0 everywhere (invented strengths, common kinds).

    Attributes
    ----------
    pump_sag_pct : differential fuel pressure lost at the engine's largest airflow; it begins at 30 % of that
        airflow.
    battery_drop_v : volts missing for 40 s of every 150 s; dead time is then longer than the sheet's by 25 %
        of what the drop adds.
    sensor_drops_per_min : spells of 0.5 to 2 s in which the lambda sensor reads free air; the ECU believes
        it.
    sensor_stuck_s : seconds of every 120 s in which the lambda sensor's reading does not move; the ECU
        believes it.
    wild_share : share of logged lambda readings that are interference, 0 to 1; the ECU's own readings are
        sound.
    unburnt_share : share of fuel that stays unburnt while the driver shifts, 0 to 1 (spark is taken back).
    tail_air_pct : lambda read too lean by so much at no flow, half of it at idle, as with a sensor at the
        tailpipe.
    hidden_rich_pct : fuel the ECU adds at full throttle without naming it in its target.
    settle_rich_pct : fuel delivered too much after a flash, fading over three minutes.
    knock_from_kpa : manifold pressure from which knock retard is logged; 0 for none.
    airflow_ceiling : share of the engine's largest airflow at which the mass-airflow sensor is at its end; 0
        for none.
    regulator_follows : kPa the fuel rail follows the manifold by per kPa; 1 is sound.
    loads_v : volts that are missing for every other twelve seconds, as when lamps and fans are switched to
        find the voltage slope of the dead time; no fault.
    """

    pump_sag_pct: float = 0.0
    battery_drop_v: float = 0.0
    sensor_drops_per_min: float = 0.0
    sensor_stuck_s: float = 0.0
    wild_share: float = 0.0
    unburnt_share: float = 0.0
    tail_air_pct: float = 0.0
    hidden_rich_pct: float = 0.0
    settle_rich_pct: float = 0.0
    knock_from_kpa: float = 0.0
    airflow_ceiling: float = 0.0
    regulator_follows: float = 1.0
    loads_v: float = 0.0


KINDS: dict[str, Faults] = {
    "pump": Faults(pump_sag_pct=25.0),
    "battery": Faults(battery_drop_v=2.6),
    "sensor-drops": Faults(sensor_drops_per_min=3.0),
    "sensor-stuck": Faults(sensor_stuck_s=20.0),
    "interference": Faults(wild_share=0.03),
    "torque-cut": Faults(unburnt_share=0.3),
    "tailpipe": Faults(tail_air_pct=12.0),
    "hidden-enrichment": Faults(hidden_rich_pct=10.0),
    "after-flash": Faults(settle_rich_pct=10.0),
    "knock": Faults(knock_from_kpa=140.0),
    "airflow-sensor": Faults(airflow_ceiling=0.75),
    "regulator": Faults(regulator_follows=0.4),
    "loads": Faults(loads_v=1.2),
}
"""Faults by the name ``lean-trim simulate --fault`` knows them by."""


def fault_named(name: str) -> Faults:
    """A fault by name; BadInputError for an unknown one."""
    if name not in KINDS:
        raise BadInputError(Say.UNKNOWN_FAULT(name=name, allowed=", ".join(KINDS)))
    return KINDS[name]


class FaultyParts:
    """The faults at work in one drive.

    A sound car draws no random number here, so its drive is what it was.
    """

    def __init__(self, faults: Faults, seed: int, max_flow_g_per_s: float) -> None:
        self.faults = faults
        self.max_flow = max_flow_g_per_s
        # A stream of its own, so that a fault does not change the drive it happens in.
        self.rng = np.random.default_rng([seed, 77])
        self.dropped_until = -1.0
        self.held = 1.0
        self.last_logged = 1.0

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
        return float(1.0 + self.faults.settle_rich_pct / 100.0 * 2.0 ** (-time_s / 60.0))

    def burnt(self, shifting: bool) -> float:
        """Share of the fuel that burns."""
        return 1.0 - self.faults.unburnt_share if shifting else 1.0

    def lambda_read(self, lam: float, time_s: float, flow_g_per_s: float, dt: float) -> float:
        """What the sensor says when the gas at it has ``lam``."""
        faults = self.faults
        if faults.tail_air_pct:
            lam *= 1.0 + faults.tail_air_pct / 100.0 * 2.0 ** (-flow_g_per_s / TAIL_HALF_G_PER_S)
        may_drop = bool(faults.sensor_drops_per_min) and time_s >= self.dropped_until
        if may_drop and self.rng.random() < faults.sensor_drops_per_min * dt / 60.0:
            self.dropped_until = time_s + self.rng.uniform(0.5, 2.0)
        if time_s < self.dropped_until:
            lam = FREE_AIR_LAMBDA
        # After the drop: a stuck sensor shows neither the gas nor its loss.
        if self.stuck(np.array(time_s)):
            return self.held
        self.held = lam
        return lam

    def metered(self, flow_g_per_s: float) -> float:
        """Airflow the mass-airflow sensor can show."""
        ceiling = self.faults.airflow_ceiling * self.max_flow
        return min(flow_g_per_s, ceiling) if ceiling else flow_g_per_s

    def knock_deg(self, map_kpa: float) -> float:
        """Knock retard."""
        return 3.0 if self.faults.knock_from_kpa and map_kpa > self.faults.knock_from_kpa else 0.0

    def stuck(self, time_s: np.ndarray) -> np.ndarray:
        """True where the lambda sensor's reading does not move."""
        return np.asarray(time_s % STUCK_EVERY_S > STUCK_EVERY_S - self.faults.sensor_stuck_s)

    def logged_lambda(self, lam: np.ndarray, time_s: np.ndarray) -> np.ndarray:
        """Logged readings, (n,), with interference; a stuck sensor repeats its last one."""
        if self.faults.wild_share:
            wild = self.rng.random(len(lam)) < self.faults.wild_share
            lam = np.where(wild, self.rng.uniform(0.6, 1.4, len(lam)), lam)
        if self.faults.sensor_stuck_s:
            moves = ~self.stuck(time_s)
            # Last row that moved, for every row; -1 where none of this piece did.
            newest = np.maximum.accumulate(np.where(moves, np.arange(len(lam)), -1))
            lam = np.where(newest >= 0, lam[newest], self.last_logged)
            self.last_logged = float(lam[-1])
        return lam
