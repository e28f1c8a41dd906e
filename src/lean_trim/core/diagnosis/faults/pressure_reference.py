"""A rail held against the atmosphere: whether the ECU makes up for it changes every cell; no log says it."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "pressure_reference.seen",
        "The sheet holds the fuel pressure against the atmosphere: over the injectors it falls as "
        "manifold pressure rises. It was assumed that the ECU does not make up for that, so that "
        "the table holds it.",
    )
    EFFECT = Message(
        "pressure_reference.effect",
        "Were it otherwise, what the pressure does would be counted twice.",
    )
    NEXT = Message(
        "pressure_reference.next",
        "If the ECU makes up for it in the pulse width, say so on the Vehicle desk (held against: "
        "any; "
        "the ECU knows), or in the sheet (pressure_reference: compensated).",
    )


def _seen(conditions: Conditions) -> Seen | None:
    frame = conditions.frame
    if frame.vehicle.injectors.pressure_reference != "atmosphere":
        return None
    if Role.FUEL_DP not in frame.log and Role.PULSE_WIDTH not in frame.log:
        # Neither pressure nor pulse width: nothing that was read rests on it.
        return None
    return Seen(np.ones(len(frame.log), bool), {})


FAULT = Fault("pressure_reference", "note", Say.SEEN, 2.0, _seen, Say.EFFECT, Say.NEXT)
