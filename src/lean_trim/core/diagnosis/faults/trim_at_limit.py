"""Feedback that wants to go further than it may."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.narrowband import closed_loop
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.drive.trim_stops import trim_stops
from lean_trim.core.messages import Message

LEAST_LIMIT_PCT = 3.0
AT_LIMIT_PCT = 0.1
STILL_OFF = 0.02
"""A short trim this large, so near its own extreme, with the mixture still so far off, is at its
limit."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "trim_at_limit.seen",
        "Feedback was at its limit ({trim:+.0f} % short trim) for {seconds:.1f} s, first at "
        "{first} min, and the mixture still {off:+.1f} % off.",
    )
    UNSEEN = Message(
        "trim_at_limit.unseen",
        "Feedback was at its limit ({trim:+.0f} % short trim) for {seconds:.1f} s, first at "
        "{first} min, and no lambda was logged: the mixture is at least so far off, and nobody "
        "knows how much further.",
    )
    UNSEEN_EFFECT = Message(
        "trim_at_limit.unseen_effect",
        "Those samples bound the cells; where feedback hardly ever arrived, the whole table is "
        "raised by what it gave.",
    )
    UNSEEN_NEXT = Message(
        "trim_at_limit.unseen_next",
        "Write the table and drive another round, below full throttle: one round is not enough.",
    )
    EFFECT = Message(
        "trim_at_limit.effect",
        "Trims alone hide how far the table is off; the correction counts both trims and lambda.",
    )
    NEXT = Message(
        "trim_at_limit.next", "Correct the table, then look again whether the trims reach it."
    )


def _seen(conditions: Conditions) -> Seen | None:
    log = conditions.frame.log
    if Role.STFT not in log or conditions.frame.lambda_of_loop:
        return None
    trim = log[Role.STFT]
    with np.errstate(invalid="ignore"):
        off = conditions.lam / conditions.frame.target - 1.0
        # Lean with the trim at its highest, rich at its lowest: it would go on if it could.
        high = np.nanmax(trim)
        low = np.nanmin(trim)
        above = (trim >= high - AT_LIMIT_PCT) & (high >= LEAST_LIMIT_PCT) & (off > STILL_OFF)
        below = (trim <= low + AT_LIMIT_PCT) & (low <= -LEAST_LIMIT_PCT) & (off < -STILL_OFF)
    steady = np.isin(conditions.regime, (Regime.IDLE, Regime.CRUISE))
    # A trim at its limit does not move, which without the flag would pass for an open loop.
    closed = closed_loop(log) if Role.CLOSED_LOOP in log else np.ones(len(log), bool)
    mask = (above | below) & steady & closed
    if not mask.any():
        return None
    return Seen(
        mask, {"trim": float(np.median(trim[mask])), "off": 100.0 * float(np.median(off[mask]))}
    )


FAULT = Fault("trim_at_limit", "warning", Say.SEEN, 5.0, _seen, Say.EFFECT, Say.NEXT)


def _unseen(conditions: Conditions) -> Seen | None:
    stops = trim_stops(conditions.frame)
    steady = np.isin(conditions.regime, (Regime.IDLE, Regime.CRUISE))
    mask = (stops != 0) & steady
    if not mask.any():
        return None
    return Seen(mask, {"trim": float(np.median(conditions.frame.log[Role.STFT][mask]))})


UNSEEN = Fault(
    "trim_at_limit_unseen",
    "warning",
    Say.UNSEEN,
    5.0,
    _unseen,
    Say.UNSEEN_EFFECT,
    Say.UNSEEN_NEXT,
    "left_out",
)
"""The same without a lambda channel, where nobody measured how far off the mixture was."""
