"""Minimum and maximum of a channel per screen column, fast at every zoom; knows gaps, NaN and uneven time."""

from __future__ import annotations

import warnings

import numpy as np

from lean_trim.core.types import Floats

FACTOR = 8
"""Samples joined into one at each level (a choice)."""


class Pyramid:
    """Levels of block minima and maxima over one channel.

    Parameters
    ----------
    time_s : (n,) rising times. values : (n,), NaN where nothing was recorded.
    """

    def __init__(self, time_s: Floats, values: Floats) -> None:
        self.time_s = np.asarray(time_s, float)
        self.values = np.asarray(values, float)
        steps = np.diff(self.time_s)
        # Slow channels repeat every few rows; only a longer silence is a gap.
        self.gap_s = 8.0 * float(np.median(steps)) if len(steps) else np.inf
        self.levels: list[tuple[Floats, Floats]] = [(self.values, self.values)]
        while len(self.levels[-1][0]) > 4 * FACTOR:
            low, high = self.levels[-1]
            starts = np.arange(0, len(low), FACTOR)
            self.levels.append((np.fmin.reduceat(low, starts), np.fmax.reduceat(high, starts)))
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", RuntimeWarning)
            self.range = (float(np.nanmin(self.values)), float(np.nanmax(self.values)))

    def columns(self, start_s: float, end_s: float, width: int) -> tuple[Floats, Floats]:
        """Lowest and highest value in each of ``width`` equal time columns, each (width,); NaN in gaps.

        Parameters
        ----------
        start_s, end_s : the stretch shown, s.
        width : columns, >= 1.

        Returns
        -------
        Both of shape (width,).
        """
        edges = np.linspace(start_s, end_s, width + 1)
        cut = np.searchsorted(self.time_s, edges)
        per_column = (cut[-1] - cut[0]) / max(width, 1)
        level = 0
        # The coarsest level that still has two blocks a column, so that no extreme is smeared.
        while level + 1 < len(self.levels) and per_column >= 2 * FACTOR ** (level + 1):
            level += 1
        low, high = self._reduce(cut, level)
        empty = cut[1:] == cut[:-1]
        # Zoomed in beyond the samples a column may hold none; the trace runs through it all the
        # same.
        if empty.any():
            between = self._between((edges[:-1] + edges[1:])[empty] / 2)
            low[empty], high[empty] = between, between
        return low, high

    def _reduce(self, cut: np.ndarray, level: int) -> tuple[Floats, Floats]:
        block = FACTOR**level
        low, high = self.levels[level]
        # Blocks at the edges belong to two columns; both show their extremes.
        starts = np.minimum(cut[:-1] // block, len(low) - 1)
        ends = np.minimum(np.maximum(-(-cut[1:] // block), starts + 1), len(low))
        pairs = np.stack([starts, np.minimum(ends, len(low) - 1)], axis=1).ravel()
        lows = np.fmin.reduceat(low, pairs)[::2]
        highs = np.fmax.reduceat(high, pairs)[::2]
        last = ends == len(low)
        if last.any():
            lows[last], highs[last] = np.fmin(lows[last], low[-1]), np.fmax(highs[last], high[-1])
        return lows, highs

    def _between(self, at: Floats) -> Floats:
        """Straight line between neighbours; NaN outside the log and across gaps."""
        right = np.searchsorted(self.time_s, at)
        inside = (right > 0) & (right < len(self.time_s))
        r = np.clip(right, 1, len(self.time_s) - 1)
        t0 = self.time_s[r - 1]
        t1 = self.time_s[r]
        share = (at - t0) / np.where(t1 > t0, t1 - t0, 1.0)
        value = self.values[r - 1] + share * (self.values[r] - self.values[r - 1])
        return np.where(inside & (t1 - t0 <= self.gap_s), value, np.nan)


def touch(low: Floats, high: Floats) -> tuple[Floats, Floats]:
    """Stretch each column's range until it meets the column before, so that a drawn trace has no breaks.

    Parameters
    ----------
    low, high : extremes by column, NaN in gaps, shape (width,).

    Returns
    -------
    The stretched extremes.
    """
    low2 = low.copy()
    high2 = high.copy()
    low2[1:] = np.fmin(low[1:], np.where(np.isnan(high[:-1]), low[1:], high[:-1]))
    high2[1:] = np.fmax(high[1:], np.where(np.isnan(low[:-1]), high[1:], low[:-1]))
    low2[np.isnan(low)], high2[np.isnan(high)] = np.nan, np.nan
    return low2, high2
