"""Faults of fuel beside the table: an enrichment not reached, a trim left on, fuel nothing names."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

NEAR_STOICHIOMETRIC = 0.95
"""Target lambda above which full-throttle enrichment is not on."""
TRIM_PCT = 3.0
"""Long-term trim from which it matters where there is no feedback, percent."""
HIDDEN = 0.03
SETTLED_PCT_PER_S = 20.0
"""Share of fuel beyond target and trims from which it is told.

Above the second, a slope of MAP, it is the driver's foot instead. Common practice, no source.
"""
MOSTLY = 0.5
"""Share of full throttle that has to show hidden fuel."""


class Say:
    """Sentences of this module."""

    NOT_REACHED = Message(
        "enrichment.not_reached",
        "Full throttle without full-throttle enrichment for {seconds:.1f} s, first at {first} min: the "
        "target stayed near stoichiometric, so these seconds say nothing about full-load mixture.",
    )
    TRIM_LEFT_ON = Message(
        "enrichment.trim_left_on",
        "A long-term trim of {mean:+.1f} % on average was still applied without feedback for "
        "{seconds:.1f} s, first at {first} min. The correction counts it: those samples ask for "
        "{mean:+.1f} % against what lambda alone shows. Reset the trims before the next drive.",
    )
    HIDDEN = Message(
        "enrichment.hidden",
        "At full throttle the pulse width held {mean:.0f} % more fuel on average than target and trims ask "
        "for, for {seconds:.1f} s, first at {first} min. The correction counts it as fuel, not as air: "
        "lambda stays richer than target there until that enrichment is taken back or named in the target.",
    )


def _not_reached(conditions: Conditions) -> Seen:
    full = conditions.regime == Regime.FULL_THROTTLE
    return Seen(np.asarray(full & (conditions.frame.target > NEAR_STOICHIOMETRIC)))


def _trim_left_on(conditions: Conditions) -> Seen | None:
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
    return Seen(applied, {"mean": float(np.average(trim[applied], weights=log.durations_s[applied]))})


def _hidden(conditions: Conditions) -> Seen | None:
    """Fuel at full throttle the target does not name, in a log whose pulse width is otherwise right."""
    motion = conditions.motion
    settled = np.abs(motion.map_rate) < SETTLED_PCT_PER_S
    full = (conditions.regime == Regime.FULL_THROTTLE) & conditions.pulse_width_proven & settled
    more = full & (motion.enrichment > 1.0 + HIDDEN)
    if not more.any() or np.mean(more[full]) < MOSTLY:
        return None
    mean = np.average(motion.enrichment[more] - 1.0, weights=motion.durations_s[more])
    return Seen(more, {"mean": 100.0 * float(mean)})


NOT_REACHED = Fault("enrichment_not_reached", "warning", Say.NOT_REACHED, 1.0, _not_reached)
TRIM_LEFT_ON = Fault("trim_at_full_throttle", "warning", Say.TRIM_LEFT_ON, 0.5, _trim_left_on)
HIDDEN_FUEL = Fault("hidden_enrichment", "note", Say.HIDDEN, 1.0, _hidden)
