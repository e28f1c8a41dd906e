"""Steps of the test found in a log: stretches in which the box's value stood, and their settled part."""

from __future__ import annotations

import numpy as np

from lean_trim.core.closed_loop_shift.response import Step
from lean_trim.core.types import Floats, Ints

SHORTEST_S = 6.0
"""A step is held for so long at least."""
SETTLED_S = 3.0
"""Its last seconds, which have to stand still."""
STILL = 0.015
STILL_TRIM_PCT = 3.0
"""How far λ and trim may drift between the halves of the settled part."""


def settled_steps(time_s: Floats, value: Floats, lam: Floats, trim_pct: Floats) -> list[Step]:
    """Settled steps of a test drive.

    Parameters
    ----------
    time_s, value, lam, trim_pct : shape (n,): time, what the box was set to (V), λ, short-term trim (%).

    Returns
    -------
    A step a stretch that was held and settled, in the order of the drive.
    """
    steps = []
    for stretch in _stretches(value):
        held = time_s[stretch]
        if held[-1] - held[0] < SHORTEST_S:
            continue
        last = stretch[held >= held[-1] - SETTLED_S]
        middle = len(last) // 2
        if middle < 2:
            continue
        drift = [
            abs(float(np.nanmean(x[last[:middle]]) - np.nanmean(x[last[middle:]])))
            for x in (lam, trim_pct)
        ]
        if drift[0] <= STILL and drift[1] <= STILL_TRIM_PCT:
            steps.append(
                Step(
                    float(value[stretch[0]]),
                    float(np.nanmean(lam[last])),
                    float(np.nanmean(trim_pct[last])),
                )
            )
    return steps


def _stretches(value: Floats) -> list[Ints]:
    """Rows of equal value, one after the other; rows without one belong to none."""
    changes = np.flatnonzero(np.diff(value) != 0.0) + 1
    return [s for s in np.split(np.arange(len(value)), changes) if np.isfinite(value[s[0]])]
