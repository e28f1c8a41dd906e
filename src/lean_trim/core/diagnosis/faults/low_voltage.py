"""Battery voltage at which dead times are steep."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message
from lean_trim.core.sieve.rules_limits import LOW_V

USUAL_V = 14.0
"""Stands in where no voltage was logged, V: nothing is said then."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "low_voltage.seen",
        "Battery was below 12 V for {seconds:.1f} s while running, first at {first} min.",
    )
    EFFECT = Message(
        "low_voltage.effect", "Dead time is uncertain there, and short pulses lose the most."
    )
    NEXT = Message(
        "low_voltage.next", "Look at alternator and battery; drive again with a charged one."
    )


def _seen(conditions: Conditions) -> Seen:
    low = np.asarray(conditions.frame.log.get(Role.BATTERY, USUAL_V) < LOW_V.default)
    return Seen(low & (conditions.regime != Regime.STOPPED))


FAULT = Fault("low_voltage", "warning", Say.SEEN, 2.0, _seen, Say.EFFECT, Say.NEXT, "left_out")
