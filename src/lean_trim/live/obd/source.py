"""``obd:`` an ECU that is asked for its parameters, as fast as it answers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lean_trim.core.messages import Message, Said
from lean_trim.formats.recording.frames import Stream
from lean_trim.live.address import Address, parse_address
from lean_trim.live.can.bus import bus_address
from lean_trim.live.obd.adapter import Adapter
from lean_trim.live.obd.allowed import Service
from lean_trim.live.obd.answers import Heard, refusal_in, values_in
from lean_trim.live.obd.can_exchange import CanExchange
from lean_trim.live.obd.car import ENGINE_SPEED, Car, find_car, one_value, read_codes
from lean_trim.live.obd.codes import FaultCode
from lean_trim.live.obd.exchange import Exchange
from lean_trim.live.obd.pids import wanted
from lean_trim.live.serial_port import BAUDS, check_target
from lean_trim.live.source import Clock, LostError, Reading


class Say:
    """Sentences of this module."""

    SILENT = Message(
        "obd.silent", "the ECU has not answered {count} requests in a row; is the ignition off?"
    )
    DAMAGED = Message("obd.damaged", "{count} answers of the ECU came damaged and were left out")
    LEFT_OUT = Message(
        "obd.left_out", "the ECU names {name} and does not answer for it; it is not asked any more"
    )

    SINGLY = Message(
        "obd.singly",
        "the ECU answers one parameter a request, and is asked for one at a time: slower",
    )


SCHEME = "obd"
OPTIONS = ("baud", "bitrate")
OVER_CAN = "can:"
SILENT_TIMES = 15
"""Requests without an answer after which the ECU is taken for gone."""
SEVERAL_TRIES = 3
"""Requests for several parameters that brought none, or one, after which it is asked for one at a time."""
UNANSWERED_TIMES = 5
"""Times one parameter may stay unanswered before it is not asked any more."""


def exchange_for(address: Address) -> Exchange:
    """The way to the ECU that an address names: an adapter, or a bus.

    Parameters
    ----------
    address : ``obd:/dev/…``, ``obd:socket://host:port`` or ``obd:can:INTERFACE/CHANNEL``.

    Returns
    -------
    Not open yet.

    Raises
    ------
    BadInputError
        If it names neither.
    """
    address.allow(OPTIONS)
    if address.target.startswith(OVER_CAN):
        return CanExchange(bus_address(address, address.target.removeprefix(OVER_CAN)))
    check_target(address)
    given = "baud" in address.options
    return Adapter(address.target, round(address.number("baud", 0.0, *BAUDS)) if given else 0)


def read_codes_at(text: str) -> tuple[FaultCode, ...] | None:
    """Read stored and pending fault codes of a car, and let it go again; slow enough for a thread.

    Parameters
    ----------
    text : address of scheme ``obd``.

    Returns
    -------
    Codes; None where no ECU answers the question.

    Raises
    ------
    BadInputError
        If the address is wrong.
    LostError
        If the car cannot be reached.
    """
    exchange = exchange_for(parse_address(text, (SCHEME,)))
    exchange.open()
    try:
        return read_codes(exchange)
    finally:
        exchange.close()


def requests(fast: Sequence[int], slow: Sequence[int], most: int) -> Iterator[tuple[int, ...]]:
    """Parameters of one request after the other, without end.

    Parameters
    ----------
    fast : asked for in every round.
    slow : one of them a round, or as many as there is room for beside the fast ones.
    most : parameters a request may name.

    Yields
    ------
    Parameters, at least one.
    """
    turn = 0
    while True:
        room = -len(fast) % most if most > 1 else 0
        count = min(max(room, 1), len(slow))
        beside = [slow[(turn + i) % len(slow)] for i in range(count)]
        turn += count
        whole = [*fast, *beside]
        for at in range(0, len(whole), most):
            yield tuple(whole[at : at + most])
        if not whole:
            return


class ObdSource:
    """An ECU that is asked.

    Parameters
    ----------
    address : of scheme ``obd``.
    clock : of the session.
    """

    paced = True

    def __init__(self, address: Address, clock: Clock) -> None:
        self.address = address.text
        self.clock = clock
        self.exchange = exchange_for(address)
        self.car: Car | None = None
        self.codes: tuple[FaultCode, ...] | None = None
        self._streams: dict[int, Stream] = {}
        self._damaged = 0
        self._left_out: list[str] = []
        # Kept when the car is reached again: an ECU does not learn it.
        self._singly = False

    def open(self) -> None:
        """Reach the car and find out what it can tell."""
        self.exchange.open()
        try:
            self.car = find_car(self.exchange)
            if self.codes is None:
                # Once, before the drive: what is stored then belongs to the checklist.
                self.codes = read_codes(self.exchange)
        except LostError:
            self.exchange.close()
            raise
        self._unanswered: dict[int, int] = {}
        self._silent = 0
        self._several_failed = 0
        self._plan(frozenset(self.car.known))

    def _plan(self, have: frozenset[int]) -> None:
        self._have = have
        fast, slow = wanted(have)
        self._requests = requests(fast, slow, 1 if self._singly else self.exchange.most)

    def close(self) -> None:
        """Let it go."""
        self.exchange.close()

    def read(self) -> Sequence[Reading]:
        """The answer to the next request.

        Its readings are of the middle between question and answer: the ECU reads its values in between.
        """
        assert self.car is not None
        asked = next(self._requests)
        began = self.clock.now()
        heard = self.exchange.ask(bytes((Service.LIVE, *asked)))
        at = 0.5 * (began + self.clock.now())
        self._damaged += heard.damaged
        found: dict[int, bytes] = {}
        for answer in heard.answers:
            if answer.ecu == self.car.ecu:
                found |= values_in(answer.data, Service.LIVE, asked)
        if len(asked) > 1 and not heard.damaged and self._is_asked_too_much(len(found)):
            return [self._reading(n, data, at) for n, data in sorted(found.items())]
        if not found:
            self._count_silent(asked, heard)
            return ()
        self._silent = 0
        self._count_unanswered(asked, found)
        return [self._reading(n, data, at) for n, data in sorted(found.items())]

    def doubts(self) -> Sequence[Said]:
        """Answers that came damaged, parameters that never came."""
        out: list[Said] = [Say.LEFT_OUT(name=name) for name in self._left_out]
        if self._singly:
            out.append(Say.SINGLY())
        if self._damaged:
            out.append(Say.DAMAGED(count=self._damaged))
        return out

    def _reading(self, number: int, data: bytes, at: float) -> Reading:
        """A parameter is a stream of its own, whichever others it was asked for with."""
        assert self.car is not None
        pid = self.car.known[number]
        stream = self._streams.get(number)
        if stream is None:
            stream = Stream(self.address, f"01 {number:02X}", pid.channels)
            self._streams[number] = stream
        return Reading(stream, at, pid.decode(data))

    def _is_asked_too_much(self, found: int) -> bool:
        """Whether this ECU does not take several parameters a request; then it is asked singly from now on.

        Some keep silent, some refuse, some answer for the first one only. One that ever answered for two
        takes several.
        """
        assert self.car is not None
        if found > 1:
            self._several_failed = -1
        if self._several_failed < 0:
            return False
        self._several_failed += 1
        if self._several_failed < SEVERAL_TRIES:
            # Nothing is held against a parameter before that is known.
            return True
        self._several_failed = 0
        # One that answers nothing at all is gone, and not too much asked.
        if not one_value(self.exchange, ENGINE_SPEED, self.car.ecu):
            return False
        self._singly = True
        self._silent = 0
        self._plan(self._have)
        return True

    def _count_silent(self, asked: Sequence[int], heard: Heard) -> None:
        self._silent += 1
        if self._silent >= SILENT_TIMES:
            self.exchange.close()
            refused = refusal_in(heard.answers, Service.LIVE)
            raise LostError(refused or heard.trouble or Say.SILENT(count=self._silent))
        if not heard.damaged and len(asked) == 1:
            self._count_unanswered(asked, {})

    def _count_unanswered(self, asked: Sequence[int], found: dict[int, bytes]) -> None:
        """A parameter that is named and never answered costs every round the time of waiting for it."""
        assert self.car is not None
        for number in asked:
            if number in found:
                self._unanswered.pop(number, None)
                continue
            times = self._unanswered[number] = self._unanswered.get(number, 0) + 1
            if times == UNANSWERED_TIMES and number in self._have:
                self._left_out.append(self.car.known[number].channels[0].name)
                self._plan(self._have - {number})
