"""Compiled loops along a log: slopes, hold-offs, lags, running means, interpolation. Imported where used, never at start.

Each is linear in the number of samples. Arrays are contiguous float64 or bool of shape (n,); time never runs backwards.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from .physics import Floats, Mask
from .tables import Ints

ANCHOR = 2048
"""Samples after which a running sum is formed anew, so that rounding cannot add up."""


@njit(cache=True, nogil=True)
def slope(values: Floats, time_s: Floats, half: int) -> Floats:  # pragma: no cover - compiled
    """Slope of a straight line over ``half`` samples on either side, per second; NaN samples count as the mean."""
    n = len(values)
    out = np.empty(n)
    total, count = 0.0, 0
    for i in range(n):
        if np.isfinite(values[i]):
            total += values[i]
            count += 1
    fill = total / count if count else 0.0
    ramp = rise = plain_x = plain_t = 0.0
    for i in range(n):
        if i % ANCHOR == 0:
            ramp = rise = plain_x = plain_t = 0.0
            for j in range(-half, half + 1):
                x, t = _padded(values, i + j, fill), _mirrored(time_s, i + j)
                ramp += j * x
                rise += j * t
                plain_x += x
                plain_t += t
        out[i] = ramp / max(abs(rise), 1e-9)
        old, new = _padded(values, i - half, fill), _padded(values, i + half + 1, fill)
        ramp += (half + 1) * old + half * new - plain_x
        plain_x += new - old
        old, new = _mirrored(time_s, i - half), _mirrored(time_s, i + half + 1)
        rise += (half + 1) * old + half * new - plain_t
        plain_t += new - old
    return out


@njit(cache=True, nogil=True, inline="always")
def _padded(values: Floats, i: int, fill: float) -> float:  # pragma: no cover - compiled
    x = values[min(max(i, 0), len(values) - 1)]
    return x if np.isfinite(x) else fill


@njit(cache=True, nogil=True, inline="always")
def _mirrored(time_s: Floats, i: int) -> float:  # pragma: no cover - compiled
    last = len(time_s) - 1
    if i < 0:
        return 2.0 * time_s[0] - time_s[min(-i, last)]
    if i > last:
        return 2.0 * time_s[last] - time_s[max(2 * last - i, 0)]
    return time_s[i]


@njit(cache=True, nogil=True)
def hold_off(mask: Mask, time_s: Floats, before_s: float, after_s: float) -> Mask:  # pragma: no cover - compiled
    """Every True sample extended by a time before and after it, s, >= 0."""
    n = len(mask)
    out = np.zeros(n, np.bool_)
    until = -np.inf
    for i in range(n):
        if mask[i]:
            until = time_s[i] + after_s + 1e-9
        out[i] = time_s[i] <= until
    since = np.inf
    for i in range(n - 1, -1, -1):
        if mask[i]:
            since = time_s[i] - before_s - 1e-9
        if time_s[i] >= since:
            out[i] = True
    return out


@njit(cache=True, nogil=True)
def onsets(mask: Mask, time_s: Floats, quiet_s: float) -> Ints:  # pragma: no cover - compiled
    """Positions of True samples with no True sample in the ``quiet_s`` before them."""
    found = np.empty(len(mask), np.intp)
    count, last = 0, -np.inf
    for i in range(len(mask)):
        if mask[i]:
            if time_s[i] - last > quiet_s:
                found[count] = i
                count += 1
            last = time_s[i]
    return found[:count].copy()


@njit(cache=True, nogil=True)
def lag(time_s: Floats, values: Floats, tau_s: float, gap_s: float) -> Floats:  # pragma: no cover - compiled
    """First-order lag of values held between samples; begins in steady state and anew after a gap."""
    out = np.empty(len(values))
    state, step, keep = 0.0, -1.0, 0.0
    for i in range(len(values)):
        dt = time_s[i] - time_s[i - 1] if i else gap_s + 1.0
        if dt > gap_s:
            state = values[i]
        else:
            if abs(dt - step) > 1e-4 * step:
                step, keep = dt, np.exp(-dt / tau_s)
            state = keep * state + (1.0 - keep) * values[i]
        out[i] = state
    return out


@njit(cache=True, nogil=True)
def box_mean(values: Floats, half: int) -> Floats:  # pragma: no cover - compiled
    """Running mean over ``half`` samples on either side, the ends repeated."""
    n = len(values)
    out = np.empty(n)
    total = 0.0
    for i in range(n):
        if i % ANCHOR == 0:
            total = 0.0
            for j in range(-half, half + 1):
                total += values[min(max(i + j, 0), n - 1)]
        out[i] = total / (2 * half + 1)
        total += values[min(i + half + 1, n - 1)] - values[max(i - half, 0)]
    return out


@njit(cache=True, nogil=True)
def time_from_edge(used: Mask, time_s: Floats) -> Floats:  # pragma: no cover - compiled
    """Time from each sample to the nearest one left out, s; infinity where there is none."""
    n = len(used)
    out = np.empty(n)
    last = -np.inf
    for i in range(n):
        if not used[i]:
            last = time_s[i]
        out[i] = time_s[i] - last
    following = np.inf
    for i in range(n - 1, -1, -1):
        if not used[i]:
            following = time_s[i]
        out[i] = min(out[i], following - time_s[i])
    return out


@njit(cache=True, nogil=True)
def mesh_1d(points: Floats, x: Floats) -> tuple[Ints, Floats]:  # pragma: no cover - compiled
    """Cells and weights of every sample on a curve, (n, 2); NaN gives NaN weights on the first cell."""
    cells, weights = np.empty((len(x), 2), np.intp), np.empty((len(x), 2))
    for i in range(len(x)):
        low, u = _locate(points, x[i])
        cells[i, 0], cells[i, 1] = low, low + 1
        weights[i, 0], weights[i, 1] = 1.0 - u, u
    return cells, weights


@njit(cache=True, nogil=True)
def mesh_2d(rows: Floats, columns: Floats, y: Floats, x: Floats) -> tuple[Ints, Floats]:  # pragma: no cover - compiled
    """Cells and weights of every sample on a grid, (n, 4), corners in row order."""
    cells, weights = np.empty((len(x), 4), np.intp), np.empty((len(x), 4))
    width = len(columns)
    for i in range(len(x)):
        r, v = _locate(rows, y[i])
        c, u = _locate(columns, x[i])
        base = r * width + c
        cells[i, 0], cells[i, 1], cells[i, 2], cells[i, 3] = base, base + 1, base + width, base + width + 1
        weights[i, 0], weights[i, 1] = (1.0 - v) * (1.0 - u), (1.0 - v) * u
        weights[i, 2], weights[i, 3] = v * (1.0 - u), v * u
    return cells, weights


@njit(cache=True, nogil=True)
def _locate(points: Floats, x: float) -> tuple[int, float]:  # pragma: no cover - compiled
    if np.isnan(x):
        return 0, np.nan
    last = len(points) - 2
    x = min(max(x, points[0]), points[-1])
    low, high = 0, last
    while low < high:
        middle = (low + high + 1) // 2
        if points[middle] <= x:
            low = middle
        else:
            high = middle - 1
    return low, (x - points[low]) / (points[low + 1] - points[low])


@njit(cache=True, nogil=True)
def read_mesh(cells: Ints, weights: Floats, values: Floats) -> Floats:  # pragma: no cover - compiled
    """Interpolated value of every sample."""
    out = np.empty(len(cells))
    for i in range(len(cells)):
        total = 0.0
        for j in range(cells.shape[1]):
            total += weights[i, j] * values[cells[i, j]]
        out[i] = total
    return out


@njit(cache=True, nogil=True)
def nearest_cell(cells: Ints, weights: Floats) -> Ints:  # pragma: no cover - compiled
    """The corner with the largest weight of every sample (the later one where two are equal)."""
    out = np.empty(len(cells), np.intp)
    for i in range(len(cells)):
        best = 0
        for j in range(1, cells.shape[1]):
            if weights[i, j] >= weights[i, best] - 1e-12:
                best = j
        out[i] = cells[i, best]
    return out


@njit(cache=True, nogil=True)
def dwell(cells: Ints, time_s: Floats, gap_s: float) -> Floats:  # pragma: no cover - compiled
    """How long the unbroken stay in the same cell lasted that each sample belongs to, s."""
    out = np.empty(len(cells))
    begin = 0
    for i in range(1, len(cells) + 1):
        if i == len(cells) or cells[i] != cells[begin] or time_s[i] - time_s[i - 1] > gap_s:
            stay = time_s[min(i, len(cells) - 1)] - time_s[begin]
            if i < len(cells) and time_s[i] - time_s[i - 1] > gap_s:
                stay = time_s[i - 1] - time_s[begin]
            out[begin:i] = stay
            begin = i
    return out


@njit(cache=True, nogil=True)
def count_evidence(
    cells: Ints, weights: Floats, seconds: Floats, time_s: Floats, size: int, share: float, gap_s: float
) -> tuple[Floats, Ints]:  # pragma: no cover - compiled
    """Weighted seconds and separate visits per cell; samples in time order."""
    total, visits, last = np.zeros(size), np.zeros(size, np.intp), np.full(size, -np.inf)
    for i in range(len(cells)):
        for j in range(cells.shape[1]):
            cell, w = cells[i, j], weights[i, j]
            total[cell] += w * seconds[i]
            if w >= share:
                if time_s[i] - last[cell] > gap_s:
                    visits[cell] += 1
                last[cell] = time_s[i]
    return total, visits
