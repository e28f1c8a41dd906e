"""A long-term trim that is still applied where there is no feedback."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

TRIM_PCT = 3.0
"""Long-term trim from which it matters where there is no feedback, percent."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "trim_at_full_throttle.seen",
        "A long-term trim of {mean:+.1f} % on average was still applied without feedback for "
        "{seconds:.1f} s, first at {first} min; without it the mixture would be {size:.1f} % "
        "{way}.",
    )
    EFFECT = Message(
        "trim_at_full_throttle.effect",
        "The correction counts it: those samples need {mean:+.1f} % against what lambda alone "
        "shows.",
    )
    NEXT = Message("trim_at_full_throttle.next", "Reset the trims before the next drive.")


def _seen(conditions: Conditions) -> Seen | None:
    """Long-term trim that still applies where there is no feedback; k holds it, so it leaves the table."""
    log = conditions.frame.log
    trim = np.nan_to_num(log.get(Role.LTFT, 0.0))
    opened = conditions.regime == Regime.FULL_THROTTLE
    if Role.CLOSED_LOOP in log:
        driving = np.isin(conditions.regime, (Regime.CRUISE, Regime.TRANSIENT))
        opened = opened | ((log[Role.CLOSED_LOOP] < 0.5) & driving)
    applied = opened & (np.abs(trim) > TRIM_PCT)
    if not applied.any():
        return None
    mean = float(np.average(trim[applied], weights=log.durations_s[applied]))
    # What a trim took out comes back without it.
    return Seen(
        applied, {"mean": mean, "size": abs(mean), "way": "richer" if mean < 0.0 else "leaner"}
    )


FAULT = Fault("trim_at_full_throttle", "warning", Say.SEEN, 0.5, _seen, Say.EFFECT, Say.NEXT)
