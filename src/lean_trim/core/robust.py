"""Scatter that a few wild values do not widen."""

from __future__ import annotations

import numpy as np

from lean_trim.core.types import Floats

MAD_TO_SIGMA = 1.4826
"""A median absolute deviation times this is the standard deviation of a normal distribution: 1 /
Φ⁻¹(3/4)."""


def robust_sigma(values: Floats) -> float:
    """Standard deviation of values about their median, by the median absolute deviation.

    Parameters
    ----------
    values : finite, shape (n,), n > 0.

    Returns
    -------
    In the unit of the values; that of a normal distribution where they have one.
    """
    return MAD_TO_SIGMA * float(np.median(np.abs(values - np.median(values))))
