"""What is asked for goes with the barometer at equal states: altitude is not corrected as it should be."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

PER_KPA = 10.0
SPREAD = 0.04
"""ln k per 10 kPa."""
LEAST_RANGE_KPA = 3.0
"""Least span of the barometer, kPa, that can show a trend."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "altitude.seen",
        "At equal states the need for fuel goes with the barometer, by "
        "{coefficient_pct:+.1f} % per 10 kPa "
        "(up to {size:+.0f} % ± {error:.0f}): altitude is not corrected as it should be.",
    )
    EFFECT = Message("altitude.effect", "A table corrected at one height is off at another.")
    NEXT = Message(
        "altitude.next",
        "Look at the barometer and the ECU's correction by it; until then correct from logs of "
        "one height.",
    )
    TEST = Message("altitude.test", "the same states at two heights, half an hour apart")


def _course(driving: Driving) -> Floats | None:
    baro = driving.baro_kpa
    low, high = np.percentile(baro, [2.0, 98.0])
    if high - low < LEAST_RANGE_KPA:
        return None
    return (baro - float(np.median(baro))) / PER_KPA


PATTERN = Pattern(
    id="altitude",
    severity="note",
    course=_course,
    spread=SPREAD,
    sign=0,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="altitude",
    test=Say.TEST,
    in_time=True,
)
