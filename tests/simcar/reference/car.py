"""The simulated car as objects, readable: what the compiled stepper is held against."""

from __future__ import annotations

import math

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.happened import Watcher
from lean_trim.simcar.state import GEARS_RPM_PER_KMH
from lean_trim.simcar.truth import Truth, injectors_by_sheet, truth_for
from tests.simcar.reference.driver import Controls, Driver
from tests.simcar.reference.ecu import Command, Ecu, Readings
from tests.simcar.reference.faulty_parts import FaultyParts
from tests.simcar.reference.plant import Plant

STEP_S = 0.01
LAMBDA_RANGE = (0.65, 1.36)
WEAK_DEAD = 0.25
"""Part by which dead time grows more with a weak battery than the sheet says."""


class SimCar:
    """One simulated car on one calibration. ``step`` advances 10 ms and returns the logged values."""

    def __init__(
        self,
        vehicle: Vehicle,
        seed: int = 1,
        truth: Truth | None = None,
        faults: Faults | None = None,
    ) -> None:
        self.vehicle = vehicle
        self.truth = truth or truth_for(vehicle)
        # A sensor without lag follows within one step.
        self.map_share = (
            1.0 - math.exp(-STEP_S / self.truth.map_lag_s) if self.truth.map_lag_s else 1.0
        )
        self.rng = np.random.default_rng(seed)
        faults = faults or Faults()
        self.parts = FaultyParts(faults, seed, self.truth.max_flow_g_per_s(), self.truth.cylinders)
        self.plant = Plant(self.truth, idle_gain=faults.idle_gain)
        self.map_read = self.plant.map_kpa
        self.ecu = Ecu(
            vehicle,
            hidden_rich_pct=faults.hidden_rich_pct,
            loop_lambda=1.0 + self.truth.loop_bias,
            loop_gain=faults.loop_gain,
            trim_limit_pct=faults.trim_limit_pct,
            target_swing_pct=faults.target_swing_pct,
            enrich_above_pct=faults.enrich_above_pct,
            accel_times=faults.accel_times,
            cut_from_rpm=faults.cut_from_rpm,
            cut_to_rpm=faults.cut_to_rpm,
        )
        self.misfires = False
        # Driver and noise share one stream, so that a seed fixes the whole drive.
        self.driver = Driver(self.rng, self.truth.redline_rpm, self.truth.baro_kpa)
        self.injectors = self.truth.injectors or injectors_by_sheet(vehicle, self.truth)
        self.time_s = 0.0
        self.lam = 1.0
        self.volts = 13.6
        self.command = Command()
        self.controls = Controls()
        self.watcher: Watcher | None = None

    def step(self) -> None:
        """Advance by 10 ms."""
        # In the order of cause: pedal, air, the ECU that measures it, fuel, exhaust, sensor, road.
        self.controls = self.driver.step(self.time_s, self.plant, STEP_S)
        self._outside()
        self.plant.breathe(self.controls.pedal_pct, STEP_S)
        self.map_read += self.map_share * (self.plant.map_kpa - self.map_read)
        # A slow swing, or dead time could not be told from injector flow.
        sound_v = 13.75 + 0.12 * math.sin(self.time_s / 23.0)
        self.volts = self.parts.volts(sound_v, self.time_s)
        self.command = self.ecu.step(self._readings(), STEP_S)
        self.misfires = self.parts.misfires(self.time_s, STEP_S)
        burnt = self.parts.burnt(self.shifting, self.misfires)
        lam = self.plant.burn(self._injected_g(sound_v), self.time_s, STEP_S, burnt)
        lam = self.parts.lambda_read(lam, self.time_s, self.plant.flow_g_per_s, STEP_S)
        # The ECU is fed what the meter can show, as a real one is.
        self.lam = max(LAMBDA_RANGE[0], min(LAMBDA_RANGE[1], lam))
        self._roll()
        if self.watcher is not None:
            self._watch(self.watcher)
        self.time_s += STEP_S

    @property
    def shifting(self) -> bool:
        """True while the driver changes gear."""
        return self.time_s < self.driver.shift_until

    @property
    def intake_read_c(self) -> float:
        """What the air sensor says."""
        return self.parts.air_read(self.plant.intake_c) + self.truth.soaked_k(self.time_s)

    @property
    def fuel_dp_kpa(self) -> float:
        """Differential pressure across the injectors now."""
        above = self.plant.map_kpa - self.plant.baro_kpa
        return self.parts.fuel_dp_kpa(self.injectors.rated_kpa, self.plant.flow_g_per_s, above)

    def _injected_g(self, sound_v: float) -> float:
        """Fuel of one injection, g: opening time less the true dead time, at the pressure there is."""
        if not self.command.pulse_width_ms:
            return 0.0
        pressure = self.fuel_dp_kpa
        dead = self.injectors.dead_at(self.volts, pressure) + self.parts.faults.dead_shift_ms
        # The sheet is for a sound supply; below it real injectors slow down by more than the sheet
        # says.
        if self.volts != sound_v:
            weak = self.injectors.dead_at(self.volts, pressure) - self.injectors.dead_at(
                sound_v, pressure
            )
            dead += WEAK_DEAD * weak
        open_ms = self.injectors.open_ms(self.command.pulse_width_ms, dead)
        more = 1.0 + self.parts.extra_fuel(self.plant.map_kpa - self.plant.baro_kpa)
        return (
            open_ms
            * 1e-3
            * self.injectors.flow_at(pressure)
            * self.parts.delivered(self.time_s)
            * more
        )

    def _outside(self) -> None:
        """The road's height and the heat under the bonnet."""
        climbed = self.parts.climbed_kpa(self.time_s)
        self.plant.baro_kpa = self.truth.baro_kpa - climbed
        self.plant.more_air = self.parts.more_air(climbed)
        self.plant.hot_air_k = self.parts.hot_air_k(self.time_s)

    def _metered(self) -> float:
        """Airflow the mass-airflow sensor shows, g/s."""
        return self.parts.metered(self.plant.flow_g_per_s, self.plant.map_kpa / self.plant.baro_kpa)

    def _readings(self) -> Readings:
        plant = self.plant
        return Readings(
            self.time_s,
            plant.rpm,
            self.map_read,
            plant.throttle_pct,
            self.intake_read_c,
            plant.coolant_c,
            self.volts,
            self.lam,
            self.truth.maf_hz(self._metered()),
            plant.turn,
        )

    def _watch(self, watcher: Watcher) -> None:
        watcher.step(
            self.time_s,
            pedal_pct=self.controls.pedal_pct,
            rpm=self.plant.rpm,
            speed_kmh=self.plant.speed_kmh,
            shifting=self.shifting,
            cutting=self.command.fuel_cut,
            dt=STEP_S,
        )

    def _roll(self) -> None:
        controls = self.controls
        plant = self.plant
        plant.roll(
            controls.gear,
            controls.clutch,
            controls.grade,
            controls.brake,
            STEP_S,
            0.0 if self.command.fuel_cut else self.parts.burnt(False, self.misfires),
        )
        # The hill or dyno holds only once the gear is in; before that the road moves the car.
        if controls.hold_rpm and controls.clutch and controls.gear == self.driver.leg.gear:
            drift = STEP_S / 1.2
            plant.rpm += (controls.hold_rpm - plant.rpm) * drift
            from_gear = plant.rpm / GEARS_RPM_PER_KMH[controls.gear]
            plant.speed_kmh = from_gear

    def sample(self) -> dict[Role, float]:
        """Noise-free values of every channel now."""
        plant = self.plant
        command = self.command
        values = {
            Role.RPM: plant.rpm,
            Role.MAP: self.map_read,
            Role.THROTTLE: plant.throttle_pct,
            Role.IAT: self.intake_read_c,
            Role.COOLANT: plant.coolant_c,
            Role.BATTERY: self.volts,
            Role.LAMBDA: self.lam,
            Role.TARGET: command.target,
            Role.STFT: command.stft_pct,
            Role.LTFT: command.ltft_pct,
            Role.CLOSED_LOOP: float(command.closed_loop),
            Role.PULSE_WIDTH: command.pulse_width_ms,
            Role.DUTY: command.pulse_width_ms * plant.rpm / 1200.0,
            Role.FUEL_DP: self.fuel_dp_kpa,
            Role.BARO: plant.baro_kpa,
            Role.SPEED: plant.speed_kmh,
            Role.GEAR: float(self.controls.gear),
            Role.SPARK: 34.0
            - 0.14 * plant.map_kpa
            - (24.0 if self.parts.burnt(self.shifting) < 1.0 else 0.0),
            Role.KNOCK: self.parts.knock_deg(plant.map_kpa),
        }
        if self.vehicle.airflow == "maf":
            values[Role.MAF_HZ] = self.truth.maf_hz(self._metered())
            values[Role.MAF_FLOW] = command.airflow_g_per_s
        if self.parts.faults.bank_gap_pct:
            values[Role.BANK_GAP] = self.parts.faults.bank_gap_pct
        return values
