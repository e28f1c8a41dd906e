"""What a log without a lambda channel still tells: a loop that works holds its target on average.

A narrowband loop holds lambda 1, a wideband one the wanted lambda. That a loop works is said by its
flag or by a trim that goes to and fro; a trim that rests, or only fades, says nothing. Elsewhere
lambda stays unknown.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, extend_mask, fill_missing
from lean_trim.core.types import Floats, Mask

TREND_S = 3.0
"""Width of the mean about which a trim swings, s."""
LONGEST_S = 6.0
"""Longest time between two crossings of a working loop, s (common practice, no source)."""
RESTS_S = 1.0
"""A trim that does not move for so long, s, belongs to an open loop; or for so many times what
usually lies between two of its moves, but not less than so many rows. In boost a loop opens for
less than a second, and what was wanted there is rich."""
RESTS_MOVES = 4.0
RESTS_ROWS = 2.5
NEAR_NOTHING_PCT = 0.15
CREEPS = 0.25
MOVES_LOOKED_AT = 2.0
"""A trim so near 0 that moves at less than so much of its usual speed, over so many of its moves to
either side, fades."""
LEAST_MOVES = 2
SLOWER = 0.35
"""A third of the way from turn to turn in so few rows is too short to be looked at; one whose last
third is so much slower than its first fades."""
LEAST_STOP_PCT = 5.0
"""A trim that never goes further is at no stop: loops are given 10 to 35 % (common practice, no
source)."""
RESTS_AT_STOP_S = 0.5
"""A swing touches its own extreme for a moment; a stop holds it there so long, s."""
WITHIN_PCT = 0.06
"""Distance from its end at which a trim is at it, %: the last digit of most loggers."""
RAMP_PCT = 2.0
"""Way gone in one direction since the loop closed from which it is a ramp and no swing, %."""
TURN_PCT = 1.0
"""A trim has turned once it has come back by so much, %: less is noise on its way."""
USUAL_SHARE = 25.0
LONG_LEGS = 3.0
"""Percentile of the ways from turn to turn that stands for a swing, and how many times as long one
is a ramp (ten simulated loops: nine ways of ten are within 2.7 times it, ramps from 3.5 on)."""
RICH_TARGET = 0.97
"""Wanted lambda below which a closed-loop flag alone is not believed: nothing holds 1 there."""


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


def to_and_fro(log: Log) -> Mask:
    """Where the short-term trim reverses at least twice within six seconds, and never rests.

    Parameters
    ----------
    log : a log with a short-term trim.

    Returns
    -------
    True between two such reversals, shape (n,).
    """
    time = log.time_s
    stft = np.nan_to_num(log[Role.STFT])
    step = np.diff(stft, prepend=stft[:1])
    moved = np.flatnonzero(step != 0.0)
    out = np.zeros(len(log), bool)
    if len(moved) < 2:
        return out
    turns = moved[1:][np.sign(step[moved[1:]]) != np.sign(step[moved[:-1]])]
    between_s = np.diff(time[moved])
    usual_s = min(RESTS_S, RESTS_MOVES * float(np.median(between_s)))
    # Rests between two movements: the loop was open there, and what lies around it is no swing.
    resting = np.flatnonzero(between_s > max(usual_s, RESTS_ROWS * log.step_s))
    breaks = time[moved[resting + 1]]
    creeps = _creeps_to_nothing(time, stft, float(np.median(between_s)))
    crept = np.concatenate([[0], np.cumsum(creeps)])
    for begin, end in pairwise(turns.tolist()):
        if time[end] - time[begin] > LONGEST_S or crept[end] > crept[begin]:
            continue
        if _slows_down(stft[begin : end + 1]):
            continue
        at = int(np.searchsorted(breaks, time[begin], side="right"))
        if at == len(breaks) or breaks[at] > time[end]:
            out[begin : end + 1] = True
    return out


def _creeps_to_nothing(time_s: Floats, trim: Floats, between_s: float) -> Mask:
    """Where a trim comes to 0 slowly: a loop that opens lets it fade, a swing passes at full speed."""
    rows = max(MOVES_LOOKED_AT * between_s / max(float(np.median(np.diff(time_s))), 1e-9), 3.0)
    half = round(rows)
    low = np.maximum(np.arange(len(trim)) - half, 0)
    high = np.minimum(np.arange(len(trim)) + half, len(trim) - 1)
    speed = np.abs(trim[high] - trim[low]) / np.maximum(time_s[high] - time_s[low], 1e-9)
    near = np.abs(trim) <= NEAR_NOTHING_PCT
    # A trim that never leaves 0 shows no usual speed.
    usual = 0.0 if near.all() else float(np.median(speed[~near]))
    return np.asarray(near & (speed < CREEPS * usual))


def _slows_down(trim: Floats) -> bool:
    """Whether a trim that comes nearer to 0 gets slower all the way, as one that fades does.

    A swing is a jump, or none, and a ramp. Past 0 the loop is closed again.
    """
    past = np.flatnonzero(trim * trim[0] < 0.0)
    trim = trim[: past[0]] if len(past) else trim
    moves = np.abs(np.diff(trim))
    third = len(moves) // 3
    if third < LEAST_MOVES or abs(trim[-1]) > abs(trim[0]):
        return False
    return bool(np.median(moves[-third:]) < SLOWER * np.median(moves[:third]))


def spells(mask: Mask) -> NDArray[np.int64]:
    """First and one past the last sample of each stretch of True, shape (s, 2)."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return edges.reshape(-1, 2)


