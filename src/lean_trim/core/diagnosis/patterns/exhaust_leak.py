"""Lambda that reads lean at low flow: air drawn into the exhaust, or from the tailpipe."""

from __future__ import annotations

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD = 0.15
"""Standard deviation, before any driving, of ln k at the strongest of the course."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "exhaust_leak.seen",
        "Lambda reads lean at low flow and less so as flow grows, {size:+.0f} % (± {error:.0f}) "
        "at the lowest: as with air that gets into the exhaust ahead of the sensor.",
    )
    EFFECT = Message(
        "exhaust_leak.effect",
        "Idle and light load would be made rich for air that never was in the engine.",
    )
    NEXT = Message(
        "exhaust_leak.next",
        "Look at flanges and joints ahead of the sensor, and at its distance from the tailpipe, "
        "before idle.",
    )
    TEST = Message(
        "exhaust_leak.test",
        "the same airflow at two manifold pressures: an exhaust leak does not care",
    )


def _course(driving: Driving) -> Floats | None:
    return driving.low_flow / driving.flow


PATTERN = Pattern(
    id="exhaust_leak",
    severity="warning",
    course=_course,
    spread=SPREAD,
    sign=1,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="an exhaust leak",
    test=Say.TEST,
)
