"""A lambda sensor that was at its end at full throttle."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "lambda_at_its_end.seen",
        "The lambda sensor was at its end ({lam:.2f}) at full throttle for {seconds:.1f} s, first "
        "at {first} min: how far beyond the mixture is, nobody measured.",
    )
    EFFECT = Message("lambda_at_its_end.effect", "Nothing is known of those cells.")
    NEXT = Message(
        "lambda_at_its_end.next", "Change the mixture by hand towards target before the next run."
    )


def _seen(conditions: Conditions) -> Seen | None:
    low, high = conditions.motion.sensor_ends
    raw = conditions.frame.log[Role.LAMBDA]
    with np.errstate(invalid="ignore"):
        mask = (conditions.regime == Regime.FULL_THROTTLE) & ((raw <= low) | (raw >= high))
    if not mask.any():
        return None
    return Seen(np.asarray(mask), {"lam": float(np.median(raw[mask]))})


FAULT = Fault("lambda_at_its_end", "danger", Say.SEEN, 0.3, _seen, Say.EFFECT, Say.NEXT, "left_out")
