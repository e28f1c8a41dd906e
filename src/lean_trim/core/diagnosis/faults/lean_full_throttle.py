"""Full throttle leaner than was asked for."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

ENRICHED_BELOW = 0.95
"""Target lambda below which full-throttle enrichment is meant (common practice, no source)."""
LEAN_FACTOR = 1.08
FREE_AIR = 1.3
"""Lambda over target from which it is lean, and lambda from which it is a fuel cut instead."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "lean_full_throttle.seen",
        "Full throttle ran more than 8 % leaner than target for {seconds:.1f} s, first at {first} "
        "min.",
    )
    EFFECT = Message(
        "lean_full_throttle.effect",
        "The correction enriches there, as long as nothing else explains it.",
    )
    NEXT = Message(
        "lean_full_throttle.next", "Do not repeat full-throttle runs before the cause is known."
    )


def _seen(conditions: Conditions) -> Seen:
    target = conditions.frame.target
    lam = conditions.lam
    with np.errstate(invalid="ignore"):
        lean = (target < ENRICHED_BELOW) & (conditions.lean > LEAN_FACTOR) & (lam < FREE_AIR)
    return Seen((conditions.regime == Regime.FULL_THROTTLE) & lean)


FAULT = Fault("lean_full_throttle", "danger", Say.SEEN, 0.3, _seen, Say.EFFECT, Say.NEXT)
