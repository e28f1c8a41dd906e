"""Full throttle at which the ECU never entered its enrichment."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message, Said
from lean_trim.core.sieve.rules_limits import enrichment_missing
from lean_trim.core.types import Mask

NEAR_STOICHIOMETRIC = 0.95
"""Target lambda above which full-throttle enrichment is not on."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "enrichment_not_reached.seen",
        "Full throttle without full-throttle enrichment for {seconds:.1f} s, first at "
        "{first} min{threshold}: the target stayed near stoichiometric.",
    )
    NEVER = Message(
        "enrichment_not_reached.never",
        " (throttle reached {most:.0f} %, and no target below 0.95 was seen)",
    )
    FROM = Message(
        "enrichment_not_reached.from",
        " (throttle reached {most:.0f} % there; enrichment was seen only from {least:.0f} % on)",
    )
    EFFECT = Message(
        "enrichment_not_reached.effect",
        "These seconds say nothing about full-load mixture: they were driven at a target nobody "
        "meant there.",
    )
    NEXT = Message(
        "enrichment_not_reached.next",
        "Set the enrichment's throttle threshold below the throttle that is reached, or find out "
        "why the throttle does not open fully.",
    )


def _seen(conditions: Conditions) -> Seen:
    full = conditions.regime == Regime.FULL_THROTTLE
    # A calibration that means no richer target there has nothing to reach.
    without = enrichment_missing(conditions.frame, full, NEAR_STOICHIOMETRIC)
    return Seen(without, {"threshold": _threshold(conditions, without)})


def _threshold(conditions: Conditions, without: Mask) -> Said | str:
    """The enrichment's threshold against the throttle that was reached."""
    log = conditions.frame.log
    if Role.THROTTLE not in log or not without.any():
        return ""
    throttle = log[Role.THROTTLE]
    most = float(np.nanmax(throttle[without]))
    enriched = (conditions.frame.target <= NEAR_STOICHIOMETRIC) & (
        conditions.regime != Regime.STOPPED
    )
    if not enriched.any():
        return Say.NEVER(most=most)
    return Say.FROM(most=most, least=float(np.nanpercentile(throttle[enriched], 2.0)))


FAULT = Fault(
    "enrichment_not_reached", "warning", Say.SEEN, 1.0, _seen, Say.EFFECT, Say.NEXT, "left_out"
)
