"""What may be sent to a car or an adapter: nothing that changes anything in either."""

from __future__ import annotations

import re
from enum import IntEnum

from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    FORBIDDEN = Message(
        "allowed.forbidden",
        "{what} may not be sent: only reading is allowed (services 01, 03, 07, 09)",
    )


class Service(IntEnum):
    """Services of SAE J1979 that only read."""

    LIVE = 0x01
    STORED_CODES = 0x03
    PENDING_CODES = 0x07
    VEHICLE = 0x09


ANSWER = 0x40
"""Added to the service in an answer."""
REFUSAL = 0x7F
"""First byte of a negative response (ISO 14229, 15031-5)."""
MOST_REQUEST = 7
"""Bytes of a request: a service and at most six parameters, what fits one CAN frame."""

COMMANDS = re.compile(
    "|".join(
        (
            "Z",  # reset
            "WS",  # warm start
            "I",  # who are you
            "D",  # defaults
            "E0",  # no echo
            "L0",  # no line feeds
            "S0",  # no spaces
            "H1",  # headers on
            "M0",  # remember nothing
            "TP0",  # try protocols; unlike SP this is not kept
            "TP[1-9A-C]",
            "DPN",  # which protocol is it
            "RV",  # voltage at the plug
            "AT[012]",  # adaptive waiting
            "ST[0-9A-F]{2}",  # longest waiting
            "PC",  # end the protocol
        )
    )
)
"""AT commands that outlast neither a reset nor the plug being pulled."""


class ForbiddenError(LeanTrimError):
    """Something was about to be sent that is not allowed."""


def request(data: bytes) -> bytes:
    """A request to an ECU, as it is; ForbiddenError unless it only reads.

    Parameters
    ----------
    data : the service and its parameters.

    Returns
    -------
    The same bytes.
    """
    allowed = {int(s) for s in Service}
    if not data or data[0] not in allowed or len(data) > MOST_REQUEST:
        raise ForbiddenError(Say.FORBIDDEN(what=data.hex(" ") or "nothing"))
    return data


def command(text: str) -> str:
    """An AT command, without AT; ForbiddenError unless it changes nothing that lasts.

    Parameters
    ----------
    text : such as ``E0``.

    Returns
    -------
    The same text.
    """
    if not COMMANDS.fullmatch(text):
        raise ForbiddenError(Say.FORBIDDEN(what=f"AT{text}"))
    return text
