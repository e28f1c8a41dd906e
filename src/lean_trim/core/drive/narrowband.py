"""A narrowband loop says lambda 1 on average: what a log without a wideband still tells."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, extend_mask
from lean_trim.core.types import Floats, Mask

TREND_S = 3.0
"""Width of the mean about which a trim swings, s."""
LONGEST_S = 6.0
"""Longest time between two crossings of a working loop, s (common practice, no source)."""


def closed_loop(log: Log) -> Mask:
    """Where the loop is closed: by its flag, else within a second of a moving short-term trim.

    Returns true while feedback corrects, shape (n,).
    """
    flag = log.get(Role.CLOSED_LOOP)
    if Role.STFT not in log or np.isfinite(flag).all():
        return np.asarray(flag > 0.5)
    stft = np.nan_to_num(log[Role.STFT])
    # A loop that is open holds its trim; one that is closed moves it at least every second.
    moves = extend_mask(np.diff(stft, prepend=stft[:1]) != 0.0, log.time_s, 1.0, 1.0)
    return np.where(np.isfinite(flag), flag > 0.5, moves)


def with_loop_lambda(log: Log) -> Log:
    """The log with lambda 1 while the loop is closed and unknown otherwise.

    Parameters
    ----------
    log : of a vehicle whose loop has no wideband beside it.

    Returns
    -------
    The same log with lambda.
    """
    return replace(
        log, channels={**log.channels, Role.LAMBDA: np.where(closed_loop(log), 1.0, np.nan)}
    )


def running_mean(values: Floats, use: Mask, half: int) -> Floats:
    """Mean of the samples in use within ``half`` rows on either side.

    The value itself where there are none.

    Parameters
    ----------
    values : shape (n,).
    use : samples that count, shape (n,).
    half : rows on either side, >= 0.

    Returns
    -------
    Means, shape (n,).
    """
    total = np.concatenate([[0.0], np.cumsum(np.where(use, values, 0.0))])
    count = np.concatenate([[0], np.cumsum(use)])
    low = np.maximum(np.arange(len(values)) - half, 0)
    high = np.minimum(np.arange(len(values)) + half + 1, len(values))
    n = count[high] - count[low]
    return np.where(n > 0, (total[high] - total[low]) / np.maximum(n, 1), values)


def swing_period_s(log: Log) -> float:
    """Median time of a whole swing of the short-term trim, s; 0 if it does not swing.

    Parameters
    ----------
    log : a log with a short-term trim.

    Returns
    -------
    Seconds.
    """
    stft = np.nan_to_num(log[Role.STFT])
    use = closed_loop(log)
    # Against its own trend, because the mean of the trim drifts with load.
    level = running_mean(stft, use, max(1, round(TREND_S / 2 / log.step_s)))
    above = (stft > level) & use
    ups = log.time_s[1:][above[1:] & ~above[:-1] & use[:-1]]
    gaps = np.diff(ups)
    gaps = gaps[(gaps > 3 * log.step_s) & (gaps < LONGEST_S)]
    # Fewer swings are as likely noise.
    return float(np.median(gaps)) if len(gaps) >= 5 else 0.0


def cycle_mean_stft(log: Log) -> Floats:
    """Short-term trim averaged over whole swings (the fewest that last a second), percent, shape (n,).

    Parameters
    ----------
    log : a log with a short-term trim.

    Returns
    -------
    Percent, shape (n,).
    """
    stft = np.nan_to_num(log[Role.STFT])
    period = swing_period_s(log)
    if period == 0.0:
        return stft
    # Whole swings only: part of one would leave part of its amplitude in the mean.
    window = period * max(1, np.ceil(1.0 / period))
    return running_mean(stft, closed_loop(log), max(1, round(window / 2 / log.step_s)))
