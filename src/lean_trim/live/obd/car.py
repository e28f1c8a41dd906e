"""What a car can tell, found out by asking: its engine ECU, parameters, fault codes, calibration."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lean_trim.core.messages import Message
from lean_trim.live.obd.allowed import ANSWER, Service
from lean_trim.live.obd.answers import Answer, values_in
from lean_trim.live.obd.codes import FaultCode, codes_in
from lean_trim.live.obd.exchange import Exchange
from lean_trim.live.obd.pids import (
    LARGEST,
    LARGEST_FLOW,
    SENSORS_BY_BANK,
    SENSORS_OF_FOUR_BANKS,
    Pid,
    pids,
    supported,
    with_largest,
)
from lean_trim.live.source import LostError


class Say:
    """Sentences of this module."""

    NO_ENGINE = Message(
        "obd_car.no_engine", "no ECU tells engine speed; is the ignition on? {count} answered"
    )


MASKS = (0x00, 0x20, 0x40, 0x60, 0x80)
ENGINE_SPEED = 0x0C
FOUR_BANKS = 0x1D
"""Supported where sensors are counted in four banks, PID 13 where in two."""
TRIES = 3
IDENTITY = 0x04
CHECK_NUMBER = 0x06
"""Parameters of service 09: calibration identities, and check numbers over the calibration."""
IDENTITY_BYTES = 16
NUMBER_BYTES = 4


@dataclass(frozen=True)
class Car:
    """What a car tells.

    Attributes
    ----------
    ecu : address of the ECU that runs the engine.
    have : parameters of service 01 it supports.
    known : of those, the ones that are understood, with the car's own scaling.
    calibrations : identities of the calibration in the ECU, where it tells them.
    check_numbers : over the calibration; another after another flash.
    """

    ecu: str
    have: frozenset[int]
    known: Mapping[int, Pid]
    calibrations: tuple[str, ...] = ()
    check_numbers: tuple[str, ...] = ()


def ask_all(exchange: Exchange, data: bytes) -> tuple[Answer, ...]:
    """Ask until something answers, a few times."""
    for _ in range(TRIES):
        answers = exchange.ask(data).answers
        if answers:
            return answers
    return ()


def one_value(exchange: Exchange, number: int, ecu: str) -> bytes:
    """Data of one parameter of service 01; empty if the ECU has no answer."""
    asked = bytes((Service.LIVE, number))
    for answer in ask_all(exchange, asked):
        found = values_in(answer.data, Service.LIVE, (number,))
        if answer.ecu == ecu and number in found:
            return found[number]
    return b""


def find_car(exchange: Exchange) -> Car:
    """Find out what the car can tell.

    Parameters
    ----------
    exchange : open.

    Returns
    -------
    What it tells.

    Raises
    ------
    LostError
        If no ECU tells engine speed.
    """
    by_ecu: dict[str, frozenset[int]] = {}
    for base in MASKS:
        if base and not any(base in have for have in by_ecu.values()):
            break
        for answer in ask_all(exchange, bytes((Service.LIVE, base))):
            mask = values_in(answer.data, Service.LIVE, (base,)).get(base)
            if mask is not None:
                before = by_ecu.get(answer.ecu, frozenset())
                by_ecu[answer.ecu] = before | supported(base, mask)
    engines = [ecu for ecu, have in by_ecu.items() if ENGINE_SPEED in have]
    if not engines:
        raise LostError(Say.NO_ENGINE(count=len(by_ecu)))
    # Of several the one that tells most runs the engine; a gearbox repeats a few parameters.
    ecu = max(engines, key=lambda e: len(by_ecu[e]))
    have = by_ecu[ecu]
    names = SENSORS_OF_FOUR_BANKS if FOUR_BANKS in have else SENSORS_BY_BANK
    ratios = one_value(exchange, LARGEST, ecu) if LARGEST in have else b""
    flows = one_value(exchange, LARGEST_FLOW, ecu) if LARGEST_FLOW in have else b""
    known = {n: p for n, p in with_largest(pids(names), ratios, flows).items() if n in have}
    return Car(
        ecu=ecu,
        have=have,
        known=known,
        calibrations=_texts(exchange, ecu),
        check_numbers=_numbers(exchange, ecu),
    )


def _vehicle(exchange: Exchange, number: int, ecu: str) -> bytes:
    """Data of a parameter of service 09, without its count of items."""
    head = bytes((Service.VEHICLE + ANSWER, number))
    for answer in exchange.ask(bytes((Service.VEHICLE, number))).answers:
        if answer.ecu == ecu and answer.data[:2] == head and exchange.counts_codes:
            return answer.data[3:]
    return b""


def _texts(exchange: Exchange, ecu: str) -> tuple[str, ...]:
    data = _vehicle(exchange, IDENTITY, ecu)
    parts = [data[i : i + IDENTITY_BYTES] for i in range(0, len(data), IDENTITY_BYTES)]
    texts = (p.decode("ascii", "replace").strip("\0 ") for p in parts)
    return tuple(t for t in texts if t and t.isprintable())


def _numbers(exchange: Exchange, ecu: str) -> tuple[str, ...]:
    data = _vehicle(exchange, CHECK_NUMBER, ecu)
    whole = len(data) - len(data) % NUMBER_BYTES
    return tuple(data[i : i + NUMBER_BYTES].hex().upper() for i in range(0, whole, NUMBER_BYTES))


def read_codes(exchange: Exchange) -> tuple[FaultCode, ...] | None:
    """Stored and pending fault codes of every ECU that answers.

    Parameters
    ----------
    exchange : open.

    Returns
    -------
    Codes, stored ones first; None where no ECU answers either service, so that nothing is known.
    """
    found: list[FaultCode] = []
    answered = False
    for service, pending in ((Service.STORED_CODES, False), (Service.PENDING_CODES, True)):
        for answer in ask_all(exchange, bytes((service,))):
            if answer.data[:1] != bytes((service + ANSWER,)):
                continue
            answered = True
            listed = answer.data[2:] if exchange.counts_codes else answer.data[1:]
            found += [FaultCode(code, pending, answer.ecu) for code in codes_in(listed)]
    return tuple(dict.fromkeys(found)) if answered else None
