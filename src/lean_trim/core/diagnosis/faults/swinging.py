"""Regular swings of a channel in steady driving."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.log import fill_missing, running_box
from lean_trim.core.types import Floats, Ints, Mask

SWING_MEAN_S = 3.0
"""Time of the mean a swing is about, s."""
SWING_OVER_S = 8.0
"""Time over which two swings are held against each other, s."""
PERIOD_S = (0.4, 5.0)
"""Time between the crossings of its mean, doubled, that makes it a swing and not a change of
state."""
LEAST_CROSSINGS = 4
"""Crossings of the mean that make a swing regular."""
LEAST_RANGE = 1e-12
UNEVEN = 0.45
"""Scatter of the times between crossings, over their mean, from which it is wandering and no
swing."""


@dataclass(frozen=True, eq=False)
class Swings:
    """Size (standard deviation about the mean over some seconds) and period, s, of every sample, (n,)."""

    size: Floats
    period_s: Floats
    regular: Mask


def swings_of(
    values: Floats, steady: Mask, time_s: Floats, step_s: float, beside: Floats | None = None
) -> Swings:
    """Look for swings.

    Parameters
    ----------
    values : of a channel, shape (n,).
    steady : where swings are not the driver's, shape (n,).
    time_s, step_s : of the log.
    beside : a channel that may explain the swings, which are then none of this one's own, shape
        (n,).

    Returns
    -------
    Size in the channel's unit; ``regular`` where it crosses its mean again and again.
    """
    about = _about_mean(values, steady, time_s)
    if beside is not None:
        other = _about_mean(beside, steady, time_s)
        common = running_box(about * other, time_s, SWING_OVER_S)
        range_of = running_box(other**2, time_s, SWING_OVER_S)
        about = about - other * common / np.maximum(range_of, LEAST_RANGE)
    # Sums that run along are off by rounding, also below 0.
    size = np.sqrt(np.maximum(running_box(about**2, time_s, SWING_OVER_S), 0.0))
    crossing = np.zeros(len(time_s))
    crossing[1:] = (about[1:] * about[:-1] < 0.0).astype(float)
    count = running_box(crossing, time_s, SWING_OVER_S) * SWING_OVER_S / step_s
    with np.errstate(divide="ignore"):
        period = 2.0 * SWING_OVER_S / count
    even = _evenness(np.flatnonzero(crossing), time_s) <= UNEVEN
    regular = even & (count >= LEAST_CROSSINGS) & (period >= PERIOD_S[0]) & (period <= PERIOD_S[1])
    return Swings(size, period, np.asarray(steady & regular))


def _about_mean(values: Floats, steady: Mask, time_s: Floats) -> Floats:
    filled = fill_missing(values, 0.0)
    return np.where(steady, filled - running_box(filled, time_s, SWING_MEAN_S), 0.0)


def _evenness(crossings: Ints, time_s: Floats) -> Floats:
    """Scatter over mean of the times between crossings about every sample, shape (n,); inf without any."""
    out = np.full(len(time_s), np.inf)
    if len(crossings) < LEAST_CROSSINGS + 1:
        return out
    # Whole swings: where the mean lies off the middle, halves differ in turn.
    at = time_s[crossings]
    whole = at[2:] - at[:-2]
    width = min(LEAST_CROSSINGS, len(whole))
    near = np.lib.stride_tricks.sliding_window_view(whole, width)
    scatter = near.std(axis=1) / near.mean(axis=1)
    middle = at[width // 2 + 1 :][: len(scatter)]
    which = np.searchsorted(middle, time_s).clip(max=len(scatter) - 1)
    out[:] = scatter[which]
    return out
