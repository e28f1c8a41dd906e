"""Injectors with hardly any reserve left."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message

DUTY_PCT = 85.0
"""Injector duty from which no reserve is left (common practice, no source)."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "injector_duty.seen",
        "Injector duty was above 85 % for {seconds:.1f} s, first at {first} min.",
    )
    EFFECT = Message(
        "injector_duty.effect",
        "None yet: fuel still follows the table. Above 92 % samples are left out.",
    )
    NEXT = Message(
        "injector_duty.next", "Larger injectors or more pressure are needed before more air."
    )


def _seen(conditions: Conditions) -> Seen:
    return Seen(np.asarray(conditions.motion.duty > DUTY_PCT))


FAULT = Fault("injector_duty", "warning", Say.SEEN, 0.2, _seen, Say.EFFECT, Say.NEXT)
