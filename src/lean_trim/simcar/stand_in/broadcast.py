"""A bus on which an ECU broadcasts a drive and answers what it is asked."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.simcar.stand_in.adapter import frames_of
from lean_trim.simcar.stand_in.ecu import ENGINE, StandInEcu
from lean_trim.simcar.stand_in.terminal import Terminal


@dataclass(frozen=True)
class Sent:
    """A signal of a frame: its name, of which channel, in which steps and unit; two bytes, signed."""

    name: str
    role: Role
    step: float
    unit: str


FRAMES: Mapping[int, tuple[str, tuple[Sent, ...]]] = {
    0x200: (
        "Engine",
        (
            Sent("EngineSpeed", Role.RPM, 1.0, "rpm"),
            Sent("ManifoldPressure", Role.MAP, 0.01, "kPa"),
            Sent("ThrottlePosition", Role.THROTTLE, 0.1, "%"),
            Sent("IgnitionAdvance", Role.SPARK, 0.1, "deg"),
        ),
    ),
    0x201: (
        "Fuel",
        (
            Sent("Lambda", Role.LAMBDA, 0.001, "lambda"),
            Sent("TargetLambda", Role.TARGET, 0.001, "lambda"),
            Sent("InjectorPulseWidth", Role.PULSE_WIDTH, 0.001, "ms"),
            Sent("InjectorDuty", Role.DUTY, 0.1, "%"),
        ),
    ),
    0x202: (
        "Trims",
        (
            Sent("ShortTermTrim", Role.STFT, 0.01, "%"),
            Sent("LongTermTrim", Role.LTFT, 0.01, "%"),
            Sent("ClosedLoop", Role.CLOSED_LOOP, 1.0, ""),
            Sent("KnockRetard", Role.KNOCK, 0.1, "deg"),
        ),
    ),
    0x203: (
        "Slow",
        (
            Sent("IntakeAirTemperature", Role.IAT, 0.1, "degC"),
            Sent("CoolantTemperature", Role.COOLANT, 0.1, "degC"),
            Sent("BatteryVoltage", Role.BATTERY, 0.01, "V"),
            Sent("BarometricPressure", Role.BARO, 0.1, "kPa"),
        ),
    ),
    0x204: (
        "More",
        (
            Sent("FuelDifferentialPressure", Role.FUEL_DP, 0.1, "kPa"),
            Sent("VehicleSpeed", Role.SPEED, 0.1, "km/h"),
            Sent("Gear", Role.GEAR, 1.0, ""),
            Sent("MassAirFlow", Role.MAF_FLOW, 0.01, "g/s"),
        ),
    ),
}
LOOK_S = 0.002
BEGIN_S = 1.0e9
"""Stamps of frames begin here, as those of an interface with a clock of its own."""


def dbc_text(log: Log) -> str:
    """What the frames mean, as a DBC; only of channels the drive has."""
    lines = ['VERSION ""', "", "BU_: ECU", ""]
    for number, (name, signals) in FRAMES.items():
        lines.append(f"BO_ {number} {name}: 8 ECU")
        for place, sent in enumerate(signals):
            if sent.role in log.channels:
                # Bit, length, Intel order, signed.
                lines.append(
                    f' SG_ {sent.name} : {16 * place}|16@1- ({sent.step:g},0) [0|0] "{sent.unit}" ECU'
                )
        lines.append("")
    return "\n".join(lines)


def frames_at(log: Log, row: int) -> list[tuple[int, bytes]]:
    """Frames that carry one row of a drive: identifier and eight bytes."""
    out = []
    for number, (_, signals) in FRAMES.items():
        counts = [
            round(float(log[s.role][row]) / s.step) if s.role in log.channels else 0
            for s in signals
        ]
        data = np.clip(counts, -32768, 32767).astype("<i2").tobytes()
        out.append((number, data.ljust(8, b"\0")))
    return out


class StandInBus:
    """Broadcasts a drive in a thread and answers requests; used as a context.

    Parameters
    ----------
    bus : of python-can, to send on.
    log : the drive.
    now : seconds of the drive.
    ecu : answers requests; None leaves them unanswered.
    """

    def __init__(
        self, bus: Any, log: Log, now: Callable[[], float], ecu: StandInEcu | None = None
    ) -> None:
        self.bus = bus
        self.log = log
        self.now = now
        self.ecu = ecu
        self.row = 0
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._serve, daemon=True)

    def __enter__(self) -> StandInBus:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        self._thread.join()

    @property
    def is_over(self) -> bool:
        """Whether the whole drive was sent."""
        return self.row >= len(self.log)

    def _serve(self) -> None:
        import can

        zero = float(self.log.time_s[0])
        while not self._stop.is_set():
            now = self.now()
            while not self.is_over and float(self.log.time_s[self.row]) - zero <= now:
                stamp = BEGIN_S + float(self.log.time_s[self.row])
                for number, data in frames_at(self.log, self.row):
                    frame = can.Message(
                        arbitration_id=number, data=data, is_extended_id=False, timestamp=stamp
                    )
                    self.bus.send(frame)
                self.row += 1
            self._answer()

    def _answer(self) -> None:
        if self.ecu is None:
            time.sleep(LOOK_S)
            return
        frame = self.bus.recv(LOOK_S)
        if frame is None or frame.arbitration_id not in (0x7DF, 0x7E0):
            return
        size = frame.data[0]
        # Flow control and anything longer than one frame is not answered.
        if not 0 < size < 8:
            return
        answer = self.ecu.answer(bytes(frame.data[1 : 1 + size]), self.now())
        if answer is not None:
            self._send_answer(answer)

    def _send_answer(self, answer: bytes) -> None:
        import can

        first, *rest = frames_of(answer)
        self.bus.send(can.Message(arbitration_id=ENGINE, data=first, is_extended_id=False))
        if not rest:
            return
        until = time.monotonic() + 1.0
        while time.monotonic() < until:
            frame = self.bus.recv(0.1)
            # "Clear to send", ISO 15765-2.
            if frame is not None and frame.arbitration_id == 0x7E0 and frame.data[0] == 0x30:
                for data in rest:
                    self.bus.send(
                        can.Message(arbitration_id=ENGINE, data=data, is_extended_id=False)
                    )
                return


class SerialBus(Terminal):
    """An interface that passes frames as lines of text over a serial line (the common serial-line CAN form).

    Parameters
    ----------
    log : the drive it broadcasts.
    link : where its device is found.
    now : seconds of the drive.
    """

    def __init__(self, log: Log, link: Path, now: Callable[[], float]) -> None:
        super().__init__(link)
        self.log = log
        self.now = now
        self.row = 0
        self.told: list[bytes] = []
        self.is_open = False
        self._line = b""

    def take(self, data: bytes) -> None:
        """Commands: open, listen, close, bit rate, version."""
        self._line += data
        while b"\r" in self._line:
            line, _, self._line = self._line.partition(b"\r")
            self.told.append(line)
            if line[:1] in (b"O", b"L"):
                self.is_open = True
            elif line[:1] == b"C":
                self.is_open = False
            self.send({b"V": b"V1013\r", b"N": b"NA123\r"}.get(line[:1], b"\r"))

    def idle(self) -> None:
        """Send what is due."""
        zero = float(self.log.time_s[0])
        while self.row < len(self.log) and float(self.log.time_s[self.row]) - zero <= self.now():
            if self.is_open:
                for number, data in frames_at(self.log, self.row):
                    self.send(f"t{number:03X}8{data.hex().upper()}\r".encode("ascii"))
            self.row += 1


class StandInLines(Terminal):
    """A wideband controller that writes a line for every reading.

    Parameters
    ----------
    log : the drive.
    link : where its device is found.
    now : seconds of the drive.
    form : of a line, with ``{value}`` for lambda.
    heading : a line sent at the beginning, if any.
    """

    def __init__(
        self,
        log: Log,
        link: Path,
        now: Callable[[], float],
        form: str = "lambda={value:.3f}",
        heading: str = "",
    ) -> None:
        super().__init__(link)
        self.log = log
        self.now = now
        self.form = form
        self.heading = heading
        self.row = 0

    def take(self, data: bytes) -> None:
        """It listens to nobody."""

    def idle(self) -> None:
        """Send the lines that are due."""
        zero = float(self.log.time_s[0])
        while self.row < len(self.log) and float(self.log.time_s[self.row]) - zero <= self.now():
            if self.row == 0 and self.heading:
                self.send(self.heading.encode() + b"\r\n")
            value = float(self.log[Role.LAMBDA][self.row])
            self.send(self.form.format(value=value).encode() + b"\r\n")
            self.row += 1