def lasting(mask: Mask, time_s: Floats, least_s: float) -> Mask:
    """Stretches of True that last.

    Parameters
    ----------
    mask : shape (n,).
    time_s : s, shape (n,).
    least_s : from the first to the last sample, s.

    Returns
    -------
    Shape (n,).
    """
    out = np.zeros(len(mask), bool)
    for first, last in spells(mask).tolist():
        if time_s[last - 1] - time_s[first] >= least_s:
            out[first:last] = True
    return out


def stop_sides(
    log: Log, least_pct: float = LEAST_STOP_PCT, rests_s: float = RESTS_AT_STOP_S
) -> NDArray[np.int8]:
    """Where the short-term trim rests at an end of its range.

    Parameters
    ----------
    log : with a short-term trim.
    least_pct : size a stop has at least, percent.
    rests_s : how long the trim rests there at least, s.

    Returns
    -------
    1 at the upper stop, -1 at the lower, 0 elsewhere, shape (n,).
    """
    out = np.zeros(len(log), np.int8)
    trim = log[Role.STFT]
    known = trim[np.isfinite(trim)]
    for side, end in ((1, float(known.max())), (-1, float(known.min()))) if len(known) else ():
        if side * end >= least_pct:
            at_end = np.abs(fill_missing(trim, np.inf) - end) <= WITHIN_PCT
            out[lasting(at_end, log.time_s, rests_s)] = side
    return out


def on_its_way(log: Log) -> Mask:
    """Where the loop has moved one way only since it closed or turned, by more than a swing does.

    Parameters
    ----------
    log : with a short-term trim.

    Returns
    -------
    Shape (n,).
    """
    return _since_it_closed(log) | _ramps(log)


def _ramps(log: Log) -> Mask:
    """Ways from turn to turn that are longer than those of a loop at rest."""
    out = np.zeros(len(log), bool)
    trim = np.nan_to_num(log[Role.STFT])
    ways = [
        (first + a, first + b)
        for first, last in spells(closed_loop(log)).tolist()
        for a, b in pairwise(turns_of(trim[first:last]))
    ]
    lengths = np.array([abs(trim[b] - trim[a]) for a, b in ways])
    moved = lengths[lengths >= TURN_PCT]
    if not len(moved):
        return out
    longest = max(LONG_LEGS * float(np.percentile(moved, USUAL_SHARE)), 2.0 * RAMP_PCT)
    for (a, b), length in zip(ways, lengths.tolist(), strict=True):
        if length > longest:
            out[a : b + 1] = True
    return out


def turns_of(trim: Floats, least_pct: float = TURN_PCT) -> list[int]:
    """Where a trim turns, small steps back on its way not counted.

    Parameters
    ----------
    trim : percent, shape (n,), n >= 1.
    least_pct : a turn is one once it has come back by so much.

    Returns
    -------
    Rows of the first sample, of every turn and of the last extreme, rising.
    """
    turns = [0]
    high = low = 0
    rising = 0
    values = trim.tolist()
    for i, value in enumerate(values):
        if rising >= 0 and value > values[high]:
            high = i
        if rising <= 0 and value < values[low]:
            low = i
        if rising >= 0 and values[high] - value > least_pct:
            turns.append(high)
            rising, low = -1, i
        elif rising <= 0 and value - values[low] > least_pct:
            turns.append(low)
            rising, high = 1, i
    turns.append({1: high, -1: low, 0: len(values) - 1}[rising])
    # A way that begins with the first sample begins with no turn.
    return sorted(set(turns))


def _since_it_closed(log: Log) -> Mask:
    """Where the loop has moved one way only since it closed, by more than a swing does."""
    out = np.zeros(len(log), bool)
    trim = np.nan_to_num(log[Role.STFT])
    for first, last in spells(closed_loop(log)).tolist():
        step = np.diff(trim[first:last])
        moved = np.flatnonzero(step != 0.0)
        if not len(moved):
            continue
        back = np.flatnonzero(np.sign(step[moved]) != np.sign(step[moved[0]]))
        end = last if not len(back) else first + int(moved[back[0]]) + 1
        if np.ptp(trim[first:end]) > RAMP_PCT:
            out[first:end] = True
    return out


def loop_holds(log: Log, target: Floats) -> Mask:
    """Where a loop whose sensor was not logged holds its target on average.

    Parameters
    ----------
    log : with a short-term trim.
    target : wanted lambda by the calibration, shape (n,).

    Returns
    -------
    Shape (n,).
    """
    flag = log.get(Role.CLOSED_LOOP)
    # At its stop it does not hold, but is closed; the sieve keeps that from being a reading.
    swings = to_and_fro(log) | (stop_sides(log) != 0)
    # No loop of a narrowband holds what a rich target wants: a flag alone is not believed there.
    flagged = (flag > 0.5) & ~(target < RICH_TARGET)
    return np.asarray(np.where(np.isfinite(flag), flagged | ((flag > 0.5) & swings), swings))


def with_loop_lambda(log: Log, target: Floats, narrowband: bool) -> tuple[Log, Floats]:
    """The log with the lambda its loop holds, unknown where it holds none.

    Parameters
    ----------
    log : of a vehicle whose loop's lambda was not logged.
    target : wanted lambda by the calibration, shape (n,).
    narrowband : the loop holds 1, whatever is wanted; else what is wanted.

    Returns
    -------
    The same log with lambda, and what was really wanted, shape (n,).
    """
    holds = loop_holds(log, target)
    wanted = np.where(holds, 1.0, target) if narrowband else target
    channels = {**log.channels, Role.LAMBDA: np.where(holds, wanted, np.nan)}
    return replace(log, channels=channels), wanted


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
