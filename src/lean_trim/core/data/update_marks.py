"""When did a channel really change? Loggers repeat the last value of slow channels on every row."""

from __future__ import annotations

import numpy as np

from lean_trim.core.types import Floats, Ints, Mask

MIN_CHANGES = 20
"""Readings that moved, below which no update rate is told."""


def held_rows(values: Floats) -> int:
    """Rows between real updates of a channel that is held in between; 1 if it changes on any row.

    A channel counts as held every p rows (p >= 2) if at least 95 % of its changes keep one beat of
    p rows. Quantised signals repeat values too, but on no beat. Too few changes (under 20) tell
    nothing and give 1.

    Parameters
    ----------
    values : a channel, shape (n,).

    Returns
    -------
    Number of rows, >= 1.
    """
    moved = _moved(values)
    if len(moved) < MIN_CHANGES:
        return 1
    gaps = np.diff(moved)
    beat = int(np.percentile(gaps, 5))
    if beat < 2:
        return 1
    for period in (beat, beat - 1):
        if period >= 2 and np.mean(np.minimum(gaps % period, (-gaps) % period) == 0) >= 0.95:
            return period
    return 1


def update_mask(values: Floats) -> Mask:
    """True on rows that hold a new reading, shape (n,); every row if the channel is not held.

    Parameters
    ----------
    values : a channel, shape (n,); NaN where nothing was recorded.

    Returns
    -------
    True on rows with a new reading, never where there is none, shape (n,).
    """
    period = held_rows(values)
    if period == 1:
        return np.isfinite(values)
    moved = _moved(values)
    phase = int(np.bincount(moved % period, minlength=period).argmax())
    mask = np.zeros(len(values), bool)
    mask[phase::period] = True
    mask[moved] = True
    mask[0] = True
    return mask & np.isfinite(values)


def _moved(values: Floats) -> Ints:
    """Rows that differ from the row before; a hole is no change."""
    steps = np.diff(values)
    with np.errstate(invalid="ignore"):
        return np.asarray(np.flatnonzero((steps != 0) & np.isfinite(steps)) + 1)
