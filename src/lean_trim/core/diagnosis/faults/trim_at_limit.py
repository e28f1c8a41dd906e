"""Feedback that wants to go further than it may."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.narrowband import closed_loop
from lean_trim.core.drive.regimes import Regime
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
    EFFECT = Message(
        "trim_at_limit.effect",
        "Trims alone hide how far the table is off; the correction counts both trims and lambda.",
    )
    NEXT = Message(
        "trim_at_limit.next", "Correct the table, then look again whether the trims reach it."
    )


def _seen(conditions: Conditions) -> Seen | None:
    log = conditions.frame.log
    if Role.STFT not in log:
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
