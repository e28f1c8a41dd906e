"""A log too slow to be moved by a delay of a tenth of a second."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message

SLOW_STEP_S = 0.34
"""Readings further apart than this cannot be moved by a delay of a tenth of a second (common
practice)."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "log_too_slow.seen",
        "A reading only every {step:.1f} s: too slow to follow the sensor's delay.",
    )
    EFFECT = Message("log_too_slow.effect", "Only steady driving tells something of the table.")
    NEXT = Message("log_too_slow.next", "Log fewer channels, or faster.")


def _seen(conditions: Conditions) -> Seen | None:
    step = conditions.frame.log.step_s
    if step <= SLOW_STEP_S:
        return None
    return Seen(np.ones(len(conditions.lam), bool), {"step": step})


FAULT = Fault("log_too_slow", "note", Say.SEEN, 1.0, _seen, Say.EFFECT, Say.NEXT)
