"""Injectors that never close: no more fuel exists."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message

FULL_OPEN_PCT = 97.0
"""Duty at which an injector has no time left to close (common practice, no source)."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "injectors_full_open.seen",
        "The injectors were open all the time ({duty:.0f} % duty) for {seconds:.1f} s, first at "
        "{first} min: no more fuel exists, whatever the table says.",
    )
    EFFECT = Message(
        "injectors_full_open.effect",
        "Lean there is a lack of fuel, not more air: it would bend the table.",
    )
    NEXT = Message(
        "injectors_full_open.next", "Larger injectors or more pressure before the next run."
    )


def _seen(conditions: Conditions) -> Seen | None:
    full = np.asarray(conditions.motion.duty >= FULL_OPEN_PCT)
    return Seen(full, {"duty": float(np.max(conditions.motion.duty[full]))}) if full.any() else None


FAULT = Fault(
    "injectors_full_open", "danger", Say.SEEN, 0.2, _seen, Say.EFFECT, Say.NEXT, "left_out"
)
