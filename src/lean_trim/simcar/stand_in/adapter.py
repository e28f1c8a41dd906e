"""An adapter with AT commands between a serial line and a simulated ECU."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from lean_trim.simcar.stand_in.ecu import StandInEcu
from lean_trim.simcar.stand_in.terminal import Terminal

IDENTITY = "STAND-IN v1.0"
FRAME = 7
FIRST = 6
"""Bytes of an answer in a following frame, and in the first one (ISO 15765-2)."""


@dataclass(frozen=True)
class Manner:
    """How an adapter behaves.

    Attributes
    ----------
    delay_s : from a request to its answer.
    echo : whether it repeats what it is told until told otherwise.
    searches : whether it says so before the first answer.
    spaces : between bytes, until told otherwise.
    spoils : share of answers that come damaged.
    silent : share of requests it has NO DATA for.
    finds_nothing : there is no ECU.
    """

    delay_s: float = 0.0
    echo: bool = True
    searches: bool = True
    spaces: bool = True
    spoils: float = 0.0
    silent: float = 0.0
    finds_nothing: bool = False


class StandInAdapter(Terminal):
    """Speaks the common AT commands over 11-bit CAN at 500 kbit/s.

    Parameters
    ----------
    ecu : behind it.
    link : where its device is found.
    now : seconds of the drive.
    manner : how it behaves.
    """

    def __init__(
        self, ecu: StandInEcu, link: Path, now: Callable[[], float], manner: Manner | None = None
    ) -> None:
        super().__init__(link)
        self.ecu = ecu
        self.now = now
        self.manner = manner or Manner()
        self.told: list[str] = []
        self._line = b""
        self._random = random.Random(1)
        self._reset()

    def _reset(self) -> None:
        self.echo = self.manner.echo
        self.spaces = self.manner.spaces
        self.headers = False
        self.line_end = "\r\n"
        self.searched = not self.manner.searches

    def take(self, data: bytes) -> None:
        """Bytes from the program."""
        if self.echo:
            self.send(data)
        self._line += data
        while b"\r" in self._line:
            line, _, self._line = self._line.partition(b"\r")
            text = line.decode("ascii", "replace").replace(" ", "").upper()
            self.told.append(text)
            answer = self._command(text[2:]) if text.startswith("AT") else self._request(text)
            self.send((answer + self.line_end + self.line_end[:1] + ">").encode("ascii"))

    def _command(self, text: str) -> str:
        if text in ("Z", "WS"):
            self._reset()
            return self.line_end + IDENTITY
        if text in ("E0", "E1"):
            self.echo = text == "E1"
        elif text in ("S0", "S1"):
            self.spaces = text == "S1"
        elif text in ("H0", "H1"):
            self.headers = text == "H1"
        elif text in ("L0", "L1"):
            self.line_end = "\r\n" if text == "L1" else "\r"
        elif text == "I":
            return IDENTITY
        elif text == "DPN":
            return "A6"
        elif text == "RV":
            return "13.8V"
        elif not text.startswith(("TP", "AT", "ST", "M0", "D", "PC")):
            return "?"
        return "OK"

    def _request(self, text: str) -> str:
        try:
            asked = bytes.fromhex(text)
        except ValueError:
            return "?"
        if not asked:
            return "?"
        if self.manner.delay_s:
            time.sleep(self.manner.delay_s)
        searching = "" if self.searched else "SEARCHING..." + self.line_end
        if self.manner.finds_nothing:
            return searching + "UNABLE TO CONNECT"
        self.searched = True
        answer = self.ecu.answer(asked, self.now())
        if answer is None or self._random.random() < self.manner.silent:
            return searching + "NO DATA"
        lines = [self._shown(frame) for frame in frames_of(answer)]
        if self._random.random() < self.manner.spoils:
            lines = [line[: len(line) // 2] + "<DATA ERROR" for line in lines]
        return searching + self.line_end.join(lines)

    def _shown(self, frame: bytes) -> str:
        head = "7E8" if self.headers else ""
        gap = " " if self.spaces else ""
        # Without headers an adapter shows the data alone; the stand-in is always asked for headers.
        return gap.join([*([head] if head else []), *(f"{b:02X}" for b in frame)])


def frames_of(answer: bytes) -> list[bytes]:
    """Frames of eight bytes that carry an answer."""
    if len(answer) <= FRAME:
        return [(bytes([len(answer)]) + answer).ljust(8, b"\xaa")]
    frames = [bytes([0x10 | len(answer) >> 8, len(answer) & 255]) + answer[:FIRST]]
    rest = answer[FIRST:]
    for number, at in enumerate(range(0, len(rest), FRAME), 1):
        frames.append((bytes([0x20 | number & 15]) + rest[at : at + FRAME]).ljust(8, b"\xaa"))
    return frames
