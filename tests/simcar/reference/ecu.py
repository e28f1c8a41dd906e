"""The simulated control unit: table look-up, target lambda, trims, fuel cut and enrichments."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from lean_trim.core.data.vehicle import Vehicle
from tests.simcar.reference.corrections import Sensed, TableCorrections
from tests.simcar.reference.lookup import CurveLookup, GridLookup

LTFT_RPM = (1500.0, 2500.0, 4000.0)
LTFT_LOAD = (35.0, 55.0, 80.0)
FULL_THROTTLE_PCT = 78.0
WARM_UP_PER_K = 0.0034
WARM_UP_BELOW_C = 72.0
"""What the ECU adds of itself to a cold engine, where it was given no table."""


@dataclass
class Readings:
    """What the ECU's sensors tell it in one step."""

    time_s: float
    rpm: float
    map_kpa: float
    throttle_pct: float
    intake_c: float
    coolant_c: float
    volts: float
    lam: float
    maf_hz: float
    turn: float = 0.0


@dataclass
class Command:
    """What the ECU decided in one step."""

    pulse_width_ms: float = 0.0
    target: float = 1.0
    stft_pct: float = 0.0
    ltft_pct: float = 0.0
    closed_loop: bool = False
    fuel_cut: bool = False
    airflow_g_per_s: float = 0.0


