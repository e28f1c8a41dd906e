"""Compiled loops along a log: slopes, hold-offs, lags, running means, reasons.

Imported where used, never at start.

Each is linear in the number of samples. Arrays are contiguous float64 or bool of shape (n,); time
never runs backwards.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from lean_trim.core.types import Bits, Floats, Ints, Mask

SAME_TIME_S = 1e-3
"""Times are logged to a millisecond, and clocks of interfaces jitter: whether the last sample of a hold-off
belongs to it must not hang on that."""
ANCHOR = 2048
"""Samples after which a running sum is formed anew, so that rounding cannot add up."""


@njit(cache=True, nogil=True, error_model="numpy")
def slope(values: Floats, time_s: Floats, half: int) -> Floats:  # pragma: no cover - compiled
    """Slope of a straight line over ``half`` samples on either side, per second. Values must be finite.

    Past the ends values are repeated and times mirrored.

    Parameters
    ----------
    values : finite, shape (n,).
    time_s : rising, s, shape (n,).
    half : samples on either side, >= 1.

    Returns
    -------
    Unit of the values per second, shape (n,).
    """
    n = len(values)
    out = np.empty(len(values))
    for begin in range(0, n, ANCHOR):
        end = min(begin + ANCHOR, n)
        # The window is summed once a block and then moved on by one sample, so a wide one costs no
        # more.
        ramp = rise = plain_x = plain_t = 0.0
        for j in range(-half, half + 1):
            x = values[min(max(begin + j, 0), n - 1)]
            t = _mirrored(time_s, begin + j)
            ramp += j * x
            rise += j * t
            plain_x += x
            plain_t += t
        # Away from the ends nothing need be clipped, which is nearly everywhere.
        inside = begin > half and end + half < n
        for i in range(begin, end):
            # Samples may share one time stamp; a slope there is large, not infinite.
            out[i] = ramp / max(abs(rise), 1e-9)
            if inside:
                old = values[i - half]
                new = values[i + half + 1]
                gone = time_s[i - half]
                come = time_s[i + half + 1]
            else:
                old = values[max(i - half, 0)]
                new = values[min(i + half + 1, n - 1)]
                gone = _mirrored(time_s, i - half)
                come = _mirrored(time_s, i + half + 1)
            ramp += (half + 1) * old + half * new - plain_x
            plain_x += new - old
            rise += (half + 1) * gone + half * come - plain_t
            plain_t += come - gone
    return out


@njit(cache=True, nogil=True, inline="always", error_model="numpy")
def _mirrored(time_s: Floats, i: int) -> float:  # pragma: no cover - compiled
    last = len(time_s) - 1
    if i < 0:
        return float(2.0 * time_s[0] - time_s[min(-i, last)])
    if i > last:
        return float(2.0 * time_s[last] - time_s[max(2 * last - i, 0)])
    return float(time_s[i])


@njit(cache=True, nogil=True, error_model="numpy")
def hold_off(
    mask: Mask, time_s: Floats, before_s: float, after_s: float
) -> Mask:  # pragma: no cover - compiled
    """Every True sample extended by a time before and after it, s, >= 0.

    Parameters
    ----------
    mask : shape (n,).
    time_s : rising, s, shape (n,).
    before_s, after_s : s, >= 0.

    Returns
    -------
    Shape (n,).
    """
    n = len(mask)
    out = np.zeros(n, np.bool_)
    until = -np.inf
    for i in range(n):
        if mask[i]:
            until = time_s[i] + after_s + SAME_TIME_S
        out[i] = time_s[i] <= until
    since = np.inf
    for i in range(n - 1, -1, -1):
        if mask[i]:
            since = time_s[i] - before_s - SAME_TIME_S
        if time_s[i] >= since:
            out[i] = True
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def onsets(mask: Mask, time_s: Floats, quiet_s: float) -> Ints:  # pragma: no cover - compiled
    """Positions of True samples with no True sample in the ``quiet_s`` before them.

    Parameters
    ----------
    mask : shape (n,).
    time_s : rising, s, shape (n,).
    quiet_s : s, >= 0.

    Returns
    -------
    Indices, shape (m,).
    """
    found = np.empty(len(mask), np.intp)
    count = 0
    last = -np.inf
    for i in range(len(mask)):
        if mask[i]:
            if time_s[i] - last > quiet_s:
                found[count] = i
                count += 1
            last = time_s[i]
    return found[:count].copy()


@njit(cache=True, nogil=True, error_model="numpy")
def lag(
    time_s: Floats, values: Floats, tau_s: float, gap_s: float
) -> Floats:  # pragma: no cover - compiled
    """First-order lag of values held between samples; begins in steady state and anew after a gap.

    Parameters
    ----------
    time_s : rising, s, shape (n,).
    values : finite, shape (n,).
    tau_s : time constant, s, > 0.
    gap_s : step from which the lag begins anew, s.

    Returns
    -------
    Shape (n,).
    """
    out = np.empty(len(values))
    state = 0.0
    step = -1.0
    keep = 0.0
    for i in range(len(values)):
        # The first sample counts as after a gap.
        dt = time_s[i] - time_s[i - 1] if i else gap_s + 1.0
        if dt > gap_s:
            state = values[i]
        else:
            # Most logs have even steps, and the exponential costs more than all else here.
            if abs(dt - step) > 1e-4 * step:
                step = dt
                keep = np.exp(-dt / tau_s)
            state = keep * state + (1.0 - keep) * values[i]
        out[i] = state
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def box_mean(values: Floats, half: int) -> Floats:  # pragma: no cover - compiled
    """Running mean over ``half`` samples on either side, the ends repeated.

    Parameters
    ----------
    values : finite, shape (n,).
    half : samples on either side, >= 0.

    Returns
    -------
    Shape (n,).
    """
    n = len(values)
    out = np.empty(len(values))
    for begin in range(0, n, ANCHOR):
        total = 0.0
        end = min(begin + ANCHOR, n)
        for j in range(begin - half, begin + half + 1):
            total += values[min(max(j, 0), n - 1)]
        if begin > half and end + half < n:
            for i in range(begin, end):
                out[i] = total / (2 * half + 1)
                total += values[i + half + 1] - values[i - half]
        else:
            for i in range(begin, end):
                out[i] = total / (2 * half + 1)
                total += values[min(i + half + 1, n - 1)] - values[max(i - half, 0)]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def count_bits(
    bits: Bits, hits: Bits, seconds: Floats
) -> tuple[Ints, Floats, Floats]:  # pragma: no cover - compiled
    """Per bit: samples and seconds it is set in ``hits``, and seconds it is the only one set in ``bits``.

    Parameters
    ----------
    bits : reasons a sample is left out for, shape (n,).
    hits : rules that hit it, shape (n,).
    seconds : time each sample stands for, s, shape (n,).

    Returns
    -------
    Three arrays with one entry per bit, shape (32,).
    """
    counted = np.zeros(32, np.intp)
    total = np.zeros(32)
    alone = np.zeros(32)
    for i in range(len(bits)):
        rest = hits[i]
        place = 0
        while rest:
            if rest & 1:
                counted[place] += 1
                total[place] += seconds[i]
                if bits[i] == np.uint32(1) << np.uint32(place):
                    alone[place] += seconds[i]
            rest >>= 1
            place += 1
    return counted, total, alone


@njit(cache=True, nogil=True, error_model="numpy")
def square_steps(values: Floats) -> Floats:  # pragma: no cover - compiled
    """Squared difference of every value from the one before; 0 where either is missing.

    Parameters
    ----------
    values : NaN where missing, shape (n,).

    Returns
    -------
    Shape (n,), the first one 0.
    """
    out = np.zeros(len(values))
    for i in range(1, len(values)):
        step = values[i] - values[i - 1]
        out[i] = step * step if np.isfinite(step) else 0.0
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def fill(values: Floats, instead: float) -> Floats:  # pragma: no cover - compiled
    """A copy with a number where there is none.

    Parameters
    ----------
    values : shape (n,).
    instead : stands where there is no finite number.

    Returns
    -------
    Shape (n,).
    """
    out = np.empty(len(values))
    for i in range(len(values)):
        out[i] = values[i] if np.isfinite(values[i]) else instead
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def count_outside(
    values: Floats, low: float, high: float
) -> tuple[int, int]:  # pragma: no cover - compiled
    """How many values are no number, and how many of the others (infinite ones too) are out of a range.

    Parameters
    ----------
    values : shape (n,).
    low, high : ends of the range.

    Returns
    -------
    Missing, and outside.
    """
    missing = 0
    outside = 0
    for i in range(len(values)):
        x = values[i]
        if x != x:
            missing += 1
        elif x < low or x > high:
            outside += 1
    return missing, outside


@njit(cache=True, nogil=True, error_model="numpy")
def lasting(mask: Mask, time_s: Floats, least_s: float) -> Mask:  # pragma: no cover - compiled
    """The mask without its spells shorter than ``least_s``; one at either end of the log counts as long.

    Parameters
    ----------
    mask : shape (n,).
    time_s : rising, s, shape (n,).
    least_s : from the first to the last sample of a spell, s.

    Returns
    -------
    Shape (n,).
    """
    n = len(mask)
    out = np.zeros(n, np.bool_)
    begin = 0
    while begin < n:
        if not mask[begin]:
            begin += 1
            continue
        end = begin
        while end < n and mask[end]:
            end += 1
        if begin == 0 or end == n or time_s[end - 1] - time_s[begin] >= least_s:
            out[begin:end] = True
        begin = end
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def mark(bits: Bits, mask: Mask, bit: np.uint32) -> None:  # pragma: no cover - compiled
    """Set a bit, in place, where the mask is True.

    Parameters
    ----------
    bits : changed in place, shape (n,).
    mask : shape (n,).
    bit : one bit.
    """
    for i in range(len(bits)):
        if mask[i]:
            bits[i] |= bit


@njit(cache=True, nogil=True, error_model="numpy")
def read_later(
    time_s: Floats, arrival_s: Floats, values: Floats, fresh: Mask, gap_s: float
) -> Floats:  # pragma: no cover - compiled
    """Values at later times, by straight lines between fresh readings; arrivals must not run backwards.

    NaN past the end, next to a missing reading, and where the rows around the arrival are more than
    ``gap_s`` apart.

    Parameters
    ----------
    time_s, arrival_s : when a sample was taken and when its answer comes, s, shape (n,).
    values : readings, NaN where missing, shape (n,).
    fresh : rows with a new reading, shape (n,).
    gap_s : longest step that is bridged, s.

    Returns
    -------
    Reading at each arrival, shape (n,).
    """
    n = len(values)
    out = np.full(n, np.nan)
    row = 0
    before = after = -1
    for i in range(n):
        t = arrival_s[i]
        # Written so that an unknown arrival ends it too; later ones are later still.
        if not t <= time_s[n - 1]:
            break
        while time_s[row] < t:
            if fresh[row]:
                before = row
            row += 1
        # A line across a gap would invent readings.
        if row > 0 and time_s[row] - time_s[row - 1] > gap_s:
            continue
        if after < row:
            after = row
            while after < n and not fresh[after]:
                after += 1
        if after == n:
            break
        # Before the first reading nothing stands on the left; the first one is the best there is.
        if time_s[after] == t or before < 0:
            out[i] = values[after]
        else:
            share = (t - time_s[before]) / (time_s[after] - time_s[before])
            out[i] = (1.0 - share) * values[before] + share * values[after]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def mean_of_finite(values: Floats) -> tuple[float, bool]:  # pragma: no cover - compiled
    """Mean of the finite values (0 if there are none), and whether all are.

    Parameters
    ----------
    values : shape (n,).

    Returns
    -------
    Mean, and True if every value is finite.
    """
    total = 0.0
    count = 0
    for i in range(len(values)):
        if np.isfinite(values[i]):
            total += values[i]
            count += 1
    return total / max(count, 1), count == len(values)


@njit(cache=True, nogil=True, error_model="numpy")
def steps_between(values: Floats) -> Mask:  # pragma: no cover - compiled
    """True where a value other than 0 differs from the last one other than 0.

    Parameters
    ----------
    values : gears or the like, 0 where unknown, shape (n,).

    Returns
    -------
    Shape (n,).
    """
    out = np.zeros(len(values), np.bool_)
    held = 0.0
    for i in range(len(values)):
        # Between two gears a log shows none; that is not a change of its own.
        if values[i] != 0.0:
            out[i] = held != 0.0 and values[i] != held
            held = values[i]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def still_spells(
    values: Floats, time_s: Floats, least_s: float
) -> Ints:  # pragma: no cover - compiled
    """Begin and end (exclusive) of every spell of one and the same value of ``least_s``, shape (m, 2).

    Parameters
    ----------
    values : shape (n,).
    time_s : rising, s, shape (n,).
    least_s : shortest spell, s.

    Returns
    -------
    One row per spell.
    """
    # One entry, that the compiler knows the type of the list; it is not handed out.
    found = [(0, 0)]
    begin = 0
    for i in range(1, len(values) + 1):
        if i == len(values) or values[i] != values[begin]:
            if time_s[i - 1] - time_s[begin] >= least_s:
                found.append((begin, i))
            begin = i
    out = np.empty((len(found) - 1, 2), np.int64)
    for j in range(1, len(found)):
        out[j - 1, 0], out[j - 1, 1] = found[j]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def share_of(rate: Floats, values: Floats, least: float) -> Floats:  # pragma: no cover - compiled
    """Rate over value, the value at least ``least``; in place.

    Parameters
    ----------
    rate : changed in place, shape (n,).
    values : shape (n,).
    least : floor of the values, > 0.

    Returns
    -------
    ``rate``.
    """
    for i in range(len(rate)):
        rate[i] /= max(values[i], least)
    return rate
