"""Readings that no engine can make: a logger or a wire at fault, not the mixture."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import in_words
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "impossible_readings.seen",
        "{count} readings cannot be ({channels}), the first at {first} min.",
    )
    EFFECT = Message("impossible_readings.effect", "They count as not recorded.")
    NEXT = Message("impossible_readings.next", "Look at the logger and its wiring.")


def _seen(conditions: Conditions) -> Seen:
    holes = conditions.frame.holes
    mask = np.zeros(len(conditions.lam), bool)
    mask[holes.rows] = True
    channels = ", ".join(f"{in_words(role)} {count}" for role, count in holes.impossible.items())
    return Seen(mask, {"count": sum(holes.impossible.values()), "channels": channels})


FAULT = Fault("impossible_readings", "note", Say.SEEN, 0.0, _seen, Say.EFFECT, Say.NEXT, "left_out")
