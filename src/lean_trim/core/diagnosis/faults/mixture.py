"""Faults seen in the mixture itself: too lean at load, knock, a sensor that does not answer."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message
from lean_trim.core.sieve.rules_limits import stuck_samples

ENRICHED_BELOW = 0.95
"""Target lambda below which full-throttle enrichment is meant (common practice, no source)."""
LEAN_FACTOR = 1.08
FREE_AIR = 1.3
"""Lambda over target from which it is lean, and lambda from which it is a fuel cut instead."""
KNOCK_DEG = 0.2
"""Knock retard from which it counts, degrees."""


class Say:
    """Sentences of this module."""

    LEAN_AT_LOAD = Message(
        "mixture.lean_at_load",
        "Full throttle ran more than 8 % leaner than target for {seconds:.1f} s, first at {first} min. "
        "Do not repeat full-throttle runs before the cause is known.",
    )
    KNOCK = Message(
        "mixture.knock",
        "Knock retard was active for {seconds:.1f} s, first at {first} min. Take no fuel out of those cells.",
    )
    STUCK = Message(
        "mixture.stuck",
        "The lambda reading did not move for {seconds:.0f} s, first at {first} min, although the mixture "
        "had to. Feedback that believed it ran away meanwhile: look at the sensor, its heater and its "
        "wiring, or at the logger, before the next drive.",
    )


def _lean_at_load(conditions: Conditions) -> Seen:
    target = conditions.frame.target
    lam = conditions.lam
    with np.errstate(invalid="ignore"):
        lean = (target < ENRICHED_BELOW) & (lam > target * LEAN_FACTOR) & (lam < FREE_AIR)
    return Seen((conditions.regime == Regime.FULL_THROTTLE) & lean)


def _knock(conditions: Conditions) -> Seen:
    return Seen(np.asarray(conditions.frame.log.get(Role.KNOCK, 0.0) > KNOCK_DEG))


def _stuck(conditions: Conditions) -> Seen:
    return Seen(stuck_samples(conditions))


LEAN_AT_LOAD = Fault("lean_full_throttle", "danger", Say.LEAN_AT_LOAD, 0.3, _lean_at_load)
KNOCK = Fault("knock", "danger", Say.KNOCK, 0.05, _knock)
STUCK = Fault("sensor_stuck", "warning", Say.STUCK, 2.0, _stuck)
