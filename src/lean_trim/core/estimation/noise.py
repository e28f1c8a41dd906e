"""How noisy residuals are: their scatter and how long they stay correlated."""

from __future__ import annotations

import numpy as np

from lean_trim.core.robust import MAD_TO_SIGMA
from lean_trim.core.types import Floats, Ints

LONGEST_S = 6.0
"""Lag up to which residuals are looked at for being alike."""
CLIPPED = 3.0
"""Standard deviations beyond which a residual says no more."""


def noise_of_a_second(residual: Floats, run: Ints, step_s: float) -> float:
    """Variance of the mean of one second of driving.

    Parameters
    ----------
    residual : in time order, about 0, shape (m,).
    run : number of the unbroken run each belongs to, rising, shape (m,).
    step_s : time between samples.

    Returns
    -------
    Squared scatter times the seconds that count as one; 0 for residuals that do not scatter.
    """
    from lean_trim.core.kernels.fit_loops import correlation_time

    scatter = MAD_TO_SIGMA * float(np.median(np.abs(residual))) if len(residual) else 0.0
    if not scatter:
        return 0.0
    standard = np.clip(residual / scatter, -CLIPPED, CLIPPED)
    alike = correlation_time(standard, np.asarray(run, np.intp), max(2, round(LONGEST_S / step_s)))
    return scatter**2 * max(alike * step_s, step_s)
