"""What is asked for goes with intake temperature at equal states: the ECU's air temperature is not right."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

PER_K = 10.0
SPREAD = 0.04
"""ln k per 10 K."""
LEAST_RANGE_K = 3.0
"""Least span of intake air temperature, K, that can show a trend."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "air_temperature.seen",
        "At equal states the need for fuel goes with intake temperature, by "
        "{coefficient_pct:+.1f} % per 10 K (up to "
        "{size:+.0f} % ± {error:.0f}): the air sensor, its place or its correction is not right.",
    )
    EFFECT = Message(
        "air_temperature.effect", "A table corrected today is off on a warmer or colder day."
    )
    NEXT = Message(
        "air_temperature.next",
        "Look at the air sensor, its place and the ECU's air-temperature correction; then drive "
        "again.",
    )
    TEST = Message("air_temperature.test", "the same states on a day 15 K colder or warmer")


def _course(driving: Driving) -> Floats | None:
    intake = driving.intake_c
    if not driving.vehicle.is_speed_density or not np.isfinite(intake).any():
        return None
    low, high = np.nanpercentile(intake, [2.0, 98.0])
    if high - low < LEAST_RANGE_K:
        return None
    middle = float(np.nanmedian(intake))
    return (np.nan_to_num(intake, nan=middle) - middle) / PER_K


PATTERN = Pattern(
    id="air_temperature",
    severity="note",
    course=_course,
    spread=SPREAD,
    sign=0,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="air temperature",
    test=Say.TEST,
    in_time=True,
)
