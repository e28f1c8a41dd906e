"""What the rate of a recording allows to be worked out of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role, in_words
from lean_trim.core.data.log import Log
from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    MISSING = Message("rates.missing", "{names} not heard: no table can be corrected from this")
    TOO_SLOW = Message(
        "rates.too_slow",
        "{hz:.1f} Hz ({name}): too slow for a table; steady running only, held for ten seconds",
    )
    TABLES = Message(
        "rates.tables", "{hz:.1f} Hz ({name}): tables yes, transients no, pulls roughly"
    )
    PULLS = Message("rates.pulls", "{hz:.1f} Hz ({name}): tables and pulls yes, transients roughly")
    ALL = Message("rates.all", "{hz:.1f} Hz ({name}): tables, pulls and transients")


NEEDED: tuple[tuple[Role, ...], ...] = (
    (Role.RPM,),
    (Role.MAP, Role.MAF_HZ, Role.MAF_V, Role.MAF_FLOW),
    (Role.LAMBDA, Role.STFT),
)
"""Of each line one has to be heard; the slowest of them sets what can be worked out."""
TABLES_HZ = 2.0
PULLS_HZ = 8.0
ALL_HZ = 15.0
"""From trials with thinned logs: a table needs two readings a second, a tip-in of half a second several
readings within it (common practice, no source)."""


@dataclass(frozen=True)
class Allowed:
    """What a rate allows, in words; ``tables`` is whether a table can be corrected from it."""

    said: Said
    tables: bool


def rate_hz(times: Floats) -> float:
    """Readings a second, by the usual step; 0 where there are fewer than two.

    Parameters
    ----------
    times : s, shape (n,).

    Returns
    -------
    Hz.
    """
    if len(times) < 2:
        return 0.0
    span = float(times[-1] - times[0])
    return (len(times) - 1) / span if span > 0.0 else 0.0


def allowed_by(rates: Mapping[Role, float]) -> Allowed:
    """What can be worked out of a recording.

    Parameters
    ----------
    rates : readings a second, by role.

    Returns
    -------
    In words.
    """
    slowest: tuple[float, Role] | None = None
    missing: list[str] = []
    for group in NEEDED:
        heard = [(rates[r], r) for r in group if rates.get(r, 0.0) > 0.0]
        if not heard:
            missing.append(" or ".join(in_words(r) for r in group))
            continue
        best = max(heard)
        slowest = best if slowest is None else min(slowest, best)
    if missing or slowest is None:
        return Allowed(Say.MISSING(names=", ".join(missing)), False)
    hz, role = slowest
    name = in_words(role)
    for least, message in ((ALL_HZ, Say.ALL), (PULLS_HZ, Say.PULLS), (TABLES_HZ, Say.TABLES)):
        if hz >= least:
            return Allowed(message(hz=hz, name=name), True)
    return Allowed(Say.TOO_SLOW(hz=hz, name=name), False)


def rates_in(log: Log) -> dict[Role, float]:
    """Readings a second by role, from the rows that brought new ones.

    Parameters
    ----------
    log : of a recording.

    Returns
    -------
    Hz by role.
    """
    seconds = float(log.time_s[-1] - log.time_s[0])
    if seconds <= 0.0:
        return {}
    return {r: float(np.count_nonzero(log.update_mask(r))) / seconds for r in log.channels}
