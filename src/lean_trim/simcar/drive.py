"""Drive the simulated car and log it."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, concatenate
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError, CancelledError
from lean_trim.core.messages import Message
from lean_trim.simcar.faults import Faults
from lean_trim.simcar.faulty_log import FaultyLog
from lean_trim.simcar.happened import Happened, Watcher
from lean_trim.simcar.plan import Leg, plan
from lean_trim.simcar.state import (
    COLUMNS,
    LEAVING,
    LTFT_BLOCKS,
    PIPE,
    STEP_S,
    Array,
    book_of,
    car_record,
    first_state,
)
from lean_trim.simcar.truth import Truth, injectors_by_sheet, truth_for


class Say:
    """Sentences of this module."""

    MINUTES = Message("drive.minutes", "minutes is {minutes:g}; allowed is 0.2 to 240")
    CANCELLED = Message("drive.cancelled", "the drive was cancelled; nothing was changed")


LOG_HZ = 25.0
CHUNK_S = 10.0
LAMBDA_RANGE = (0.65, 1.36)
TRACED = 6
"""What a watcher is told of every step: time, pedal, rpm, speed, shifting, fuel cut."""

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

POSITION_CHANNELS: tuple[tuple[Role, float, int], ...] = ((Role.TABLE_POSITION, 0.1, 1),)
SOURCE_CHANNELS: tuple[tuple[Role, float, int], ...] = ((Role.AIRFLOW_SOURCE, 0.0, 2),)


class SimCar:
    """One simulated car on one calibration, compiled."""

    def __init__(
        self,
        vehicle: Vehicle,
        seed: int = 1,
        truth: Truth | None = None,
        faults: Faults | None = None,
        legs: Iterator[Leg] | None = None,
    ) -> None:
        self.vehicle = vehicle
        self.truth = truth or truth_for(vehicle)
        self.faults = faults or Faults()
        self.injectors = self.truth.injectors or injectors_by_sheet(vehicle, self.truth)
        # Driver and noise share one stream, so that a seed fixes the whole drive; faults have their
        # own, so that a fault does not change the drive it happens in.
        self.rng = np.random.default_rng(seed)
        self.fault_rng = np.random.default_rng([seed, 77])
        self.legs = legs or plan(self.rng, self.truth.redline_rpm, self.truth.baro_kpa)
        self.book, places = book_of(vehicle, self.injectors)
        self.car = car_record(vehicle, self.truth, self.injectors, self.faults, places)
        self.state = first_state(self.truth)
        self.ltft = np.zeros(LTFT_BLOCKS)
        self.leaving = np.zeros((LEAVING, 2))
        self.pipe = np.zeros((PIPE, 2))
        self._take(next(self.legs))

    @property
    def time_s(self) -> float:
        """Seconds driven."""
        return float(self.state["time_s"][0])

    def _take(self, leg: Leg) -> None:
        """Begin a leg."""
        state = self.state
        state["leg_kind"] = leg.kind
        state["leg_seconds"] = leg.seconds
        state["leg_gear"] = leg.gear
        state["leg_value"] = leg.value
        state["leg_load_kpa"] = leg.load_kpa
        state["leg_load_end_kpa"] = leg.load_end_kpa
        # The first step of a leg is driven whatever it asks, so that a plan always goes on.
        state["leg_is_new"] = 1.0
        state["arrived"] = 0.0

    def _next_leg(self) -> None:
        self._take(next(self.legs))
        self.state["began"] = self.state["time_s"]
        self.state["integral"] = min(max(float(self.state["foot"][0]), 6.0), 30.0)

    def advance(self, steps: int, every: int) -> tuple[Array, Array]:
        """Drive on.

        Parameters
        ----------
        steps : of ``STEP_S`` each.
        every : steps between two rows, >= 1.

        Returns
        -------
        Rows of time and ``COLUMNS`` without noise, and what a watcher is told of every step.
        """
        # Imported where it is used: Numba takes half a second.
        from lean_trim.simcar import stepper

        rows = np.empty((steps // every, 1 + len(COLUMNS)))
        trace = np.empty((steps, TRACED))
        done = 0
        while True:
            done = stepper.advance(
                self.state,
                self.car,
                self.book,
                self.ltft,
                self.leaving,
                self.pipe,
                self.rng,
                self.fault_rng,
                done,
                steps,
                every,
                rows,
                trace,
            )
            self._check_rings()
            if done >= steps:
                return rows, trace
            self._next_leg()

    def _check_rings(self) -> None:
        """Gas that has overtaken itself would be read as newer gas."""
        state = self.state
        inside = (
            float((state[f"{ring}_to"] - state[f"{ring}_from"])[0]) < size
            for ring, size in (("leaving", LEAVING), ("pipe", PIPE))
        )
        assert all(inside), "more exhaust is on its way than there is room for"


def drive(
    vehicle: Vehicle,
    seed: int = 1,
    minutes: float = 12.0,
    truth: Truth | None = None,
    faults: Faults | None = None,
    log_hz: float = LOG_HZ,
    happened: list[Happened] | None = None,
    legs: Iterator[Leg] | None = None,
) -> Iterator[Log]:
    """Drive and hand out the log in pieces of about ten seconds, so that a view can follow.

    Parameters
    ----------
    happened : takes what feet, gears and fuel really did, in the order of time; None if nobody
        asks.
    legs : what is driven, without an end; the driver's own way if None.

    Raises
    ------
    BadInputError
        If ``minutes`` is not from 0.2 to 240.
    """
    every = max(1, round(1.0 / (log_hz * STEP_S)))
    if not 0.2 <= minutes <= 240.0:
        raise BadInputError(Say.MINUTES(minutes=minutes))
    car = SimCar(vehicle, seed, truth, faults, legs)
    watcher = None if happened is None else Watcher(happened)
    blended = vehicle.other is not None
    channels = CHANNELS + (MAF_CHANNELS if vehicle.airflow == "maf" or blended else ())
    channels += SOURCE_CHANNELS if blended else ()
    channels += POSITION_CHANNELS if vehicle.layers else ()
    channels += BANK_CHANNELS if car.faults.bank_gap_pct else ()
    log_faults = FaultyLog(car.faults, car.fault_rng)
    piece = int(np.ceil(CHUNK_S / (STEP_S * every) - 1e-9))
    # Summed steps miss a whole number of seconds by rounding.
    left = int(np.ceil((minutes * 60.0 - 1e-9) / (STEP_S * every) - 1e-9))
    while left > 0:
        count = min(piece, left)
        rows, trace = car.advance(count * every, every)
        left -= count
        if watcher is not None:
            watcher.follow(trace, STEP_S)
        # A log needs two samples; a single one at the end is not worth an error.
        if count > 1:
            yield _log(rows, channels, car, log_faults)


def _log(
    data: Array, channels: tuple[tuple[Role, float, int], ...], car: SimCar, log_faults: FaultyLog
) -> Log:
    out: dict[Role, np.ndarray] = {}
    for role, noise, decimals in channels:
        if role is Role.BANK_GAP:
            plain = np.full(len(data), car.faults.bank_gap_pct)
        else:
            plain = data[:, 1 + COLUMNS.index(role)]
        values = plain + (noise * car.rng.standard_normal(len(data)) if noise else 0.0)
        # A cut injector reads nothing at all; noise there would look like a pulse.
        if role is Role.PULSE_WIDTH:
            values = np.where(plain > 0, values, 0.0)
        if role is Role.LAMBDA:
            # Clipped after the noise: the meter ends, whatever the sensor says.
            values = np.clip(log_faults.logged_lambda(values, data[:, 0]), *LAMBDA_RANGE)
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
    legs: Iterator[Leg] | None = None,
) -> Log:
    """Drive the whole plan.

    Parameters
    ----------
    progress : called with the share done and the newest piece; returning False raises
        CancelledError.
    happened : takes what feet, gears and fuel really did, in the order of time; None if nobody
        asks.
    legs : what is driven, without an end; the driver's own way if None.
    """
    pieces = []
    for piece in drive(vehicle, seed, minutes, truth, faults, log_hz, happened, legs):
        pieces.append(piece)
        if progress is not None and not progress(
            min(1.0, piece.time_s[-1] / (60.0 * minutes)), piece
        ):
            raise CancelledError(Say.CANCELLED())
    return concatenate(pieces, name)
