"""Two ways to go on after a swap, side by side by what each would leave.

Ours writes flow and dead time as they were told. By hand all dead times are changed by what brings
the mean error to zero, and what is not uniform then goes back to the airflow table (common
practice, no source): that bends the table to hide the flow, and the ECU's figures of consumption
and range come out wrong.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.estimation.places import Places
from lean_trim.core.injectors.identify import Split
from lean_trim.core.types import Floats

MOST_SHIFT_MS = 1.5
"""Largest change of dead time searched, ms, each way."""
STEPS = 60
"""Halvings of the search: the last is far below a microsecond."""


@dataclass(frozen=True)
class Methods:
    """What is left of the error, percent rms over the time driven, and what the hand practice would write.

    Attributes
    ----------
    as_it_is : nothing written.
    by_flow_and_dead_time : both written as told; what is left is airflow and noise.
    by_dead_time_alone : all dead times changed by ``hand_shift_ms``.
    hand_shift_ms : what brings the mean error to zero.
    bent_pct : how far the table would have to be bent afterwards, percent, from its most to its
        least.
    """

    as_it_is: float
    by_flow_and_dead_time: float
    by_dead_time_alone: float
    hand_shift_ms: float
    bent_pct: float


def compare_methods(places: Places, split: Split) -> Methods:
    """What each way would leave.

    Parameters
    ----------
    places : of a drive.
    split : flow, dead time and airflow apart.

    Returns
    -------
    Residuals over the time driven.
    """
    y = places.y - places.terms @ split.terms
    told = y + split.log_flow + _by_dead_time(places, split.dead_ms)
    shift = _hand_shift(places, y)
    by_hand = y + _by_dead_time(places, shift)
    low, high = np.percentile(by_hand, [5.0, 95.0])
    return Methods(
        as_it_is=_rms_pct(places, y),
        by_flow_and_dead_time=_rms_pct(places, told),
        by_dead_time_alone=_rms_pct(places, by_hand),
        hand_shift_ms=shift,
        bent_pct=100.0 * float(high - low),
    )


def _by_dead_time(places: Places, shift_ms: float) -> Floats:
    """What a change of the dead time takes off ln k."""
    return np.asarray(np.log(np.maximum(1.0 - shift_ms / places.open_ms, 0.05)))


def _rms_pct(places: Places, residual: Floats) -> float:
    return 100.0 * float(np.sqrt(np.average(residual**2, weights=places.seconds)))


def _hand_shift(places: Places, y: Floats) -> float:
    """The shift that brings the mean error over the time driven to zero; a longer one always adds fuel."""
    low = -MOST_SHIFT_MS
    high = MOST_SHIFT_MS
    for _ in range(STEPS):
        middle = 0.5 * (low + high)
        left = float(np.average(y + _by_dead_time(places, middle), weights=places.seconds))
        low, high = (middle, high) if left > 0.0 else (low, middle)
    return 0.5 * (low + high)
