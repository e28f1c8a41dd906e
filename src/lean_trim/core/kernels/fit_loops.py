"""Compiled loops of the surface fit.

Samples are sorted by place once; every pass runs over them in memory order.

Unknowns of a sample are the four cells it reads and q terms that all samples share (wall film,
warm-up and the like). A column of ``rows`` (5 + q, m, float32) holds: fraction along the columns u,
fraction along the rows v (0 on a curve), k - 1, weight, relative variance, and the q terms.
``starts`` (places + 1,) cuts the rows into places, ``base`` (places,) is each one's first corner.

A place's sums, with n = 4 + q: n (n + 1) / 2 products of unknowns, row by row of the upper
triangle, n right sides, total weight, weighted sum of k - 1.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from lean_trim.core.types import Floats, Ints, Places, Rows

BINS = 4096
REACH = 16.0
"""Histogram of absolute residuals: bins, and how many present scales they reach."""
FIRST_TERM = 5
"""Row in which the nuisance terms begin."""
CHUNK = 256
"""Samples worked on at a time: what they need stays in the processor's cache."""


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
    terms: Floats,
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
    k, weight, seconds : per sample, shape (m,).
    terms : nuisance terms, (q, m).
    place : number of the place, shape (m,), renumbered in place.
    places : their number before.
    per_square : places in a grid square.

    Returns
    -------
    Rows (5 + q, m), where each place starts (places + 1,), its first cell (places,), new numbers
    (m,).
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
    rows = np.empty((FIRST_TERM + len(terms), len(place)), np.float32)
    dense = np.empty(len(place), np.int32)
    for i in range(len(place)):
        p = number[place[i]]
        dense[i] = p
        at = free[p]
        free[p] += 1
        rows[0, at] = weights[i, 1] + (weights[i, 3] if corners == 4 else 0.0)
        rows[1, at] = weights[i, 2] + weights[i, 3] if corners == 4 else 0.0
        rows[2, at] = k[i] - 1.0
        rows[3, at] = weight[i]
        # The variance of the sample, up to a constant; the robust bound grows with its root.
        rows[4, at] = seconds[i] / weight[i]
        for j in range(len(terms)):
            rows[FIRST_TERM + j, at] = terms[j, i]
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
    unknown : relative correction of every cell, then the nuisance terms' coefficients.
    scale : robust scatter, for the weights.
    huber : residual over scale from which a sample counts less.
    most : rows looked at in a place, at most.

    Returns
    -------
    Sums (products, places) and histogram of absolute residuals.
    """
    shared = len(rows) - FIRST_TERM
    n = 4 + shared
    sums = np.zeros((len(base), n * (n + 1) // 2 + n + 2))
    histogram = np.zeros(BINS + 1)
    cut = huber * scale
    terms = unknown[len(unknown) - shared :].astype(np.float32)
    to_bin = BINS / (REACH * scale)
    sample = np.empty((len(rows), CHUNK), np.float32)
    buffer = np.empty((n + 3, CHUNK), np.float32)
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
                    for j in range(len(rows)):
                        part[j, i] = rows[j, begin + i * every]
            _weigh_rows(
                part, count, table, wanted, terms, np.float32(cut), np.float32(stand), buffer
            )
            for i in range(count):
                histogram[min(int(buffer[n + 2, i] * to_bin), BINS)] += part[3, i] * stand
            _add_products(buffer, count, n, sums[p])
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
    terms: Rows,
    cut: np.float32,
    stand: np.float32,
    buffer: Rows,
) -> None:  # fmt: skip  # pragma: no cover - compiled
    """Fill the buffer: four shares, the nuisance terms, k - 1, weight, absolute residual."""
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
    at_y = 4 + len(terms)
    for i in range(count):
        buffer[at_y + 2, i] = np.float32(0.0)
    for j in range(len(terms)):
        for i in range(count):
            buffer[4 + j, i] = rows[5 + j, i]
            buffer[at_y + 2, i] += rows[5 + j, i] * terms[j]
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
        y = rows[2, i]
        size = abs(y - (d0 * c0 + d1 * c1 + d2 * c2 + d3 * c3 + buffer[at_y + 2, i]))
        edge = cut * np.sqrt(rows[4, i])
        buffer[0, i], buffer[1, i], buffer[2, i], buffer[3, i] = d0, d1, d2, d3
        buffer[at_y, i], buffer[at_y + 2, i] = y, size
        buffer[at_y + 1, i] = rows[3, i] * stand * min(one, edge / max(size, tiny))


@njit(
    cache=True,
    nogil=True,
    inline="always",
    fastmath={"reassoc", "contract", "arcp", "nsz"},
    error_model="numpy",
)
def _add_products(
    buffer: Rows, count: int, n: int, place: Floats
) -> None:  # pragma: no cover - compiled
    """Add the weighted products of the buffer's rows to a place's sums."""
    at = 0
    right = n * (n + 1) // 2
    for a in range(n):
        for e in range(a, n + 1):
            # Single precision within a chunk, double across chunks: fast, and exact enough for 10⁶
            # samples.
            total = np.float32(0.0)
            for i in range(count):
                total += buffer[n + 1, i] * buffer[a, i] * buffer[e, i]
            if e < n:
                place[at] += total
                at += 1
            else:
                place[right + a] += total
    weight = y = np.float32(0.0)
    for i in range(count):
        weight += buffer[n + 1, i]
        y += buffer[n + 1, i] * buffer[n, i]
    place[right + n] += weight
    place[right + n + 1] += y


@njit(cache=True, nogil=True, error_model="numpy")
def median_of(histogram: Floats, scale: float) -> float:  # pragma: no cover - compiled
    """Weighted median of the absolute residuals, from their histogram.

    Returns in the unit of the residuals.
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
    sums: Floats, share: Floats, base: Ints, width: int, size: int, band: int, shared: int
) -> tuple[Floats, Floats, Floats, Floats]:  # pragma: no cover - compiled
    """Normal equations: lower band (band + 1, size), border (q, size), corner (q, q), right side (size + q,).

    Parameters
    ----------
    sums : of every place.
    share : how much each place counts.
    base : first cell of every place.
    width : cells in a row of the table; 0 for a curve.
    size : cells of the table.
    band : width of the band.
    shared : q, the number of terms all samples share.

    Returns
    -------
    Band, border, corner and right side of the normal equations.
    """
    n = 4 + shared
    lower = np.zeros((band + 1, size))
    border = np.zeros((shared, size))
    corner = np.zeros((shared, shared))
    right = np.zeros(size + shared)
    cells = np.empty(4, np.intp)
    for p in range(len(base)):
        b = base[p]
        s = share[p]
        cells[0], cells[1], cells[2], cells[3] = (
            b,
            b + 1,
            b + width,
            b + width + (1 if width else 0),
        )
        at = 0
        for a in range(n):
            for e in range(a, n):
                x = s * sums[p, at]
                at += 1
                if e < 4:
                    # On a curve the third and fourth cell repeat the second; their products are
                    # zero.
                    if x != 0.0:
                        lower[cells[e] - cells[a], cells[a]] += x
                elif a < 4:
                    border[e - 4, cells[a]] += x
                else:
                    corner[a - 4, e - 4] += x
                    if e > a:
                        corner[e - 4, a - 4] += x
            right[cells[a] if a < 4 else size + a - 4] += s * sums[p, n * (n + 1) // 2 + a]
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
    terms: Floats,
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
    cells, weights, k, terms : of m samples in time order; terms are (q, m).
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
            out[at] = k[i] - 1.0 - asked / total - place_mean[place[i]]
            for j in range(len(terms)):
                out[at] -= terms[j, i] * unknown[len(values) + j]
            joined = at > 0 and last == i - 1 and run[i] == run[i - 1]
            number[at] = number[at - 1] + (0 if joined else 1) if at else 0
            last = i
            at += 1
    return out[:at], number[:at]


@njit(cache=True, nogil=True, fastmath={"reassoc", "contract"}, error_model="numpy")
def correlation_time(
    residual: Floats, run: Ints, longest: int
) -> float:  # pragma: no cover - compiled
    """Integrated autocorrelation time of standardised residuals in time order, in samples.

    Samples at 25 to 100 Hz are not independent; so many of them count as one. Ends where the
    correlation falls below 0.05.

    Parameters
    ----------
    residual : standardised, in time order.
    run : number of the unbroken run each belongs to, rising; no product reaches across two.
    longest : lag looked at, samples.

    Returns
    -------
    Samples that count as one, >= 1.
    """
    n = len(residual)
    power = 0.0
    for i in range(n):
        power += residual[i] * residual[i]
    power = power / max(n, 1)
    total = 0.5
    if power == 0.0:
        return 1.0
    begins = np.empty(n + 1, np.intp)
    runs = 0
    for i in range(n):
        if i == 0 or run[i] != run[i - 1]:
            begins[runs] = i
            runs += 1
    begins[runs] = n
    for lag in range(1, longest):
        products = 0.0
        count = 0
        # Run by run, so that the innermost loop has nothing to decide.
        for r in range(runs):
            length = begins[r + 1] - begins[r] - lag
            if length > 0:
                early = residual[begins[r] : begins[r] + length]
                late = residual[begins[r] + lag : begins[r + 1]]
                for i in range(length):
                    products += early[i] * late[i]
                count += length
        if count < 50 or products / count < 0.05 * power:
            break
        total += products / count / power
    return 2.0 * total
