"""Dead times over battery voltage, as they are pasted: two columns, two rows, or one number."""

from __future__ import annotations

import re

import numpy as np

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.block import number_in


class Say:
    """Sentences of this module."""

    PAIRS = Message(
        "dead_times.pairs",
        "Dead times: {text!r} is not understood; write volts and ms in pairs, such as 12: 1.0",
    )
    RANGE = Message(
        "dead_times.range",
        "Dead times: {ms:g} ms at {volts:g} V; allowed are 0 to 10 ms at 4 to 32 V",
    )
    TWICE = Message("dead_times.twice", "Dead times: {volts:g} V stands there twice")


USUAL_VOLTS = 14.0
"""Voltage a single dead time is taken at."""
VOLTS = (4.0, 32.0)
LEAST_MS = 0.0
MOST_MS = 10.0


def dead_times_in(text: str) -> tuple[Floats, Floats]:
    """Volts and dead times of a text.

    Parameters
    ----------
    text : pairs of volts and ms in two columns or two rows, one a line or behind each other; one
        number alone is the dead time at 14 V; "" is none.

    Returns
    -------
    Volts, rising, and ms, shape (n,) both; empty if there are none.

    Raises
    ------
    BadInputError
        If it is not understood, or no injector has such.
    """
    lines = [numbers for line in text.splitlines() if (numbers := _numbers(line))]
    flat = [x for line in lines for x in line]
    if not flat:
        if text.strip():
            raise BadInputError(Say.PAIRS(text=text.strip()[:40]))
        return np.array([]), np.array([])
    if len(flat) == 1:
        pairs = [(USUAL_VOLTS, flat[0])]
    elif len(lines) == 2 and len(lines[0]) == len(lines[1]) > 2:
        pairs = list(zip(lines[0], lines[1], strict=True))
    elif len(flat) % 2 == 0:
        pairs = list(zip(flat[::2], flat[1::2], strict=True))
    else:
        raise BadInputError(Say.PAIRS(text=text.strip()[:40]))
    for volts, ms in pairs:
        if not (VOLTS[0] <= volts <= VOLTS[1] and LEAST_MS <= ms <= MOST_MS):
            raise BadInputError(Say.RANGE(ms=ms, volts=volts))
    pairs.sort()
    volts_of = np.array([v for v, _ in pairs])
    twice = np.flatnonzero(np.diff(volts_of) == 0)
    if len(twice):
        raise BadInputError(Say.TWICE(volts=float(volts_of[twice[0]])))
    return volts_of, np.array([ms for _, ms in pairs])


def _numbers(line: str) -> list[float]:
    cells = [c for c in re.split(r"[\t;:|=]|,\s|\s+", line.strip()) if c]
    values = [
        number_in(c.removesuffix("V").removesuffix("ms"), "," if "," in c else ".") for c in cells
    ]
    # A line of words is a header; one that is half words is a slip.
    known = [v for v in values if np.isfinite(v)]
    if known and len(known) != len([c for c in cells if c not in ("V", "ms", "v")]):
        raise BadInputError(Say.PAIRS(text=line.strip()[:40]))
    return known


def dead_times_text(volts: Floats, dead_time_ms: Floats) -> str:
    """Dead times as they would be typed.

    Parameters
    ----------
    volts, dead_time_ms : shape (n,).

    Returns
    -------
    A pair a line.
    """
    return "\n".join(f"{v:g}: {ms:g}" for v, ms in zip(volts, dead_time_ms, strict=True))
