"""Fuel at full throttle that nothing names."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

HIDDEN = 0.03
SETTLED_PCT_PER_S = 20.0
"""Share of fuel beyond target and trims from which it is told.

Above the second, a slope of MAP, it is the driver's foot instead. Common practice, no source.
"""
MOSTLY = 0.5
"""Share of full throttle that has to show hidden fuel."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "hidden_enrichment.seen",
        "At full throttle the pulse width held {mean:.0f} % more fuel on average than target and "
        "trims account for, for {seconds:.1f} s, first at {first} min.",
    )
    EFFECT = Message(
        "hidden_enrichment.effect",
        "The correction counts it as fuel, not as air, so the table is not bent.",
    )
    NEXT = Message(
        "hidden_enrichment.next",
        "Lambda stays richer than target there until that enrichment is taken back or named in "
        "the target.",
    )


def _seen(conditions: Conditions) -> Seen | None:
    """Fuel at full throttle the target does not name, in a log whose pulse width is otherwise right."""
    motion = conditions.motion
    settled = np.abs(motion.map_rate) < SETTLED_PCT_PER_S
    full = (conditions.regime == Regime.FULL_THROTTLE) & conditions.pulse_width_proven & settled
    more = full & (motion.enrichment > 1.0 + HIDDEN)
    if not more.any() or np.mean(more[full]) < MOSTLY:
        return None
    mean = np.average(motion.enrichment[more] - 1.0, weights=motion.durations_s[more])
    return Seen(more, {"mean": 100.0 * float(mean)})


FAULT = Fault("hidden_enrichment", "note", Say.SEEN, 1.0, _seen, Say.EFFECT, Say.NEXT)
