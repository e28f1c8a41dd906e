"""A percentage that grows as pulses get shorter: the injectors' dead time."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD_MS = 0.3
"""Standard deviation, before any driving, of a dead time's error, ms."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "dead_time.seen",
        "The need for fuel grows as pulses get shorter, to {size:+.0f} % (± {error:.0f}) at the "
        "shortest: as with a dead time that is about {coefficient:+.1f} ms off.",
    )
    EFFECT = Message(
        "dead_time.effect",
        "Written into the airflow table it bends idle and light load, and is wrong again at "
        "another voltage.",
    )
    NEXT = Message(
        "dead_time.next",
        "Look at the Injectors desk, which tells it from airflow, before the table.",
    )
    TEST = Message(
        "dead_time.test",
        "one steady state with one and with two injections a cycle, or at another voltage or "
        "coolant",
    )


def _course(driving: Driving) -> Floats | None:
    if np.isnan(driving.open_ms).mean() > 0.5:
        return None
    known = np.where(np.isfinite(driving.open_ms), driving.open_ms, np.nanmedian(driving.open_ms))
    return np.asarray(1.0 / known)


PATTERN = Pattern(
    id="dead_time",
    severity="warning",
    course=_course,
    spread=SPREAD_MS,
    sign=0,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="dead time",
    test=Say.TEST,
)
