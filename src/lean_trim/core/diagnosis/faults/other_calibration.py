"""A log whose pulse width does not follow from this calibration."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.pulse_width_proof import off_calibration
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "other_calibration.seen",
        "For {seconds:.0f} s of steady running the pulse width does not follow from this table, "
        "these trims and these injector data: it is {ratio:.2f} × what would follow.",
    )
    EFFECT = Message(
        "other_calibration.effect",
        "Such samples are left out: they speak of a table that is not this one.",
    )
    NEXT = Message("other_calibration.next", "Was the log driven on another calibration?")


def _seen(conditions: Conditions) -> Seen:
    off = off_calibration(conditions.frame, conditions.regime) & ~conditions.pulse_width_proven
    ratio = float(np.median(conditions.frame.fuel_ratio[off])) if off.any() else 1.0
    return Seen(off, {"ratio": ratio})


FAULT = Fault(
    "other_calibration", "warning", Say.SEEN, 5.0, _seen, Say.EFFECT, Say.NEXT, "left_out"
)
