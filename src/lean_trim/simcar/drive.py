"""Drive the simulated car and log it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, concatenate
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError, CancelledError
from lean_trim.core.messages import Message
from lean_trim.simcar.driver import Controls, Driver
from lean_trim.simcar.ecu import Command, Ecu, Readings
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.faulty_parts import FaultyParts
from lean_trim.simcar.happened import Happened, Watcher
from lean_trim.simcar.plant import GEARS_RPM_PER_KMH, Plant
from lean_trim.simcar.truth import Truth, injectors_by_sheet, truth_for


class Say:
    """Sentences of this module."""

    MINUTES = Message("drive.minutes", "minutes is {minutes:g}; allowed is 0.2 to 240")
    CANCELLED = Message("drive.cancelled", "the drive was cancelled; nothing was changed")


STEP_S = 0.01
LOG_HZ = 25.0
CHUNK_S = 10.0
LAMBDA_RANGE = (0.65, 1.36)
WEAK_DEAD = 0.25
"""Part by which dead time grows more with a weak battery than the sheet says."""

CHANNELS: tuple[tuple[Role, float, int], ...] = (
    (Role.RPM, 5.0, 0),
    (Role.MAP, 0.25, 2),
    (Role.THROTTLE, 0.08, 1),
    (Role.IAT, 0.0, 1),
    (Role.COOLANT, 0.0, 1),
    (Role.BATTERY, 0.03, 2),
    (Role.LAMBDA, 0.004, 3),
    (Role.TARGET, 0.0, 3),
    (Role.STFT, 0.0, 2),
    (Role.LTFT, 0.0, 2),
    (Role.CLOSED_LOOP, 0.0, 0),
    (Role.PULSE_WIDTH, 0.001, 3),
    (Role.DUTY, 0.0, 1),
    (Role.FUEL_DP, 1.0, 1),
    (Role.BARO, 0.0, 1),
    (Role.SPEED, 0.05, 1),
    (Role.GEAR, 0.0, 0),
    (Role.SPARK, 0.1, 1),
    (Role.KNOCK, 0.0, 1),
)
"""Logged channels with their noise (one standard deviation) and decimals."""
BANK_CHANNELS: tuple[tuple[Role, float, int], ...] = ((Role.BANK_GAP, 1.5, 2),)
MAF_CHANNELS: tuple[tuple[Role, float, int], ...] = ((Role.MAF_HZ, 6.0, 0), (Role.MAF_FLOW, 0.0, 2))


class SimCar:
    """One simulated car on one calibration. ``step`` advances 10 ms and returns the logged values."""

    def __init__(
        self, vehicle: Vehicle, seed: int = 1, truth: Truth | None = None, faults: Faults | None = None
    ) -> None:
        self.vehicle = vehicle
        self.truth = truth or truth_for(vehicle)
        # A sensor without lag follows within one step.
        self.map_share = 1.0 - math.exp(-STEP_S / self.truth.map_lag_s) if self.truth.map_lag_s else 1.0
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
        # The sheet is for a sound supply; below it real injectors slow down by more than the sheet says.
        if self.volts != sound_v:
            weak = self.injectors.dead_at(self.volts, pressure) - self.injectors.dead_at(sound_v, pressure)
            dead += WEAK_DEAD * weak
        open_ms = self.injectors.open_ms(self.command.pulse_width_ms, dead)
        more = 1.0 + self.parts.extra_fuel(self.plant.map_kpa - self.plant.baro_kpa)
        return open_ms * 1e-3 * self.injectors.flow_at(pressure) * self.parts.delivered(self.time_s) * more

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


def drive(
    vehicle: Vehicle,
    seed: int = 1,
    minutes: float = 12.0,
    truth: Truth | None = None,
    faults: Faults | None = None,
    log_hz: float = LOG_HZ,
    happened: list[Happened] | None = None,
) -> Iterator[Log]:
    """Drive and hand out the log in pieces of about ten seconds, so that a view can follow.

    Parameters
    ----------
    happened : takes what feet, gears and fuel really did, in the order of time; None if nobody asks.

    Raises
    ------
    BadInputError
        If ``minutes`` is not from 0.2 to 240.
    """
    every = max(1, round(1.0 / (log_hz * STEP_S)))
    if not 0.2 <= minutes <= 240.0:
        raise BadInputError(Say.MINUTES(minutes=minutes))
    car = SimCar(vehicle, seed, truth, faults)
    if happened is not None:
        car.watcher = Watcher(happened)
    end = minutes * 60.0
    channels = CHANNELS + (MAF_CHANNELS if vehicle.airflow == "maf" else ())
    channels += BANK_CHANNELS if car.parts.faults.bank_gap_pct else ()
    rows: list[list[float]] = []
    # Summed steps miss a whole number of seconds by rounding.
    while car.time_s < end - 1e-9:
        car.step()
        for _ in range(every - 1):
            car.step()
        values = car.sample()
        rows.append([car.time_s, *(values[role] for role, _, _ in channels)])
        if len(rows) * STEP_S * every >= CHUNK_S:
            yield _log(rows, channels, car)
            rows = []
    # A log needs two samples; a single one at the end is not worth an error.
    if len(rows) > 1:
        yield _log(rows, channels, car)


def _log(rows: list[list[float]], channels: tuple[tuple[Role, float, int], ...], car: SimCar) -> Log:
    data = np.array(rows)
    out: dict[Role, np.ndarray] = {}
    for i, (role, noise, decimals) in enumerate(channels, 1):
        values = data[:, i] + (noise * car.rng.standard_normal(len(data)) if noise else 0.0)
        # A cut injector reads nothing at all; noise there would look like a pulse.
        if role is Role.PULSE_WIDTH:
            values = np.where(data[:, i] > 0, values, 0.0)
        if role is Role.LAMBDA:
            # Clipped after the noise: the meter ends, whatever the sensor says.
            values = np.clip(car.parts.logged_lambda(values, data[:, 0]), *LAMBDA_RANGE)
        out[role] = np.round(values, decimals)
    return Log(np.round(data[:, 0], 3), out, "drive")


def simulate(
    vehicle: Vehicle,
    seed: int = 1,
    minutes: float = 12.0,
    truth: Truth | None = None,
    progress: Callable[[float, Log], bool] | None = None,
    name: str = "drive",
    faults: Faults | None = None,
    log_hz: float = LOG_HZ,
    happened: list[Happened] | None = None,
) -> Log:
    """Drive the whole plan.

    Parameters
    ----------
    progress : called with the share done and the newest piece; returning False raises CancelledError.
    happened : takes what feet, gears and fuel really did, in the order of time; None if nobody asks.
    """
    pieces = []
    for piece in drive(vehicle, seed, minutes, truth, faults, log_hz, happened):
        pieces.append(piece)
        if progress is not None and not progress(min(1.0, piece.time_s[-1] / (60.0 * minutes)), piece):
            raise CancelledError(Say.CANCELLED())
    return concatenate(pieces, name)
