"""Regular swings of a channel in steady driving."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.log import fill_missing, running_box
from lean_trim.core.types import Floats, Mask

SWING_MEAN_S, SWING_OVER_S = 3.0, 8.0
PERIOD_S = (0.4, 5.0)
"""Time between the crossings of its mean, doubled, that makes it a swing and not a change of state."""
LEAST_CROSSINGS = 4


@dataclass(frozen=True, eq=False)
class Swings:
    """Size (standard deviation about the mean over some seconds) and period, s, of every sample, (n,)."""

    size: Floats
    period_s: Floats
    regular: Mask


def swings_of(values: Floats, steady: Mask, time_s: Floats, step_s: float) -> Swings:
    """Look for swings.

    Parameters
    ----------
    values : of a channel, shape (n,).
    steady : where swings are not the driver's, shape (n,).
    time_s, step_s : of the log.

    Returns
    -------
    Size in the channel's unit; ``regular`` where it crosses its mean again and again.
    """
    filled = fill_missing(values, 0.0)
    about = np.where(steady, filled - running_box(filled, time_s, SWING_MEAN_S), 0.0)
    size = np.sqrt(running_box(about**2, time_s, SWING_OVER_S))
    crossing = np.zeros(len(time_s))
    crossing[1:] = (about[1:] * about[:-1] < 0.0).astype(float)
    count = running_box(crossing, time_s, SWING_OVER_S) * SWING_OVER_S / step_s
    with np.errstate(divide="ignore"):
        period = 2.0 * SWING_OVER_S / count
    regular = (count >= LEAST_CROSSINGS) & (period >= PERIOD_S[0]) & (period <= PERIOD_S[1])
    return Swings(size, period, np.asarray(steady & regular))
