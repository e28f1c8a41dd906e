"""What an adapter wrote, as answers of ECUs; and what an answer says.

References
----------
ISO 15765-2 (frames of a long answer), ISO 15765-4 and SAE J1979 (answers), SAE J1850 (check byte), ISO 9141-2
and ISO 14230 (check sum).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from lean_trim.core.messages import Message, Said
from lean_trim.live.obd.allowed import ANSWER, REFUSAL
from lean_trim.live.obd.pids import SIZES


class Say:
    """Sentences of this module."""

    NOT_CONNECTED = Message(
        "answers.not_connected", "the adapter finds no ECU; is the ignition on, and the plug in?"
    )
    BUS_ERROR = Message(
        "answers.bus_error", "the adapter tells {what!r}: something is wrong on the bus"
    )
    NOT_UNDERSTOOD = Message(
        "answers.not_understood",
        "the adapter does not understand {what!r}; it lacks part of the command set",
    )
    RESET = Message("answers.reset", "the adapter was reset ({what}); its supply may fail")
    REFUSED = Message("answers.refused", "the ECU refuses service {service:02X}: {why}")


REFUSALS: Mapping[int, str] = {
    0x10: "it refuses without saying why",
    0x11: "it does not have this service",
    0x12: "it does not have this parameter",
    0x13: "it calls the request malformed",
    0x21: "it is busy",
    0x22: "conditions are not as it wants them",
    0x31: "it does not have this parameter",
    0x33: "it wants a key first",
    0x7F: "not in this session",
}
"""Negative response codes (ISO 14229-1)."""
PENDING = 0x78
"""Response code: the answer follows."""
LOST = ("UNABLETOCONNECT", "ERROR", "NOTCONNECTED")
WRONG = ("CANERROR", "BUSERROR", "BUSBUSY", "FBERROR", "DATAERROR", "RXERROR", "BUFFERFULL")
RESETS = ("LVRESET", "ACTALERT", "LPALERT")
CHATTER = re.compile(r"SEARCHING\.*|BUSINIT:\.*(OK)?|BUSINIT:")
HEX = re.compile(r"[0-9A-F]+")
CAN = frozenset("6789")
LONG_HEADER = frozenset("79")
J1850 = frozenset("12")
FRAME = 8
SHORT_ID = 3
LONG_ID = 8


@dataclass(frozen=True)
class Answer:
    """Bytes an ECU answered with; ``ecu`` is its address as hexadecimal digits."""

    ecu: str
    data: bytes


@dataclass(frozen=True)
class Heard:
    """What one request brought.

    Attributes
    ----------
    answers : whole ones.
    trouble : why the adapter or the bus could not, None where they could.
    is_lost : whether that means that nothing can be heard at all now.
    damaged : lines that were no whole answers.
    unknown : whether the adapter does not know what it was told.
    """

    answers: tuple[Answer, ...] = ()
    trouble: Said | None = None
    is_lost: bool = False
    damaged: int = 0
    unknown: bool = False


def lines_of(text: str) -> list[str]:
    """Lines of an adapter without blanks and chatter, in capitals."""
    # Adapters are known to slip zero bytes in, and to end lines either way.
    plain = text.replace("\0", "").upper().replace("\n", "\r").replace(" ", "")
    return [line for part in plain.split("\r") if (line := CHATTER.sub("", part))]


def heard(text: str, protocol: str, sent: str = "") -> Heard:
    """Read what an adapter wrote up to its prompt.

    Parameters
    ----------
    text : without the prompt, headers on.
    protocol : digit of the protocol, as the adapter names it.
    sent : what it was told, which comes back where echo is on.

    Returns
    -------
    Answers, or what is wrong.
    """
    lines = [line for line in lines_of(text) if line != sent.upper().replace(" ", "")]
    for line in lines:
        plain = line.replace(".", "").lstrip("<")
        if line == "?":
            return Heard(trouble=Say.NOT_UNDERSTOOD(what=sent), unknown=True)
        if any(line.startswith(w) for w in LOST) or "UNABLETOCONNECT" in plain:
            return Heard(trouble=Say.NOT_CONNECTED(), is_lost=True)
        if any(w in plain for w in RESETS) or re.fullmatch(r"ERR\d\d", plain):
            return Heard(trouble=Say.RESET(what=line[:40]), is_lost=True)
        if any(w in plain for w in WRONG):
            return Heard(trouble=Say.BUS_ERROR(what=line[:40]))
    data = [line for line in lines if line not in ("NODATA", "STOPPED", "OK")]
    sound = [line for line in data if HEX.fullmatch(line)]
    answers, damaged = (_of_can if protocol in CAN else _of_others)(sound, protocol)
    return Heard(tuple(answers), damaged=damaged + len(data) - len(sound))


def _of_can(lines: Sequence[str], protocol: str) -> tuple[list[Answer], int]:
    """Frames put together; those of several ECUs may come in between each other."""
    digits = LONG_ID if protocol in LONG_HEADER else SHORT_ID
    answers: list[Answer] = []
    begun: dict[str, tuple[int, bytearray, int]] = {}
    damaged = 0
    for line in lines:
        ecu = line[:digits]
        body = line[digits:]
        if len(body) < 4 or len(body) % 2:
            damaged += 1
            continue
        frame = bytes.fromhex(body)
        kind, low = frame[0] >> 4, frame[0] & 15
        # Frames are filled up to eight bytes (ISO 15765-4); a line that lost some is of another length.
        if kind == 0 and low > 0 and len(frame) in (FRAME, 1 + low):
            answers.append(Answer(ecu, frame[1 : 1 + low]))
        elif kind == 1 and len(frame) == FRAME and ecu not in begun:
            begun[ecu] = ((low << 8) + frame[1], bytearray(frame[2:]), 1)
        elif kind == 2 and ecu in begun and low == begun[ecu][2] & 15:
            size, whole, number = begun.pop(ecu)
            left = size - len(whole)
            if len(frame) not in (FRAME, 1 + left):
                damaged += 1
                continue
            whole += frame[1:]
            if len(whole) >= size:
                answers.append(Answer(ecu, bytes(whole[:size])))
            else:
                begun[ecu] = (size, whole, number + 1)
        else:
            begun.pop(ecu, None)
            damaged += 1
    return answers, damaged + len(begun)


def _of_others(lines: Sequence[str], protocol: str) -> tuple[list[Answer], int]:
    """Three bytes of head, data, a check byte."""
    answers: list[Answer] = []
    damaged = 0
    for line in lines:
        if len(line) < 10 or len(line) % 2:
            damaged += 1
            continue
        whole = bytes.fromhex(line)
        check = crc_j1850(whole[:-1]) if protocol in J1850 else sum(whole[:-1]) & 0xFF
        if check != whole[-1]:
            damaged += 1
            continue
        answers.append(Answer(f"{whole[2]:02X}", whole[3:-1]))
    return answers, damaged


def crc_j1850(data: bytes) -> int:
    """The check byte of SAE J1850: polynomial 1D, begun with FF, inverted."""
    crc = 0xFF
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = (crc << 1 ^ 0x1D if crc & 0x80 else crc << 1) & 0xFF
    return crc ^ 0xFF


def refusal_in(answers: Iterable[Answer], service: int) -> Said | None:
    """Why an ECU refuses a service; None where it does not, or the answer is only pending."""
    for answer in answers:
        data = answer.data
        if len(data) >= 3 and data[0] == REFUSAL and data[1] == service and data[2] != PENDING:
            why = REFUSALS.get(data[2], f"response code {data[2]:02X}")
            return Say.REFUSED(service=service, why=why)
    return None


def values_in(data: bytes, service: int, asked: Sequence[int]) -> dict[int, bytes]:
    """Data by parameter of an answer to one or several.

    Parameters
    ----------
    data : of the answer.
    service : that was asked.
    asked : parameters that were asked for.

    Returns
    -------
    Only what was asked for and is whole; an answer that does not add up says nothing.
    """
    if len(data) < 2 or data[0] != service + ANSWER:
        return {}
    out: dict[int, bytes] = {}
    at = 1
    while at < len(data):
        number = data[at]
        size = SIZES.get(number)
        # What was not asked, comes twice or does not end with the answer is no answer to this question: a
        # digit that was lost has moved everything behind it.
        if size is None or number not in asked or number in out or at + 1 + size > len(data):
            return {}
        out[number] = data[at + 1 : at + 1 + size]
        at += 1 + size
    return out
