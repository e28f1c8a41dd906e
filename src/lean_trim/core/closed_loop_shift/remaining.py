"""Trims that remain in each load cell with the box as it is: what the second pass takes over."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.closed_loop_shift.feed_forward import next_feed_forward
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, rate_per_s
from lean_trim.core.types import Floats, Mask

LEAST_S = 3.0
"""In a cell, before its trims say anything."""
WARM_C = 70.0
"""Coolant below which a loop is not the one the test was made of (common practice, no source)."""
OVER_S = 1.0
STEADY_RPM_S = 200.0
STEADY_KPA_S = 10.0
CUT_LAMBDA = 1.25
STOP_PCT = 24.5
"""A trim this far out may stand at its stop, and then says only that more is needed."""


@dataclass(frozen=True, eq=False)
class Remaining:
    """What a drive with the box showed.

    Attributes
    ----------
    trim_pct : (1 + STFT)(1 + LTFT) - 1 by cell, percent; NaN where too little was driven.
    seconds : by cell.
    stopped : cells in which a trim stood at its stop for a second or more.
    """

    trim_pct: Floats
    seconds: Floats
    stopped: Mask

    def fed_forward(self, before_pct: Floats) -> Floats:
        """The next feed-forward; what was not driven stays."""
        return next_feed_forward(before_pct, self.trim_pct)


def remaining_trims(log: Log, pressure: Floats, speed: Floats) -> Remaining:
    """Trims by the nearest cell, of seconds in which the loop was closed, warm and steady.

    Parameters
    ----------
    log : driven with the box as it is.
    pressure, speed : axis points of the box's map, kPa and rpm, rising, shape (m,) and (n,).

    Returns
    -------
    Means, shape (m, n).

    Raises
    ------
    LogError
        If engine speed, manifold pressure or the short-term trim was not logged.
    """
    log.require([Role.RPM, Role.MAP, Role.STFT])
    short, long = log[Role.STFT], np.nan_to_num(log.get(Role.LTFT, 0.0))
    trim = 100.0 * ((1.0 + short / 100.0) * (1.0 + long / 100.0) - 1.0)
    use = _settled(log) & np.isfinite(trim)
    shape = (len(pressure), len(speed))
    at = np.ravel_multi_index(
        (_nearest(pressure, log[Role.MAP][use]), _nearest(speed, log[Role.RPM][use])), shape
    )
    weight = log.durations_s[use]
    size = shape[0] * shape[1]
    seconds = np.bincount(at, weight, size)
    total = np.bincount(at, weight * trim[use], size)
    out = np.abs(short[use]) >= STOP_PCT
    stopped = np.bincount(at, weight * out, size) >= OVER_S
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(seconds >= LEAST_S, total / seconds, np.nan)
    return Remaining(
        trim_pct=np.asarray(mean, float).reshape(shape),
        seconds=np.asarray(seconds, float).reshape(shape),
        stopped=np.asarray(stopped, bool).reshape(shape),
    )


def _settled(log: Log) -> Mask:
    """Rows that count."""
    use = np.isfinite(log[Role.RPM]) & np.isfinite(log[Role.MAP])
    use &= np.abs(rate_per_s(log.time_s, log[Role.RPM], OVER_S)) < STEADY_RPM_S
    use &= np.abs(rate_per_s(log.time_s, log[Role.MAP], OVER_S)) < STEADY_KPA_S
    # Comparisons with what was not logged are false, and leave nothing out.
    use &= ~(log.get(Role.COOLANT) < WARM_C) & ~(log.get(Role.LAMBDA) > CUT_LAMBDA)
    if Role.CLOSED_LOOP in log:
        use &= log[Role.CLOSED_LOOP] > 0.5
    return use


def _nearest(points: Floats, values: Floats) -> np.ndarray:
    return np.searchsorted(0.5 * (points[1:] + points[:-1]), values)
