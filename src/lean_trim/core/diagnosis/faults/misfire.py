"""Misfire: unburnt oxygen reads lean while nothing asked for less fuel."""

from __future__ import annotations

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.lean_spikes import LEAST_PER_MIN
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "misfire.seen",
        "Lambda jumped lean by {size:.0f} % {count} times in steady running, first at {first} "
        "min, while fuel, throttle and manifold pressure stood still{rpm}: as when a cylinder "
        "misses.",
    )
    RPM = Message("misfire.rpm", " and engine speed dipped")
    EFFECT = Message(
        "misfire.effect", "Unburnt oxygen reads lean. Never enrich from it: the jumps are left out."
    )
    NEXT = Message(
        "misfire.next",
        "Look at plugs, leads and coils, and at too rich a mixture, before the table.",
    )


def _seen(conditions: Conditions) -> Seen | None:
    spikes = conditions.lean_spikes
    if not spikes.count or spikes.per_min < LEAST_PER_MIN:
        return None
    values = {
        "size": spikes.size_pct,
        "count": spikes.count,
        "rpm": str(Say.RPM()) if spikes.rpm_dips else "",
    }
    return Seen(spikes.mask, values, spikes.per_min / LEAST_PER_MIN)


FAULT = Fault("misfire", "warning", Say.SEEN, 0.5, _seen, Say.EFFECT, Say.NEXT, "left_out")
