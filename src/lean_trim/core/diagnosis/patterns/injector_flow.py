"""The same percentage everywhere: injector flow, fuel, pressure, or the scale of the airflow table."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD = 0.25
"""Standard deviation, before any driving, of ln k: sizes of injectors differ by a quarter."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "injector_flow.seen",
        "Everything needs {size:+.0f} % fuel (± {error:.0f}), the same percentage at every "
        "state: injector flow, fuel pressure, another fuel, or the scale of the whole airflow "
        "table.",
    )
    EFFECT = Message(
        "injector_flow.effect",
        "Written into the airflow table it makes the ECU believe in air that is not there: load, "
        "and what is read over it, shift alike.",
    )
    NEXT = Message(
        "injector_flow.next",
        "If injectors, fuel or pressure were changed, correct the injectors' flow (Injectors "
        "desk) or the engine's size (Write page) before the table.",
    )
    TEST = Message(
        "injector_flow.test", "weigh the fuel of a drive, or measure the injectors on a bench"
    )


def _course(driving: Driving) -> Floats:
    return np.ones(len(driving.flow))


PATTERN = Pattern(
    id="injector_flow",
    severity="warning",
    course=_course,
    spread=SPREAD,
    sign=0,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="injector flow",
    test=Say.TEST,
)
