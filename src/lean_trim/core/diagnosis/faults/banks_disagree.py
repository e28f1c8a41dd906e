"""Two banks of cylinders that need different amounts of fuel."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import running_box
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

OVER_S = 10.0
"""A difference counts as a mean over so long: λ of two banks does not rise in the same moment."""
LEAST_PCT = 4.0
"""Difference from which it is told (common practice, no source)."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "banks_disagree.seen",
        "Bank {more} needs {size:.0f} % more fuel than bank {less} in steady driving, for "
        "{seconds:.0f} s, first at {first} min.",
    )
    EFFECT = Message(
        "banks_disagree.effect",
        "One table fuels both banks. It is corrected for their mean, so that either bank stays "
        "off by half.",
    )
    NEXT = Message(
        "banks_disagree.next",
        "Swap the two λ sensors: if the difference moves along, it is a sensor; if not, look for "
        "a leak, an injector or a blocked exhaust on one bank.",
    )


def _seen(conditions: Conditions) -> Seen | None:
    log = conditions.frame.log
    if Role.BANK_GAP not in log:
        return None
    gap = log[Role.BANK_GAP]
    steady = np.isin(conditions.regime, (Regime.IDLE, Regime.CRUISE)) & np.isfinite(gap)
    share = running_box(steady.astype(float), log.time_s, OVER_S)
    mean = running_box(np.where(steady, gap, 0.0), log.time_s, OVER_S) / np.maximum(share, 1e-6)
    mask = steady & (np.abs(mean) >= LEAST_PCT)
    if not mask.any():
        return None
    size = float(np.median(mean[mask]))
    more, less = (1, 2) if size > 0.0 else (2, 1)
    mask &= np.sign(mean) == np.sign(size)
    return Seen(mask, {"size": abs(size), "more": more, "less": less}, abs(size) / LEAST_PCT)


FAULT = Fault("banks_disagree", "warning", Say.SEEN, 30.0, _seen, Say.EFFECT, Say.NEXT)
