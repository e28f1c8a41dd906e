"""Knock retard that was active."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message

KNOCK_DEG = 0.2
"""Knock retard from which it counts, degrees."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "knock.seen", "Knock retard was active for {seconds:.1f} s, first at {first} min."
    )
    EFFECT = Message("knock.effect", "None on lambda. No cell read meanwhile gets leaner.")
    NEXT = Message(
        "knock.next",
        "Take no fuel out of those cells, and take out spark there; the Pulls desk says where and "
        "how much.",
    )


def _seen(conditions: Conditions) -> Seen:
    return Seen(np.asarray(conditions.frame.log.get(Role.KNOCK, 0.0) > KNOCK_DEG))


FAULT = Fault("knock", "danger", Say.SEEN, 0.05, _seen, Say.EFFECT, Say.NEXT, "count_no_leaner")