@dataclass
class Ecu:
    """State of the control unit; ``step`` advances it."""

    vehicle: Vehicle
    stft: float = 0.0
    ltft: list[float] = field(default_factory=lambda: [0.0] * 16)
    cutting: bool = False
    closed_since: float = -1.0
    accel: float = 0.0
    last_map: float = 40.0
    refuelled_at: float = 0.0
    hidden_rich_pct: float = 0.0
    loop_lambda: float = 1.0
    """Lambda at which a narrowband sensor switches, as the loop sees it."""
    loop_gain: float = 1.0
    trim_limit_pct: float = 0.0
    target_swing_pct: float = 0.0
    enrich_above_pct: float = 0.0
    accel_times: float = 1.0
    cut_from_rpm: float = 1700.0
    cut_to_rpm: float = 1300.0

    def __post_init__(self) -> None:
        target = self.vehicle.target
        self.grid = self.curve = None
        for airflow in ("ve", "maf"):
            seen = self.vehicle.seen_by(airflow)
            table = seen.table
            points = [a.points.tolist() for a in table.axes]
            if seen.airflow == "ve":
                self.grid = GridLookup(points[0], points[1], table.values.tolist())
            else:
                self.curve = CurveLookup(points[0], table.values.tolist())
        # The table of the cam turned as far as it goes, where there are two.
        self.turned = None
        if self.vehicle.layers:
            far = self.vehicle.seen_by("ve_2").table
            axes = [a.points.tolist() for a in far.axes]
            self.turned = GridLookup(axes[0], axes[1], far.values.tolist())
        # Share of the sensor in the airflow, and the pressure as a blended ECU sees it move.
        self.source_maf = float(self.grid is None)
        self.slow_map = 36.0
        self.target = None
        if target is not None:
            self.target = GridLookup(
                target.axes[0].points.tolist(),
                target.axes[1].points.tolist(),
                target.values.tolist(),
            )
        self.dead = CurveLookup(
            self.vehicle.injectors.volts.tolist(), self.vehicle.injectors.dead_time_ms.tolist()
        )
        self.cylinder_l = self.vehicle.cylinder_l
        self.tables = TableCorrections(self.vehicle) if self.vehicle.corrections else None
        injectors = self.vehicle.injectors
        self.small = None
        if len(injectors.small_open_ms):
            self.small = CurveLookup(
                injectors.small_open_ms.tolist(), injectors.small_add_ms.tolist()
            )

    def step(self, s: Readings, dt: float) -> Command:
        """Decide this step's injection."""
        target = self._target(s)
        air = self._air_g(s, dt)
        flow = air * self.vehicle.cylinders * s.rpm / 120.0
        self._fuel_cut(s)
        block = self._block(s)
        closed = self._closed_loop(s, target)
        if closed:
            self._learn(s, target, block, flow, dt)
        else:
            self.stft *= math.exp(-dt / 0.3)
        fuel = air / (self.vehicle.stoich_afr * target) * self._enrichment(s, dt)
        fuel *= (1 + self.stft / 100) * (1 + self.ltft[block] / 100)
        if self.tables is not None:
            fuel = self.tables.onto_walls(self._sensed(s), fuel, dt)
        if s.throttle_pct > FULL_THROTTLE_PCT:
            fuel *= 1 + self.hidden_rich_pct / 100
        width = 0.0
        if not self.cutting and s.rpm > 200:
            width = fuel / self.vehicle.injectors.flow_g_per_s * 1e3
            width += (self.small(width) if self.small else 0.0) + self.dead(s.volts)
            width = min(width, 119000.0 / s.rpm)
        return Command(width, target, self.stft, self.ltft[block], closed, self.cutting, flow)

    def _target(self, s: Readings) -> float:
        target = self.target(s.map_kpa, s.rpm) if self.target else 1.0
        if s.throttle_pct < self.enrich_above_pct:
            target = max(target, 1.0)
        if self.target_swing_pct and target > 0.95:
            target *= 1.0 + self.target_swing_pct / 100.0 * (1.0 if s.time_s % 2.0 < 1.0 else -1.0)
        return target

    def _air_g(self, s: Readings, dt: float) -> float:
        if self.grid is not None and self.curve is not None:
            self._change_over(s, dt)
        air = 0.0
        if self.grid is not None and self.source_maf < 1.0:
            density = s.map_kpa / (0.28705 * (s.intake_c + 273.15))
            ve = self.grid(s.map_kpa, s.rpm)
            if self.turned is not None:
                ve = (1.0 - s.turn) * ve + s.turn * self.turned(s.map_kpa, s.rpm)
            reckoned = ve / 100 * density * self.cylinder_l
            air += (1.0 - self.source_maf) * reckoned
        if self.curve is not None and self.source_maf > 0.0:
            flow = self.curve(s.maf_hz)
            metered = flow * 120.0 / (self.vehicle.cylinders * max(s.rpm, 100.0))
            air += self.source_maf * metered
        return air

    def _change_over(self, s: Readings, dt: float) -> None:
        rule = self.vehicle.airflow_source
        self.slow_map += (s.map_kpa - self.slow_map) * dt / 0.15
        rate = 100.0 * abs(s.map_kpa - self.slow_map) / 0.15 / s.map_kpa
        moves = rule.ve_above_map_rate > 0.0 and rate > rule.ve_above_map_rate
        wanted = 0.0 if s.rpm < rule.ve_below_rpm or moves else 1.0
        self.source_maf += (wanted - self.source_maf) * dt / 0.12
        if abs(wanted - self.source_maf) < 0.02:
            self.source_maf = wanted

    def _fuel_cut(self, s: Readings) -> None:
        if self.cutting and (s.throttle_pct > 2.0 or s.rpm < self.cut_to_rpm):
            self.cutting = False
            self.refuelled_at = s.time_s
            self.stft = 0.0
        elif (
            not self.cutting
            and s.throttle_pct < 1.2
            and s.rpm > self.cut_from_rpm
            and s.coolant_c > 45
        ):
            self.cutting = True

    def _closed_loop(self, s: Readings, target: float) -> bool:
        # A narrowband sensor can hold nothing but lambda 1.
        least = (
            0.95 - self.target_swing_pct / 100.0 if self.vehicle.feedback == "wideband" else 0.99
        )
        ready = (
            s.coolant_c > 55.0
            and s.time_s > 25.0
            and s.throttle_pct < FULL_THROTTLE_PCT
            and target > least
        )
        ready = ready and not self.cutting and s.time_s - self.refuelled_at > 1.2
        return ready and self.vehicle.feedback != "none"

    def _learn(self, s: Readings, target: float, block: int, flow: float, dt: float) -> None:
        error = s.lam / target - 1.0
        if self.vehicle.feedback == "narrowband":
            error = s.lam / self.loop_lambda - 1.0
            swing = 6.0 * self.loop_gain
            self.stft += (swing if error > 0 else -swing) * dt * min(1.0, 0.3 + flow / 20.0)
        else:
            gain = self.loop_gain * min(1.6, 0.5 + flow / 15.0)
            self.stft += 100.0 * max(-0.15, min(0.15, error)) * dt * gain
        short, long = (self.trim_limit_pct,) * 2 if self.trim_limit_pct else (20.0, 15.0)
        self.stft = max(-short, min(short, self.stft))
        step = self.stft * dt / 15.0
        self.ltft[block] = max(-long, min(long, self.ltft[block] + step))
        self.stft -= step

    def _sensed(self, s: Readings) -> Sensed:
        return Sensed(
            s.time_s,
            s.rpm,
            s.map_kpa,
            s.throttle_pct,
            s.intake_c,
            s.coolant_c,
            cutting=self.cutting,
        )

    def _enrichment(self, s: Readings, dt: float) -> float:
        own = self._own_enrichment(s, dt)
        warm_up = WARM_UP_PER_K * max(0.0, WARM_UP_BELOW_C - s.coolant_c)
        if self.tables is None:
            return 1.0 + own + warm_up
        sensed = self._sensed(s)
        if self.tables.enrichment is not None:
            own = self.tables.enriched_pct(sensed, dt) / 100.0
        own += self.tables.after_cut_pct(sensed, dt) / 100.0
        if self.tables.warm_up is not None:
            warm_up = self.tables.warm_up(s.coolant_c) / 100.0
        air = self.tables.air(s.intake_c) / 100.0 if self.tables.air is not None else 0.0
        return (1.0 + own + warm_up) * (1.0 + air)

    def _own_enrichment(self, s: Readings, dt: float) -> float:
        slope = (s.map_kpa - self.last_map) / dt
        self.last_map = s.map_kpa
        self.accel *= math.exp(-dt / 0.35)
        if slope > 40.0:
            self.accel = min(0.30, self.accel + 0.0012 * slope * dt * 4.0)
        return self.accel_times * self.accel

    def _block(self, s: Readings) -> int:
        i = sum(s.rpm > edge for edge in LTFT_RPM)
        j = sum(s.map_kpa > edge for edge in LTFT_LOAD)
        return 4 * j + i
