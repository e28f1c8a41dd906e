"""An adapter with AT commands on a serial line or a TCP address."""

from __future__ import annotations

import re
import time
from collections.abc import Sequence

from lean_trim.core.messages import Message
from lean_trim.live.obd.allowed import command, request
from lean_trim.live.obd.answers import CAN, Heard, heard, lines_of
from lean_trim.live.serial_port import SOCKET, SerialPort
from lean_trim.live.source import LostError


class Say:
    """Sentences of this module."""

    NO_ADAPTER = Message(
        "adapter.no_adapter",
        "{target} does not answer as an adapter (tried {bauds} baud); is it plugged in and switched on?",
    )
    NO_PROMPT = Message("adapter.no_prompt", "{target} does not answer any more")


BAUDS = (38400, 115200, 9600, 57600, 230400, 500000)
"""Rates adapters are set to, the usual first."""
PROMPT = b">"
RESET_S = 2.5
ANSWER_S = 3.0
SEARCH_S = 15.0
"""While an adapter tries one protocol after the other."""
QUIET_S = 0.2
MOST_ANSWER = 1 << 16
SETTINGS = ("E0", "L0", "S0", "H1", "M0", "AT1")
"""No echo, no line feeds, no blanks, headers, nothing remembered, adaptive waiting. The first has to be
understood; an adapter that lacks another goes on without."""
ANY_PROTOCOL = "TP0"
MOST_ON_CAN = 6
PROTOCOL = re.compile("A?[1-9ABC]")
USUAL = "6"


def protocol_in(lines: Sequence[str]) -> str:
    """The digit of the protocol an adapter names, perhaps with an A for one it found by itself.

    Returns 11-bit CAN at 500 kbit/s, what cars have, of an adapter that does not know the question.
    """
    named = lines[-1] if lines else ""
    return named[-1] if PROTOCOL.fullmatch(named) else USUAL


class Adapter:
    """Speaks to an adapter; only what ``allowed`` lets through is sent.

    Parameters
    ----------
    target : a device or ``socket://HOST:PORT``.
    baud : of the device; 0 tries what is usual.
    """

    def __init__(self, target: str, baud: int = 0) -> None:
        self.target = target
        self.bauds: Sequence[int] = (baud,) if baud else BAUDS
        if target.startswith(SOCKET):
            self.bauds = self.bauds[:1]
        self.most = 1
        self.counts_codes = True
        self.protocol = ""
        self.identity = ""
        self._port = SerialPort(target, self.bauds[0])
        self._counts_lines = True

    def open(self) -> None:
        """Find the adapter and the car."""
        self._find()
        for setting in SETTINGS:
            self._command(setting)
        self._command(ANY_PROTOCOL)
        self._counts_lines = False
        self.protocol = USUAL
        # The first request has the adapter look for the protocol, which the next command then names.
        found = self._exchange(request(bytes((0x01, 0x00))), SEARCH_S)
        if found.trouble is not None:
            self.close()
            raise LostError(found.trouble)
        self.protocol = protocol_in(lines_of(self._command("DPN")))
        on_can = self.protocol in CAN
        self.most = MOST_ON_CAN if on_can else 1
        self.counts_codes = on_can

    def ask(self, data: bytes) -> Heard:
        """Ask the car."""
        found = self._exchange(request(data), ANSWER_S)
        if found.is_lost:
            self.close()
            assert found.trouble is not None
            raise LostError(found.trouble)
        return found

    def close(self) -> None:
        """Let it go."""
        self._port.close()

    def _exchange(self, data: bytes, wait_s: float) -> Heard:
        sent = data.hex().upper()
        return heard(self._tell(sent, wait_s), self.protocol, sent)

    def _find(self) -> None:
        for baud in self.bauds:
            self._port.baud = baud
            self._port.open()
            if self._answers():
                return
        self._port.close()
        tried = ", ".join(str(b) for b in self.bauds)
        raise LostError(Say.NO_ADAPTER(target=self.target, bauds=tried))

    def _answers(self) -> bool:
        """Whether something that takes AT commands is there: it knows one, and comes back with its prompt."""
        self._drain()
        try:
            named = lines_of(self._tell("AT" + command("Z"), RESET_S))
            if self._understood("E0"):
                self.identity = named[-1] if named else ""
                return True
        except LostError:
            # Nothing at this rate; the next is tried.
            pass
        return False

    def _understood(self, setting: str) -> bool:
        return "OK" in lines_of(self._command(setting))

    def _command(self, text: str) -> str:
        return self._tell("AT" + command(text), ANSWER_S)

    def _tell(self, text: str, wait_s: float) -> str:
        """Send a line and take what comes up to the prompt."""
        self._port.write(text.encode("ascii") + b"\r")
        taken = bytearray()
        until = time.monotonic() + wait_s
        while PROMPT not in taken:
            left = until - time.monotonic()
            if left <= 0.0 or len(taken) > MOST_ANSWER:
                raise LostError(Say.NO_PROMPT(target=self.target))
            taken += self._port.read(min(left, QUIET_S))
        # What was still on its way from the question before ends with a prompt of its own.
        return taken[: taken.rindex(PROMPT)].decode("ascii", "replace")

    def _drain(self) -> None:
        while self._port.read(QUIET_S):
            pass
