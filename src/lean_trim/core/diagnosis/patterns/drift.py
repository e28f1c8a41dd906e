"""Fuel need that moves along the drive at equal states: another fuel mixing in, or fuel that heats up."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD = 0.04
"""Standard deviation, before any driving, of ln k from the first to the last minute."""
LEAST_PCT = 0.75
"""Effect at either end of the drive from which it is told, percent: 1.5 from one end to the
other."""
LEAST_S = 300.0
"""Shortest drive that can show a drift, s."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "drift.seen",
        "Fuel need moved by {coefficient_pct:+.1f} % from {begins} to {ends} min at equal states: "
        "a "
        "drift, as when the fuel changed in the tank or heats up in the rail.",
    )
    EFFECT = Message(
        "drift.effect",
        "It is taken off: the table is for the drive's mean, and for its richer end at full "
        "throttle "
        "and in boost.",
    )
    NEXT = Message(
        "drift.next",
        "Drive again on one tank with everything warm; log fuel temperature or ethanol where there "
        "is a sensor.",
    )
    TEST = Message("drift.test", "the same states at the beginning and the end of another drive")


def drift_course(time_s: Floats, joints_s: Sequence[float]) -> Floats:
    """From the first to the last used sample of the longest drive by 1, 0 on average in each drive.

    Parameters
    ----------
    time_s : of the used samples on the joined log, s, shape (m,).
    joints_s : where one drive ends and the next begins.

    Returns
    -------
    Shape (m,); 0 where there is no time between them.
    """
    out = np.zeros(len(time_s))
    drive = np.searchsorted(np.asarray(joints_s, float), time_s, side="right")
    longest = 0.0
    for which in np.unique(drive):
        here = drive == which
        longest = max(longest, float(np.ptp(time_s[here])))
        out[here] = time_s[here] - time_s[here].mean()
    return out / longest if longest > 0.0 else out


def _course(driving: Driving) -> Floats | None:
    course = drift_course(driving.time_s, driving.joints_s)
    length = max((float(np.ptp(p)) for p in _drives(driving) if len(p)), default=0.0)
    return course if length >= LEAST_S else None


def _drives(driving: Driving) -> list[Floats]:
    return np.split(driving.time_s, np.searchsorted(driving.time_s, driving.joints_s))


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
    general=True,
    least_pct=LEAST_PCT,
)
