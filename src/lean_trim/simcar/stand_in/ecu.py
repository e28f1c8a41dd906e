"""An ECU that answers services of SAE J1979 from a drive.

References
----------
SAE J1979 / ISO 15031-5, Annex B (from memory of the standard's tables).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log

Encode = Callable[[float], bytes]


def _byte(value: float) -> bytes:
    return bytes([int(min(max(round(value), 0), 255))])


def _word(value: float) -> bytes:
    return int(min(max(round(value), 0), 65535)).to_bytes(2, "big")


PARAMETERS: Mapping[int, tuple[Role, Encode]] = {
    0x03: (Role.CLOSED_LOOP, lambda v: bytes([2 if v > 0.5 else 1, 0])),
    0x05: (Role.COOLANT, lambda v: _byte(v + 40.0)),
    0x06: (Role.STFT, lambda v: _byte((v + 100.0) * 1.28)),
    0x07: (Role.LTFT, lambda v: _byte((v + 100.0) * 1.28)),
    0x0B: (Role.MAP, lambda v: _byte(v)),
    0x0C: (Role.RPM, lambda v: _word(4.0 * v)),
    0x0D: (Role.SPEED, lambda v: _byte(v)),
    0x0E: (Role.SPARK, lambda v: _byte(2.0 * (v + 64.0))),
    0x0F: (Role.IAT, lambda v: _byte(v + 40.0)),
    0x10: (Role.MAF_FLOW, lambda v: _word(100.0 * v)),
    0x11: (Role.THROTTLE, lambda v: _byte(2.55 * v)),
    0x22: (Role.FUEL_DP, lambda v: _word(v / 0.079)),
    0x33: (Role.BARO, lambda v: _byte(v)),
    0x34: (Role.LAMBDA, lambda v: _word(v * 32768.0) + b"\x80\x00"),
    0x42: (Role.BATTERY, lambda v: _word(1000.0 * v)),
    0x44: (Role.TARGET, lambda v: _word(v * 32768.0)),
}
REFUSED = 0x7F
NO_SERVICE = 0x11
NO_PARAMETER = 0x12
ENGINE = 0x7E8


@dataclass
class StandInEcu:
    """Answers requests as an ECU would at a moment of a drive.

    Attributes
    ----------
    log : the drive.
    stored, pending : fault codes as two bytes each.
    lacks : parameters it does not have, though the drive has the channel.
    named_only : parameters it names and never answers.
    several : what it makes of a request for several parameters: "all", "first" (answers for that only),
        "none" (keeps silent) or "refused".
    heard : every request it ever got.
    """

    log: Log
    stored: Sequence[bytes] = ()
    pending: Sequence[bytes] = ()
    lacks: frozenset[int] = frozenset()
    named_only: frozenset[int] = frozenset()
    several: str = "all"
    calibration: str = "HERON-0001"
    heard: list[bytes] = field(default_factory=list)

    def __post_init__(self) -> None:
        has = {n for n, (role, _) in PARAMETERS.items() if role in self.log.channels}
        self.has = frozenset(has - self.lacks)

    def answer(self, request: bytes, time_s: float) -> bytes | None:
        """The answer to a request; None where it keeps silent, as to a functional one it cannot answer.

        Parameters
        ----------
        request : service and parameters.
        time_s : since the drive began.

        Returns
        -------
        The bytes of the answer.
        """
        self.heard.append(bytes(request))
        service = request[0]
        if service == 0x01:
            return self._live(request[1:], time_s)
        if service in (0x03, 0x07):
            codes = self.stored if service == 0x03 else self.pending
            return bytes([service + 0x40, len(codes)]) + b"".join(codes)
        if service == 0x09 and request[1:2] == b"\x04":
            return b"\x49\x04\x01" + self.calibration.encode().ljust(16, b"\0")
        if service == 0x09 and request[1:2] == b"\x06":
            return b"\x49\x06\x01" + bytes.fromhex("1A2B3C4D")
        return bytes([REFUSED, service, NO_SERVICE])

    def _live(self, numbers: bytes, time_s: float) -> bytes | None:
        out = b"\x41"
        if len(numbers) > 1 and self.several == "none":
            return None
        if len(numbers) > 1 and self.several == "refused":
            return bytes([REFUSED, 0x01, NO_PARAMETER])
        for number in numbers[:1] if self.several == "first" else numbers:
            if number % 32 == 0 and number <= 0x40:
                out += bytes([number]) + self._mask(number)
            elif number in self.has and number not in self.named_only:
                out += bytes([number]) + self._data(number, time_s)
        return out if len(out) > 1 else None

    def _mask(self, base: int) -> bytes:
        named = self.has | self.named_only
        bits = sum(1 << (base + 32 - n) for n in named if base < n <= base + 32)
        # The last bit says that another mask follows.
        bits |= any(n > base + 32 for n in named)
        return int(bits).to_bytes(4, "big")

    def _data(self, number: int, time_s: float) -> bytes:
        role, encode = PARAMETERS[number]
        at = int(np.searchsorted(self.log.time_s, time_s + float(self.log.time_s[0]), "right")) - 1
        return encode(float(self.log[role][min(max(at, 0), len(self.log) - 1)]))
