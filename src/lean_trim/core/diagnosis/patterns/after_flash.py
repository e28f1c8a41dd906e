"""Rich at first and less so by the minute: an ECU that settles after a flash."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD = 0.06
FADES_S = 110.0
"""Time constant looked for; real ones lie from one minute to twenty (common practice, no
source)."""
LEAST_RANGE = 0.15
"""Least the course must fall, as a share of its beginning, to be told from a level."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "after_flash.seen",
        "At equal states the drive needs less fuel in its first minutes, {size:+.0f} % (± "
        "{error:.0f}) at the beginning: as when an ECU settles after a flash.",
    )
    EFFECT = Message(
        "after_flash.effect",
        "Cells driven early would be made lean for a richness that goes away by itself.",
    )
    NEXT = Message(
        "after_flash.next",
        "Leave those minutes out (rule After-flash settling in the sieve), or drive again without "
        "a flash.",
    )
    TEST = Message("after_flash.test", "the same states again half an hour later")


def _course(driving: Driving) -> Floats | None:
    course = np.exp(-driving.since_s / FADES_S)
    return np.asarray(course) if course.max() - course.min() > LEAST_RANGE else None


PATTERN = Pattern(
    id="after_flash",
    severity="warning",
    course=_course,
    spread=SPREAD,
    sign=-1,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="settling after a flash",
    test=Say.TEST,
    in_time=True,
    samples="count_no_leaner",
    blocks=True,
)
