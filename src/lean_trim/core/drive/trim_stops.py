"""Feedback that cannot go on, or has not arrived yet, where lambda was not logged.

A short-term trim that rests at the end of its range says only that the mixture wants at least so
much more (or less). One that still moves one way since the loop closed says the same of a smaller
amount. Neither is a reading of the table.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.narrowband import (
    LEAST_STOP_PCT,
    RESTS_AT_STOP_S,
    closed_loop,
    on_its_way,
    stop_sides,
)
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.types import Mask

HELD_S = 5.0
"""How long a product of trims must be held for the whole table to be scaled by it, s."""
MOST = 0.5
"""Share of the steady closed loop spent so, from which the whole table is scaled."""


def trim_stops(
    frame: Frame, least_pct: float = LEAST_STOP_PCT, rests_s: float = RESTS_AT_STOP_S
) -> NDArray[np.int8]:
    """Where the short-term trim rests at an end of its range, and lambda was not logged.

    Parameters
    ----------
    frame : a log seen through its calibration.
    least_pct : size a stop has at least, percent.
    rests_s : how long the trim rests there at least, s.

    Returns
    -------
    1 at the upper stop, -1 at the lower, 0 elsewhere, shape (n,).
    """
    if not frame.lambda_of_loop:
        return np.zeros(len(frame.log), np.int8)
    return stop_sides(frame.log, least_pct, rests_s)


def still_on_its_way(frame: Frame) -> Mask:
    """Where the loop has moved one way only since it closed, by more than a swing does.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    Shape (n,); all False where lambda was logged.
    """
    if not frame.lambda_of_loop:
        return np.zeros(len(frame.log), bool)
    return on_its_way(frame.log)


def whole_scale(frame: Frame, regime: NDArray[np.int8]) -> float:
    """By what the whole table is to be multiplied at least, where feedback hardly ever arrives.

    Parameters
    ----------
    frame : a log seen through its calibration.
    regime : of every sample, shape (n,).

    Returns
    -------
    The largest product of the trims that was held, > 1; 1 where feedback arrives, or pulls leaner:
    what nobody measured is never made leaner.
    """
    if not frame.lambda_of_loop:
        return 1.0
    stops = trim_stops(frame)
    steady = np.isin(regime, (Regime.IDLE, Regime.CRUISE)) & (closed_loop(frame.log) | (stops != 0))
    seconds = frame.log.durations_s
    unready = steady & ((stops != 0) | still_on_its_way(frame))
    if seconds[unready].sum() <= MOST * seconds[steady].sum() or not (stops > 0).any():
        return 1.0
    products = np.round(frame.trim[stops > 0], 3)
    levels, place = np.unique(products, return_inverse=True)
    held = np.bincount(place, seconds[stops > 0])
    # As long as at that product or beyond it.
    beyond = np.cumsum(held[::-1])[::-1]
    enough = levels[beyond >= HELD_S]
    return float(max(1.0, enough[-1])) if len(enough) else 1.0
