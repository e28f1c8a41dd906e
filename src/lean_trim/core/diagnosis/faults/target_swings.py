"""A target that is swung to keep a catalyst busy, wider than a correction likes."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.faults.swinging import swings_of
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

SWING_RMS = 0.009
"""Standard deviation of the target from which it is told: 3 % from peak to peak as a rectangle
(common
practice, no source)."""
RECTANGLE = 2.0
"""From its standard deviation to a rectangle from peak to peak."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "target_swings.seen",
        "The target swings by {size:.0f} % from peak to peak every {period:.1f} s, for "
        "{seconds:.0f} s in steady driving, first at {first} min: wider than the sensor's delay "
        "can be followed at idle.",
    )
    EFFECT = Message(
        "target_swings.effect",
        "Lambda over target scatters by the swing; its mean is right where whole swings count.",
    )
    NEXT = Message(
        "target_swings.next",
        "Set the swing of the target to 1 % or off while the table is corrected.",
    )


def _seen(conditions: Conditions) -> Seen | None:
    log = conditions.frame.log
    if Role.TARGET not in log:
        return None
    steady = np.isin(conditions.regime, (Regime.IDLE, Regime.CRUISE))
    # A target that is read over MAP moves with it; that is no swing of its own.
    swings = swings_of(log[Role.TARGET], steady, log.time_s, log.step_s, log.get(Role.MAP))
    mask = swings.regular & (swings.size >= SWING_RMS)
    if not mask.any():
        return None
    size = 100.0 * RECTANGLE * float(np.median(swings.size[mask]))
    return Seen(mask, {"size": size, "period": float(np.median(swings.period_s[mask]))})


FAULT = Fault("target_swings", "note", Say.SEEN, 30.0, _seen, Say.EFFECT, Say.NEXT)
