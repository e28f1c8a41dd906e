"""Fuel need that moves along the drive at equal states: another fuel mixing in, or fuel that heats up."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD = 0.04
"""Standard deviation, before any driving, of ln k from the first to the last minute."""
LEAST_S = 300.0
"""Shortest drive that can show a drift, s."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "drift.seen",
        "Fuel need moved by {coefficient_pct:+.1f} % from the beginning to the end of the drive at "
        "equal states: a drift, as when the fuel changed in the tank or heats up in the rail.",
    )
    EFFECT = Message(
        "drift.effect",
        "It is taken off: the table is for the drive's mean, and for its richer end at full throttle "
        "and in boost.",
    )
    NEXT = Message(
        "drift.next",
        "Drive again on one tank with everything warm; log fuel temperature or ethanol where there "
        "is a sensor.",
    )
    TEST = Message("drift.test", "the same states at the beginning and the end of another drive")


def drift_course(time_s: Floats) -> Floats:
    """From the first to the last used sample by 1, 0 on average.

    Parameters
    ----------
    time_s : of the used samples, s, shape (m,).

    Returns
    -------
    Shape (m,); 0 where there is no time between them.
    """
    length = float(np.ptp(time_s)) if len(time_s) else 0.0
    if length <= 0.0:
        return np.zeros(len(time_s))
    share = (time_s - time_s.min()) / length
    return np.asarray(share - share.mean())


def _course(driving: Driving) -> Floats | None:
    return drift_course(driving.time_s) if np.ptp(driving.time_s) >= LEAST_S else None


PATTERN = Pattern(
    id="drift",
    severity="warning",
    course=_course,
    spread=SPREAD,
    sign=0,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="a fuel need that drifts",
    test=Say.TEST,
    in_time=True,
)
