"""Compiled loops over the cells each sample reads: interpolation, evidence, observations.

Imported where used, never at start.

Arrays are contiguous; ``cells`` and ``weights`` have shape (n, corners), the others (n,).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from lean_trim.core.types import Floats, Ints, Mask


@njit(cache=True, nogil=True, error_model="numpy")
def mesh_1d(points: Floats, x: Floats) -> tuple[Ints, Floats]:  # pragma: no cover - compiled
    """Cells and weights of every sample on a curve, (n, 2); NaN gives NaN weights on the first cell.

    Parameters
    ----------
    points : axis, strictly rising.
    x : coordinates, shape (n,).

    Returns
    -------
    Flat cell indices and weights.
    """
    cells = np.empty((len(x), 2), np.intp)
    weights = np.empty((len(x), 2))
    for i in range(len(x)):
        low, u = _locate(points, x[i])
        cells[i, 0], cells[i, 1] = low, low + 1
        weights[i, 0], weights[i, 1] = 1.0 - u, u
    return cells, weights


@njit(cache=True, nogil=True, error_model="numpy")
def mesh_2d(
    rows: Floats, columns: Floats, y: Floats, x: Floats
) -> tuple[Ints, Floats]:  # pragma: no cover - compiled
    """Cells and weights of every sample on a grid, (n, 4), corners in row order.

    Parameters
    ----------
    rows, columns : axes, strictly rising.
    y, x : coordinates along rows and columns, shape (n,).

    Returns
    -------
    Flat cell indices and weights.
    """
    cells = np.empty((len(x), 4), np.intp)
    weights = np.empty((len(x), 4))
    width = len(columns)
    for i in range(len(x)):
        r, v = _locate(rows, y[i])
        c, u = _locate(columns, x[i])
        base = r * width + c
        cells[i, 0], cells[i, 1], cells[i, 2], cells[i, 3] = (
            base,
            base + 1,
            base + width,
            base + width + 1,
        )
        weights[i, 0], weights[i, 1] = (1.0 - v) * (1.0 - u), (1.0 - v) * u
        weights[i, 2], weights[i, 3] = v * (1.0 - u), v * u
    return cells, weights


@njit(cache=True, nogil=True, error_model="numpy")
def _locate(points: Floats, x: float) -> tuple[int, float]:  # pragma: no cover - compiled
    if np.isnan(x):
        return 0, np.nan
    # Beyond its ends a table holds its last value, as ECUs do.
    last = len(points) - 2
    x = min(max(x, points[0]), points[-1])
    low = 0
    high = last
    while low < high:
        middle = (low + high + 1) // 2
        # The last interval that begins at or below: on a breakpoint all weight lies on it either
        # way.
        if points[middle] <= x:
            low = middle
        else:
            high = middle - 1
    return low, (x - points[low]) / (points[low + 1] - points[low])


@njit(cache=True, nogil=True, error_model="numpy")
def read_mesh(
    cells: Ints, weights: Floats, values: Floats
) -> Floats:  # pragma: no cover - compiled
    """Interpolated value of every sample.

    Parameters
    ----------
    cells, weights : of n samples.
    values : of every cell, flat.

    Returns
    -------
    Shape (n,).
    """
    out = np.empty(len(cells))
    for i in range(len(cells)):
        total = 0.0
        for j in range(cells.shape[1]):
            total += weights[i, j] * values[cells[i, j]]
        out[i] = total
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def nearest_cell(cells: Ints, weights: Floats) -> Ints:  # pragma: no cover - compiled
    """The corner with the largest weight of every sample (the later one where two are equal).

    Returns flat cell index, shape (n,).
    """
    out = np.empty(len(cells), np.intp)
    for i in range(len(cells)):
        best = 0
        for j in range(1, cells.shape[1]):
            # Equal within rounding, or the cell would depend on the last bit of the axis.
            if weights[i, j] >= weights[i, best] - 1e-12:
                best = j
        out[i] = cells[i, best]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def crossings(
    cells: Ints, row_rate: Floats, column_rate: Floats, row_steps: Floats, column_steps: Floats
) -> Floats:  # pragma: no cover - compiled
    """How many cells are crossed in a second, along rows and columns together.

    Parameters
    ----------
    cells : first cell each sample reads, shape (n,).
    row_rate, column_rate : slopes of its coordinates, unit per second, shape (n,); of a curve the
        second.
    row_steps, column_steps : widths of the axes' intervals; of a curve the first is empty.

    Returns
    -------
    Cells per second, shape (n,).
    """
    out = np.empty(len(cells))
    width = len(column_steps) + 1
    for i in range(len(cells)):
        row = cells[i] // width
        out[i] = abs(column_rate[i]) / column_steps[cells[i] - row * width]
        if len(row_steps):
            out[i] += abs(row_rate[i]) / row_steps[row]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def count_evidence(
    cells: Ints,
    weights: Floats,
    seconds: Floats,
    time_s: Floats,
    size: int,
    share: float,
    gap_s: float,
) -> tuple[Floats, Ints]:  # pragma: no cover - compiled
    """Weighted seconds and separate visits per cell; samples in time order.

    Parameters
    ----------
    cells, weights : of m used samples in time order.
    seconds, time_s : time each stands for and time it was taken, s, shape (m,).
    size : cells of the table.
    share : weight from which a sample is a visit, 0 to 1.
    gap_s : time away that begins another visit, s.

    Returns
    -------
    Both flat, shape (size,).
    """
    total = np.zeros(size)
    visits = np.zeros(size, np.intp)
    last = np.full(size, -np.inf)
    for i in range(len(cells)):
        for j in range(cells.shape[1]):
            cell = cells[i, j]
            w = weights[i, j]
            total[cell] += w * seconds[i]
            if w >= share:
                # Away from the cell, not from the log: a look at its neighbour is one visit.
                if time_s[i] - last[cell] > gap_s:
                    visits[cell] += 1
                last[cell] = time_s[i]
    return total, visits


@njit(cache=True, nogil=True, error_model="numpy")
def variance_of(
    map_rate: Floats, rpm_rate: Floats, lam: Floats, enrichment: Floats, scatter: Floats
) -> Floats:  # pragma: no cover - compiled
    """Relative variance of every sample, see ``observations.relative_variance``.

    Unknown lambda counts as 1.

    Parameters
    ----------
    map_rate, rpm_rate : relative rates, shape (n,).
    lam, enrichment : shape (n,).
    scatter : variance of lambda from sample to sample, shape (n,).

    Returns
    -------
    Shape (n,).
    """
    out = np.empty(len(lam))
    for i in range(len(lam)):
        away = abs(lam[i] - 1.0) / 0.15 if np.isfinite(lam[i]) else 0.0
        out[i] = (
            min(max(scatter[i], 1.0), 25.0)
            + (map_rate[i] / 15.0) ** 2
            + (rpm_rate[i] / 0.25) ** 2
            + away**2
            + (50.0 * (enrichment[i] - 1.0)) ** 2
        )
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def sound_samples(
    used: Mask, k: Floats, variance: Floats, terms: Floats, base: Floats, seconds: Floats
) -> Ints:  # pragma: no cover - compiled
    """Positions of used samples whose figures are all finite and that last some time.

    Parameters
    ----------
    used : samples the sieve lets through, shape (n,).
    k, variance, base, seconds : figures along the log, shape (n,).
    terms : the same, (q, n).

    Returns
    -------
    Indices, shape (m,).
    """
    found = np.empty(len(used), np.intp)
    count = 0
    for i in range(len(used)):
        if used[i] and seconds[i] > 0.0:
            # One sum instead of a test of each: a single NaN or infinity makes it none.
            total = k[i] + variance[i] + base[i]
            for j in range(len(terms)):
                total += terms[j, i]
            if np.isfinite(total):
                found[count] = i
                count += 1
    return found[:count].copy()


@njit(cache=True, nogil=True, error_model="numpy")
def take_used(
    index: Ints,
    cells: Ints,
    weights: Floats,
    k: Floats,
    variance: Floats,
    seconds: Floats,
    time_s: Floats,
    edge_s: float, edge_variance: float,
) -> tuple[Ints, Floats, Floats, Ints]:  # fmt: skip  # pragma: no cover - compiled
    """Cells, weights, (k, weight, seconds) and unbroken run of the used samples.

    Variance is raised next to ones left out.

    Parameters
    ----------
    index : of m used samples.
    cells, weights : along the whole log.
    k, variance, seconds, time_s : along the whole log, shape (n,).
    edge_s : nearness to a sample that was left out, s.
    edge_variance : added there.

    Returns
    -------
    For the m used samples only.
    """
    m = len(index)
    n = len(k)
    corners = cells.shape[1]
    out_cells = np.empty((m, corners), np.intp)
    out_weights = np.empty((m, corners))
    out = np.empty((3, m))
    run = np.zeros(m, np.intp)
    # Forward for the time since the last sample left out, backward for the time to the next.
    fresh = -np.inf
    for i in range(m):
        at = index[i]
        begins = i == 0 or index[i - 1] != at - 1
        run[i] = (run[i - 1] if i else 0) + (1 if begins and i else 0)
        if at > 0 and begins:
            fresh = time_s[at - 1]
        for j in range(corners):
            out_cells[i, j], out_weights[i, j] = cells[at, j], weights[at, j]
        out[0, i], out[2, i] = k[at], seconds[at]
        out[1, i] = time_s[at] - fresh
    ends = np.inf
    for i in range(m - 1, -1, -1):
        at = index[i]
        if at < n - 1 and (i == m - 1 or index[i + 1] != at + 1):
            ends = time_s[at + 1]
        # What was left out fades into what was kept; beside it a sample is believed less.
        edge = edge_variance * np.exp(-min(out[1, i], ends - time_s[at]) / edge_s)
        out[1, i] = seconds[at] / (variance[at] + edge)
    return out_cells, out_weights, out, run


@njit(cache=True, nogil=True, error_model="numpy")
def nearest(
    cells: Ints,
    weights: Floats,
    at: Floats,
    points: Floats,
    least: float,
    above: Floats,
    below: Floats,
) -> None:  # fmt: skip  # pragma: no cover - compiled
    """Lessen the distances of nodes to the samples that read them, along one axis.

    Parameters
    ----------
    cells, weights : of m samples, (m, corners).
    at : their places along the axis, shape (m,), in its unit.
    points : of every cell along the axis, shape (cells,).
    least : weight beyond which a sample reads a cell, 0..1.
    above, below : distance to the nearest sample on either side, shape (cells,); lessened in place.
    """
    for sample in range(len(cells)):
        for corner in range(cells.shape[1]):
            if weights[sample, corner] > least:
                cell = cells[sample, corner]
                gap = at[sample] - points[cell]
                if gap >= 0.0:
                    above[cell] = min(above[cell], gap)
                if gap <= 0.0:
                    below[cell] = min(below[cell], -gap)
