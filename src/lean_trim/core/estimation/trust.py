"""How far a figure is believed: whole, not at all, and between the two in part.

Where a threshold decided alone, the last digit of a log could turn a whole fit to its defaults.
"""

from __future__ import annotations

import numpy as np


def fading(value: float, whole: float, none: float) -> float:
    """1 up to ``whole``, 0 from ``none`` on, and a smooth way between.

    Parameters
    ----------
    value : NaN and infinity give 0.
    whole, none : ends of the way, in either order.

    Returns
    -------
    0 to 1 (the cubic that begins and ends level).
    """
    if not np.isfinite(value):
        return 0.0
    left = float(np.clip((value - none) / (whole - none), 0.0, 1.0))
    return left * left * (3.0 - 2.0 * left)
