"""Full-throttle runs after a plan: in which gear, between which speeds, how often, and when not yet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.messages import Message
from lean_trim.core.planning.plan import Plan
from lean_trim.core.planning.reach import FASTEST_KMH
from lean_trim.core.planning.states import RPM_STEP
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    RUNS = Message(
        "full_throttle.runs",
        "Full throttle apart, once this plan was driven and corrected: {gear}, {first:.0f} to "
        "{last:.0f} rpm, {count} runs, {minutes:g} minutes of light load between.",
    )
    GEAR = Message("full_throttle.gear", "gear {gear}")
    ANY_GEAR = Message("full_throttle.any_gear", "a gear in which a run takes five seconds or more")
    ABOVE = Message(
        "full_throttle.above", "Not above {rpm:.0f} rpm yet: nothing there is proven at that load."
    )
    NOT_YET = Message(
        "full_throttle.not_yet",
        "Full throttle not yet: too little of it stands on proven load. Drive this plan, then plan again.",
    )
    ABORT = Message(
        "full_throttle.abort",
        "End a run at once: lambda over {lean:.2f} × target for {held:.1f} s, knock, falling fuel "
        "pressure, coolant or exhaust at its limit.",
    )


ABORT_LEAN = 1.05
ABORT_HELD_S = 0.3
"""λ over its target, and for how long, at which load is to be ended at once (common practice, no source); on
the card and while a drive is watched."""
RUNS = 3
REST_MIN = 2.0
"""How often, and how long the engine rests between (common practice, no source)."""
LEAST_SPAN_RPM = 1400.0
"""A shorter run tells nothing: enrichment and sensor take most of it to settle."""


@dataclass(frozen=True)
class FullThrottle:
    """Where full throttle may be driven after a plan.

    Attributes
    ----------
    first_rpm, last_rpm : between which; equal where it may not be.
    highest_rpm : of all states at full load.
    """

    first_rpm: float
    last_rpm: float
    highest_rpm: float

    @property
    def may_be_driven(self) -> bool:
        """Whether the span is long enough to tell anything."""
        return self.last_rpm - self.first_rpm >= LEAST_SPAN_RPM


def full_throttle_of(plan: Plan) -> FullThrottle:
    """The longest run of speeds at which the highest load is offered once the plan was driven.

    Parameters
    ----------
    plan : of the next drive.

    Returns
    -------
    Where it may be driven.
    """
    known = plan.known
    speeds = np.unique(known.rpm)
    offered = [_top_is_offered(plan, speed) for speed in speeds.tolist()]
    best: tuple[float, float] = (0.0, 0.0)
    start = None
    for speed, on in zip(speeds.tolist(), offered, strict=True):
        start = (speed if start is None else start) if on else None
        if start is not None and speed - start > best[1] - best[0]:
            best = (start, speed)
    return FullThrottle(*best, highest_rpm=float(speeds[-1]) if len(speeds) else 0.0)


def _top_is_offered(plan: Plan, rpm: float) -> bool:
    here = np.flatnonzero(plan.known.rpm == rpm)
    return bool(plan.offered[here[np.argmax(plan.known.map_kpa[here])]])


def full_throttle_lines(plan: Plan, ratios: Floats | None = None) -> tuple[str, ...]:
    """The full-throttle plan in words, apart from the card.

    Parameters
    ----------
    plan : of the next drive.
    ratios : rpm per km/h by gear, from the first; None where they are not known.

    Returns
    -------
    A few sentences; when to end a run is always the last.
    """
    found = full_throttle_of(plan)
    if not found.may_be_driven:
        return (str(Say.NOT_YET()), str(Say.ABORT(lean=ABORT_LEAN, held=ABORT_HELD_S)))
    gear = _gear(found.last_rpm, ratios)
    said = Say.GEAR(gear=gear) if gear else Say.ANY_GEAR()
    runs = Say.RUNS(
        gear=str(said), first=found.first_rpm, last=found.last_rpm, count=RUNS, minutes=REST_MIN
    )
    above = (
        (str(Say.ABOVE(rpm=found.last_rpm)),)
        if found.highest_rpm - found.last_rpm >= RPM_STEP
        else ()
    )
    return (str(runs), *above, str(Say.ABORT(lean=ABORT_LEAN, held=ABORT_HELD_S)))


def _gear(last_rpm: float, ratios: Floats | None) -> int:
    """The longest gear, from the second to the fourth, that stays within the speed of a plan; 0 for none."""
    if ratios is None:
        return 0
    fits = [g for g in (2, 3, 4) if g <= len(ratios) and last_rpm / ratios[g - 1] <= FASTEST_KMH]
    return max(fits, default=0)
