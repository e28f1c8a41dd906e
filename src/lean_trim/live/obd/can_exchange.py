"""ECUs asked over CAN without an adapter in between: ISO 15765-4 on ISO 15765-2."""

from __future__ import annotations

import time
from contextlib import suppress
from typing import Any

from lean_trim.core.messages import Message
from lean_trim.live.can.bus import BusAddress, open_bus
from lean_trim.live.obd.allowed import REFUSAL, request
from lean_trim.live.obd.answers import PENDING, Answer, Heard
from lean_trim.live.source import LostError


class Say:
    """Sentences of this module."""

    NO_ECU = Message(
        "can_exchange.no_ecu",
        "no engine ECU answers on {channel}; is the ignition on, and the bit rate right?",
    )
    GONE = Message("can_exchange.gone", "the bus {channel} is not there any more ({why})")


ENGINE = 0x7E0
ANSWERS_FROM = 8
"""An ECU answers eight above the identifier it is asked by (ISO 15765-4)."""
ENGINE_LONG = 0x10
TESTER_LONG = 0xF1
"""Target and source address of 29-bit identifiers."""
ANSWER_S = 0.2
"""An ECU answers within 50 ms (P2 of ISO 15765-4); an interface on a serial line adds its own."""
PENDING_S = 5.0
MOST_ON_CAN = 6


class CanExchange:
    """Asks the engine's ECU.

    Parameters
    ----------
    at : the bus.
    """

    most = MOST_ON_CAN
    counts_codes = True

    def __init__(self, at: BusAddress) -> None:
        self.at = at
        self._bus: Any = None
        self._stack: Any = None
        self._ecu = ""

    def open(self) -> None:
        """Find the engine's ECU, by 11-bit identifiers and then by 29-bit ones."""
        self.close()
        self._bus = open_bus(self.at, listens=False)
        for long in (False, True):
            self._begin(long)
            if self.ask(request(bytes((0x01, 0x00)))).answers:
                return
        self.close()
        raise LostError(Say.NO_ECU(channel=self.at.channel))

    def _begin(self, long: bool) -> None:
        import isotp

        self._end_stack()
        if long:
            address = isotp.Address(
                isotp.AddressingMode.NormalFixed_29bits,
                target_address=ENGINE_LONG,
                source_address=TESTER_LONG,
            )
            self._ecu = f"{ENGINE_LONG:02X}"
        else:
            address = isotp.Address(
                isotp.AddressingMode.Normal_11bits, txid=ENGINE, rxid=ENGINE + ANSWERS_FROM
            )
            self._ecu = f"{ENGINE + ANSWERS_FROM:03X}"
        # Frames of eight bytes, as ISO 15765-4 has them.
        self._stack = isotp.CanStack(
            bus=self._bus, address=address, params={"tx_padding": 0x55, "tx_data_min_length": 8}
        )
        self._stack.start()

    def ask(self, data: bytes) -> Heard:
        """Ask it."""
        sent = request(data)
        try:
            while self._stack.recv(block=False) is not None:
                # A late answer to the question before.
                pass
            self._stack.send(sent)
            whole = self._answer(sent[0])
        # The library and the interface have errors of their own.
        except Exception as error:
            self.close()
            why = (str(error).splitlines() or [type(error).__name__])[0]
            raise LostError(Say.GONE(channel=self.at.channel, why=why)) from error
        return Heard() if whole is None else Heard((Answer(self._ecu, whole),))

    def _answer(self, service: int) -> bytes | None:
        until = time.monotonic() + ANSWER_S
        while (left := until - time.monotonic()) > 0.0:
            got = self._stack.recv(block=True, timeout=left)
            if got is None:
                continue
            data = bytes(got)
            if len(data) >= 3 and data[0] == REFUSAL and data[1] == service and data[2] == PENDING:
                until = time.monotonic() + PENDING_S
                continue
            return data
        return None

    def close(self) -> None:
        """Let it go."""
        self._end_stack()
        if self._bus is not None:
            with suppress(Exception):
                self._bus.shutdown()
            self._bus = None

    def _end_stack(self) -> None:
        if self._stack is not None:
            with suppress(Exception):
                self._stack.stop()
            self._stack = None
