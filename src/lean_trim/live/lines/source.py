"""``lines:`` a wideband controller or a home-made logger that writes a line for every reading."""

from __future__ import annotations

import math
import os
import select
import sys
from collections.abc import Sequence
from typing import Protocol

from lean_trim.core.messages import Message, Said
from lean_trim.formats.recording.frames import Channel, Stream
from lean_trim.live.address import Address
from lean_trim.live.lines.parsing import LineReader
from lean_trim.live.serial_port import BAUDS, SerialPort, check_target
from lean_trim.live.source import WAIT_S, Clock, LostError, Reading


class Say:
    """Sentences of this module."""

    NO_TEXT = Message(
        "lines.no_text",
        "{target} sends no lines of text at {baud} baud; another rate may be set in it (…?baud=…)",
    )
    NOT_UNDERSTOOD = Message(
        "lines.not_understood",
        "{target}: {count} lines in a row say nothing that can be read, the last {line!r}; allowed are JSON "
        "objects, NAME=VALUE, and values below a line of names (or …?names=lambda,afr)",
    )
    SKIPPED = Message(
        "lines.skipped", "{count} lines of {target} could not be read and were left out"
    )


STANDARD_INPUT = "-"
OPTIONS = ("baud", "names")
BAUD = 115200
MOST_LINE = 4096
"""Bytes without an end of line that are no line any more."""
JUDGED_LINES = 40
"""So many lines that say nothing, one after the other, are no slips."""
JUDGED_BYTES = 200
TEXT_SHARE = 0.9
"""Share of printable bytes below which what comes is no text: a wrong rate makes it about a half."""


class Port(Protocol):
    """Where the bytes come from."""

    target: str

    def open(self) -> None:
        """Open it."""

    def read(self, wait_s: float) -> bytes:
        """What has come."""
        ...

    def close(self) -> None:
        """Let it go."""


class StandardInput:
    """Bytes that are piped into the program."""

    target = "standard input"

    def open(self) -> None:
        """It is open already."""

    def read(self, wait_s: float) -> bytes:
        """What has come; EOFError at its end."""
        if not select.select([sys.stdin.fileno()], [], [], wait_s)[0]:
            return b""
        data = os.read(sys.stdin.fileno(), 65536)
        if not data:
            raise EOFError
        return data

    def close(self) -> None:
        """It stays open for whoever started the program."""


class LinesSource:
    """Lines from a device, an address, or standard input.

    Parameters
    ----------
    address : of scheme ``lines``.
    clock : of the session.
    """

    paced = True

    def __init__(self, address: Address, clock: Clock) -> None:
        address.allow(OPTIONS)
        self.address = address.text
        self.clock = clock
        self.baud = round(address.number("baud", BAUD, *BAUDS))
        self.names = [n for n in address.options.get("names", "").split(",") if n.strip()]
        if address.target == STANDARD_INPUT:
            self.port: Port = StandardInput()
        else:
            check_target(address)
            self.port = SerialPort(address.target, self.baud)
        self._streams: dict[tuple[Channel, ...], Stream] = {}
        self._skipped = 0
        self._begin()

    def _begin(self) -> None:
        self._reader = LineReader(self.names)
        self._rest = b""
        # A device is heard in the middle of a line, whose rest would pass for a smaller number.
        self._in_line = not isinstance(self.port, StandardInput)
        self._silent = 0
        self._judged = bytearray()

    def open(self) -> None:
        """Begin to hear it."""
        self._begin()
        self.port.open()

    def close(self) -> None:
        """Let it go."""
        self.port.close()

    def read(self) -> Sequence[Reading]:
        """Lines that have come since."""
        data = self.port.read(WAIT_S)
        if not data:
            return ()
        now = self.clock.now()
        self._judge(data)
        self._rest += data
        *lines, self._rest = self._rest.replace(b"\r", b"\n").split(b"\n")
        if len(self._rest) > MOST_LINE:
            raise LostError(Say.NO_TEXT(target=self.port.target, baud=self.baud))
        out: list[Reading] = []
        for line in lines:
            if self._in_line:
                self._in_line = False
                continue
            reading = self._taken(line, now)
            if reading is not None:
                out.append(reading)
        return out

    def doubts(self) -> Sequence[Said]:
        """How many lines could not be read."""
        if not self._skipped:
            return ()
        return (Say.SKIPPED(count=self._skipped, target=self.port.target),)

    def _judge(self, data: bytes) -> None:
        """What comes at a wrong rate is noise, of which a line may by chance be a number."""
        self._judged += data[-JUDGED_BYTES:]
        del self._judged[:-JUDGED_BYTES]
        if len(self._judged) < JUDGED_BYTES:
            return
        text = sum(1 for b in self._judged if 32 <= b < 127 or b in b"\t\r\n" or b >= 0xC2)
        if text < TEXT_SHARE * len(self._judged):
            raise LostError(Say.NO_TEXT(target=self.port.target, baud=self.baud))

    def _taken(self, line: bytes, now: float) -> Reading | None:
        if not line.strip():
            return None
        text = line.decode("utf-8", "replace")
        said = self._reader.read(text)
        if said is None:
            self._silent += 1
            self._skipped += self._silent > 1
            if self._silent >= JUDGED_LINES:
                raise LostError(
                    Say.NOT_UNDERSTOOD(target=self.port.target, count=self._silent, line=text[:60])
                )
            return None
        self._silent = 0
        channels = tuple(said)
        stream = self._streams.get(channels)
        if stream is None:
            stream = self._streams[channels] = Stream(self.address, "line", channels)
        values = tuple(said.values())
        return None if all(math.isnan(v) for v in values) else Reading(stream, now, values)
