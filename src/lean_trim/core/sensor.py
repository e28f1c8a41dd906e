"""What a lambda sensor's own readings tell about it."""

from __future__ import annotations

import numpy as np

from .physics import Floats


def end_stops(lam: Floats) -> tuple[float, float]:
    """Readings at or past these are this sensor's own ends: its extremes, where it stays on them for 0.5 % of the log.

    0 and infinity where the log shows no end.
    """
    part = lam[np.isfinite(lam)]
    if not len(part):
        return 0.0, np.inf
    low, high = float(part.min()), float(part.max())
    stays_low, stays_high = np.mean(part <= low + 1e-6) > 0.005, np.mean(part >= high - 1e-6) > 0.005
    return (low + 0.01 if stays_low and low < 0.8 else 0.0), (high - 0.01 if stays_high and high > 1.12 else np.inf)
