"""Compiled loops of the surface fit.

Samples are sorted by place once; every pass runs over them in memory order.

A column of ``rows`` (6, m, float32) holds: fraction along the columns u, fraction along the rows v (0 on a
curve), k - 1, wall-film uptake, weight, and relative variance. ``starts`` (places + 1,) cuts the rows into
places, ``base`` (places,) is each one's first corner.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from lean_trim.core.types import Floats, Ints, Places, Rows

BINS = 4096
REACH = 16.0
"""Histogram of absolute residuals: bins, and how many present scales they reach."""
SUMS = 22
"""Per place: 15 products of the five unknowns, 5 right sides, total weight, weighted sum of k - 1."""
CHUNK = 256


@njit(cache=True, nogil=True, error_model="numpy")
def place_of(cells: Ints, weights: Floats, per_axis: int) -> Places:  # pragma: no cover - compiled
    """Number of the place (part of a grid square) each sample lies in.

    Parameters
    ----------
    cells, weights : of m samples, (m, 4) or (m, 2).
    per_axis : parts a grid square is divided into along each axis.

    Returns
    -------
    Number of the place, shape (m,).
    """
    out = np.empty(len(cells), np.int32)
    corners = cells.shape[1]
    for i in range(len(cells)):
        u = weights[i, 1] + (weights[i, 3] if corners == 4 else 0.0)
        place = cells[i, 0] * per_axis + min(int(u * per_axis), per_axis - 1)
        if corners == 4:
            v = weights[i, 2] + weights[i, 3]
            place = place * per_axis + min(int(v * per_axis), per_axis - 1)
        out[i] = place
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def sort_rows(
    cells: Ints,
    weights: Floats,
    k: Floats,
    film: Floats,
    weight: Floats,
    seconds: Floats,
    place: Places,
    places: int,
    per_square: int,
) -> tuple[Rows, Ints, Ints, Places]:  # fmt: skip  # pragma: no cover - compiled
    """Rows in order of place (in time order within one), their starts and bases.

    ``place`` renumbered without gaps.

    Parameters
    ----------
    cells, weights : of m samples in time order, (m, 4) or (m, 2).
    k, film, weight, seconds : per sample, shape (m,).
    place : number of the place, shape (m,), renumbered in place.
    places : their number before.
    per_square : places in a grid square.

    Returns
    -------
    Rows (6, m), where each place starts (places + 1,), its first cell (places,), and the new numbers (m,).
    """
    count = np.zeros(places, np.intp)
    for i in range(len(place)):
        count[place[i]] += 1
    number = np.full(places, -1, np.intp)
    used = 0
    for p in range(places):
        if count[p]:
            number[p] = used
            used += 1
    starts = np.zeros(used + 1, np.intp)
    base = np.empty(used, np.intp)
    corners = cells.shape[1]
    for p in range(places):
        if count[p]:
            starts[number[p] + 1] = starts[number[p]] + count[p]
            base[number[p]] = p // per_square
    # A counting sort: time order within a place is kept, so that neighbours stay correlated.
    free = starts[:-1].copy()
    rows = np.empty((6, len(place)), np.float32)
    dense = np.empty(len(place), np.int32)
    for i in range(len(place)):
        p = number[place[i]]
        dense[i] = p
        at = free[p]
        free[p] += 1
        rows[0, at] = weights[i, 1] + (weights[i, 3] if corners == 4 else 0.0)
        rows[1, at] = weights[i, 2] + weights[i, 3] if corners == 4 else 0.0
        rows[2, at] = k[i] - 1.0
        rows[3, at] = film[i]
        rows[4, at] = weight[i]
        # The variance of the sample, up to a constant; the robust bound grows with its root.
        rows[5, at] = seconds[i] / weight[i]
    return rows, starts, base, dense


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract", "arcp", "nsz"}, error_model="numpy")
def sum_places(
    rows: Rows,
    starts: Ints,
    base: Ints,
    values: Floats,
    width: int,
    unknown: Floats,
    scale: float,
    huber: float,
    most: int,
) -> tuple[Floats, Floats]:  # fmt: skip  # pragma: no cover - compiled
    """Weighted sums of every place with Huber weights at the given unknowns, and the histogram of residuals.

    ``most`` bounds the rows looked at in a place; they are taken evenly and stand for the others.

    Parameters
    ----------
    rows, starts, base : as ``sort_rows`` makes them, of the places in question.
    values : the table, flat.
    width : cells in a row of the table; 0 for a curve.
    unknown : relative correction of every cell, then the wall-film share.
    scale : robust scatter, for the weights.
    huber : residual over scale from which a sample counts less.
    most : rows looked at in a place, at most.

    Returns
    -------
    Sums (products, places) and histogram of absolute residuals.
    """
    sums = np.zeros((len(base), SUMS))
    histogram = np.zeros(BINS + 1)
    cut = huber * scale
    film_share = unknown[-1]
    to_bin = BINS / (REACH * scale)
    sample = np.empty((6, CHUNK), np.float32)
    buffer = np.empty((8, CHUNK), np.float32)
    table = np.empty(4, np.float32)
    wanted = np.empty(4, np.float32)
    for p in range(len(base)):
        first = starts[p]
        last = starts[p + 1]
        b = base[p]
        # A place with an hour of idling would otherwise cost as much as all the others together.
        every = max((last - first) // most, 1)
        stand = (last - first) / ((last - first + every - 1) // every)
        for j in range(4):
            cell = b + (j & 1) + (width if j > 1 else 0) - (1 if j == 3 and width == 0 else 0)
            table[j], wanted[j] = values[cell], unknown[cell]
        for begin in range(first, last, CHUNK * every):
            count = min(CHUNK, (last - begin + every - 1) // every)
            if every == 1:
                part = rows[:, begin : begin + count]
            else:
                part = sample[:, :count]
                # Copied together, so that the loops over them run over neighbouring memory.
                for i in range(count):
                    for j in range(6):
                        part[j, i] = rows[j, begin + i * every]
            _weigh_rows(
                part, count, table, wanted, np.float32(film_share), np.float32(cut), np.float32(stand), buffer
            )
            for i in range(count):
                histogram[min(int(buffer[7, i] * to_bin), BINS)] += part[4, i] * stand
            _add_products(buffer, count, sums[p])
    return sums, histogram


@njit(
    cache=True,
    nogil=True,
    inline="always",
    fastmath={"reassoc", "contract", "arcp", "nsz"},
    error_model="numpy",
)
def _weigh_rows(
    rows: Rows,
    count: int,
    table: Rows,
    wanted: Rows,
    film_share: np.float32,
    cut: np.float32,
    stand: np.float32,
    buffer: Rows,
) -> None:  # fmt: skip  # pragma: no cover - compiled
    """Fill the buffer: four shares, film, k - 1, weight, absolute residual."""
    v0 = table[0]
    v1 = table[1]
    v2 = table[2]
    v3 = table[3]
    c0 = wanted[0]
    c1 = wanted[1]
    c2 = wanted[2]
    c3 = wanted[3]
    one = np.float32(1.0)
    tiny = np.float32(1e-30)
    for i in range(count):
        u = rows[0, i]
        v = rows[1, i]
        d0 = (one - v) * (one - u) * v0
        d1 = (one - v) * u * v1
        d2 = v * (one - u) * v2
        d3 = v * u * v3
        # Relative corrections: a cell counts by its share of the value that was looked up.
        part = one / (d0 + d1 + d2 + d3)
        d0 = d0 * part
        d1 = d1 * part
        d2 = d2 * part
        d3 = d3 * part
        film = rows[3, i]
        y = rows[2, i]
        size = abs(y - (d0 * c0 + d1 * c1 + d2 * c2 + d3 * c3 + film * film_share))
        edge = cut * np.sqrt(rows[5, i])
        buffer[0, i], buffer[1, i], buffer[2, i], buffer[3, i] = d0, d1, d2, d3
        buffer[4, i], buffer[5, i], buffer[7, i] = film, y, size
        buffer[6, i] = rows[4, i] * stand * min(one, edge / max(size, tiny))


@njit(
    cache=True,
    nogil=True,
    inline="always",
    fastmath={"reassoc", "contract", "arcp", "nsz"},
    error_model="numpy",
)
def _add_products(buffer: Rows, count: int, place: Floats) -> None:  # pragma: no cover - compiled
    """Add the weighted products of the buffer's rows to a place's sums."""
    at = 0
    for a in range(5):
        for e in range(a, 6):
            # Single precision within a chunk, double across chunks: fast, and exact enough for 10⁶ samples.
            total = np.float32(0.0)
            for i in range(count):
                total += buffer[6, i] * buffer[a, i] * buffer[e, i]
            if e < 5:
                place[at] += total
                at += 1
            else:
                place[15 + a] += total
    weight = y = np.float32(0.0)
    for i in range(count):
        weight += buffer[6, i]
        y += buffer[6, i] * buffer[5, i]
    place[20] += weight
    place[21] += y


@njit(cache=True, nogil=True, error_model="numpy")
def median_of(histogram: Floats, scale: float) -> float:  # pragma: no cover - compiled
    """Weighted median of the absolute residuals, from their histogram.

    Parameters
    ----------
    histogram : weights by size of residual.
    scale : that the histogram was made with.

    Returns
    -------
    In the unit of the residuals.
    """
    # Sorting a million residuals in every pass would take longer than the fit.
    half = 0.5 * histogram.sum()
    total = 0.0
    for i in range(BINS):
        if total + histogram[i] >= half and histogram[i] > 0.0:
            return float((i + (half - total) / histogram[i]) * REACH * scale / BINS)
        total += histogram[i]
    return REACH * scale


@njit(cache=True, nogil=True, error_model="numpy")
def assemble(
    sums: Floats, share: Floats, base: Ints, width: int, size: int, band: int
) -> tuple[Floats, Floats, float, Floats]:  # pragma: no cover - compiled
    """Normal equations: lower band (band + 1, size), border (size,), corner, right side (size + 1,).

    Parameters
    ----------
    sums : of every place.
    share : how much each place counts.
    base : first cell of every place.
    width : cells in a row of the table; 0 for a curve.
    size : cells of the table.
    band : width of the band.

    Returns
    -------
    Band, border, corner and right side of the normal equations.
    """
    lower = np.zeros((band + 1, size))
    border = np.zeros(size)
    right = np.zeros(size + 1)
    corner = 0.0
    cells = np.empty(4, np.intp)
    for p in range(len(base)):
        b = base[p]
        s = share[p]
        cells[0], cells[1], cells[2], cells[3] = b, b + 1, b + width, b + width + (1 if width else 0)
        at = 0
        for a in range(5):
            for e in range(a, 5):
                x = s * sums[p, at]
                at += 1
                if e < 4:
                    # On a curve the third and fourth cell repeat the second; their products are zero.
                    if x != 0.0:
                        lower[cells[e] - cells[a], cells[a]] += x
                elif a < 4:
                    border[cells[a]] += x
                else:
                    corner += x
            right[cells[a] if a < 4 else size] += s * sums[p, 15 + a]
    return lower, border, corner, right


@njit(cache=True, nogil=True, error_model="numpy")
def inverse_band(factor: Floats) -> Floats:  # pragma: no cover - compiled
    """The band of the inverse from a lower banded Cholesky factor (Takahashi's recurrence, from memory).

    Parameters
    ----------
    factor : lower banded Cholesky factor, (band + 1, size).

    Returns
    -------
    The same band of the inverse, (band + 1, size).
    """
    band = factor.shape[0] - 1
    n = factor.shape[1]
    inverse = np.zeros((band + 1, n))
    # Backwards, because every entry needs the ones below and to the right of it.
    for i in range(n - 1, -1, -1):
        reach = min(band, n - 1 - i)
        pivot = factor[0, i]
        for j in range(i + reach, i - 1, -1):
            total = 1.0 / pivot if i == j else 0.0
            for k in range(i + 1, i + reach + 1):
                low, high = (j, k) if j < k else (k, j)
                total -= factor[k - i, i] * inverse[high - low, low]
            inverse[j - i, i] = total / pivot
    return inverse


@njit(cache=True, nogil=True, error_model="numpy")
def residuals(
    cells: Ints,
    weights: Floats,
    k: Floats,
    film: Floats,
    values: Floats,
    unknown: Floats,
    place: Places,
    place_mean: Floats,
    run: Ints, block: int, every: int,
) -> tuple[Floats, Ints]:  # fmt: skip  # pragma: no cover - compiled
    """Residuals in time order, of one in ``every`` blocks of samples.

    A residual is k - 1 less what the unknowns and the mean of the place explain.

    The second array numbers the unbroken runs, anew in each block.

    Parameters
    ----------
    cells, weights, k, film : of m samples in time order.
    values, unknown : the table, flat, and its corrections.
    place, place_mean : place of every sample and mean residual of every place.
    run : number of the unbroken run of used samples, shape (m,).
    block : samples in a block.
    every : one block out of so many is looked at.

    Returns
    -------
    Residuals and run numbers of the samples looked at.
    """
    most = (len(k) + block - 1) // block // every * block + block
    out = np.empty(most)
    number = np.empty(most, np.intp)
    at = 0
    last = -1
    for begin in range(0, len(k), block * every):
        for i in range(begin, min(begin + block, len(k))):
            total = asked = 0.0
            for j in range(cells.shape[1]):
                share = weights[i, j] * values[cells[i, j]]
                total += share
                asked += share * unknown[cells[i, j]]
            out[at] = k[i] - 1.0 - asked / total - film[i] * unknown[-1] - place_mean[place[i]]
            joined = at > 0 and last == i - 1 and run[i] == run[i - 1]
            number[at] = number[at - 1] + (0 if joined else 1) if at else 0
            last = i
            at += 1
    return out[:at], number[:at]


@njit(cache=True, nogil=True, error_model="numpy")
def correlation_time(residual: Floats, run: Ints, longest: int) -> float:  # pragma: no cover - compiled
    """Integrated autocorrelation time of standardised residuals in time order, in samples.

    Samples at 25 to 100 Hz are not independent; so many of them count as one. Ends where the correlation
    falls below 0.05.

    Parameters
    ----------
    residual : standardised, in time order.
    run : unbroken runs; no product reaches across two.
    longest : lag looked at, samples.

    Returns
    -------
    Samples that count as one, >= 1.
    """
    power = 0.0
    for i in range(len(residual)):
        power += residual[i] * residual[i]
    power = power / max(len(residual), 1)
    total = 0.5
    if power == 0.0:
        return 1.0
    for lag in range(1, longest):
        products = 0.0
        count = 0
        for i in range(len(residual) - lag):
            if run[i] == run[i + lag]:
                products += residual[i] * residual[i + lag]
                count += 1
        if count < 50 or products / count < 0.05 * power:
            break
        total += products / count / power
    return 2.0 * total
