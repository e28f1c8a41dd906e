"""Lean that grows with flow where nobody logged the fuel pressure: a pump may be sagging."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD = 0.12
FROM_SHARE = 0.35
"""Share of the largest airflow from which a weak pump falls behind (common practice, no source)."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "unseen_sag.seen",
        "Leaner and leaner with flow, {size:+.0f} % (± {error:.0f}) at the most air: as with a "
        "pump that sags. Fuel pressure was not logged.",
    )
    EFFECT = Message(
        "unseen_sag.effect",
        "A table enriched for it runs rich once the pump is mended, and lean again as it gets "
        "worse.",
    )
    NEXT = Message(
        "unseen_sag.next",
        "Log differential fuel pressure on one full-throttle run before the boost cells.",
    )
    TEST = Message("unseen_sag.test", "a fuel-pressure gauge on one full-throttle run")


def _course(driving: Driving) -> Floats | None:
    if driving.pressure_known:
        return None
    share = driving.flow / driving.high_flow
    return np.maximum(share - FROM_SHARE, 0.0) / (1.0 - FROM_SHARE)


PATTERN = Pattern(
    id="unseen_sag",
    severity="warning",
    course=_course,
    spread=SPREAD,
    sign=1,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="a pump that sags",
    test=Say.TEST,
    samples="count_no_leaner",
    blocks=True,
)
