"""Make a usable time base out of what loggers write: repeated, jumping and restarting clocks."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints
from lean_trim.formats.meaning.scaled_units import parts_of
from lean_trim.formats.meaning.units import seconds_per, tidy_unit


class Say:
    """Sentences of this module."""

    TOO_FEW_TIMES = Message(
        "timebase.too_few_times", "{name}: {count} rows with a time; at least 2 are needed"
    )
    TIME_STANDS_STILL = Message(
        "timebase.time_stands_still",
        "{name}: all rows have the same time; a running time column is needed",
    )
    WITHOUT_TIME = Message(
        "timebase.without_time", "{name}: {count} rows without a time were left out"
    )
    RESTARTED = Message(
        "timebase.restarted",
        "{name}: the clock started again {count} times; the recordings are shown one after another",
    )
    ANOTHER_ORDER = Message(
        "timebase.another_order",
        "{name}: its rows stood in another order than their time; they were sorted by it",
    )
    WRAPPED = Message(
        "timebase.wrapped",
        "{name}: the clock ran over and began again {count} times; it is read on",
    )
    JUMPS = Message(
        "timebase.jumps",
        "{name}: its time goes back {count} times, so its rows are in no order of time that can be "
        "told",
    )
    SORTED = Message("timebase.sorted", "{name}: {count} rows were out of order and were sorted")
    NOT_UNDERSTOOD = Message(
        "timebase.not_understood",
        "Time is headed {unit}, which is not understood; by its steps it would be in {best}",
    )
    HEADED_OTHERWISE = Message(
        "timebase.headed_otherwise",
        "Time is headed {unit} but steps by {step:g}, which no log does; it would fit {best}",
    )


NO_SCALE = frozenset(("time", "timestamp", "utc", "gmt", "clock", "date", "abs", "rel", "elapsed"))
"""What may stand where a unit of time stands, and is none."""
SAYS_A_SCALE = re.compile(r"\d|^[a-zµμ]{1,4}\.?$|/")
"""A number, a part, or a word as short as a unit."""
STEPS_S = (2e-4, 30.0)
"""Between rows of a log: 5 kHz to one row in half a minute."""
EPOCHS = ((1e17, "ns"), (1e14, "us"), (1e11, "ms"), (1e8, "s"))
"""Seconds and parts of them since 1970, told by their size."""
DAY_SERIALS = (20_000.0, 90_000.0)
"""Days as spreadsheets count them, from the middle of the last century to the end of this one."""
RESTART_GAP_S = 10.0
"""Time put between a recording and the next one in the same file."""
MOST_RESTARTS = 100
"""More recordings than anybody puts into one file."""
MANY_BACK = 0.02
EVEN_SHARE = 0.95
"""Share of rows behind which an earlier one stands, from which they are sorted by something else; and of
steps that are even once they are sorted by time."""
WRAP_STEPS = 3.0
WRAPS_S = np.array(
    [
        *(2.0**bits * scale for bits in (16, 24, 32) for scale in (1e-6, 1e-3, 1e-2, 0.1, 1.0)),
        *(60.0, 3600.0, 43_200.0, 86_400.0),
    ]
)
"""What a counter of so many bits holds before it begins again, and a clock, s; to so many steps."""
SHUFFLE_S = 2.0
"""A clock that steps back by less than this was written out of order.

By more, the logger was started again.
"""


@dataclass(frozen=True, eq=False)
class TimeBase:
    """Rows to keep in their order, their times, where another recording begins, and what was done."""

    order: Ints
    time_s: Floats
    joints_s: tuple[float, ...]
    notes: tuple[str, ...]


@dataclass(frozen=True)
class TimeUnit:
    """The unit a time is read in, what else it could be, and a question for the user ("" for none)."""

    unit: str
    rivals: tuple[str, ...] = ()
    doubt: str = ""


def time_unit(time: Floats, unit_text: str) -> TimeUnit:
    """Unit of a numeric time, by what is said and by its own steps.

    Parameters
    ----------
    time : as it stands in the file, shape (n,).
    unit_text : as the file gives it, "" if it does not.

    Returns
    -------
    The unit, and whether it is in doubt.
    """
    known = time[np.isfinite(time)][:20_000]
    steps = np.diff(known)
    steps = steps[steps > 0]
    stated = tidy_unit(unit_text)
    scale = seconds_per(stated)
    if not len(steps):
        return TimeUnit("s" if scale is None else stated)
    # The mean, because a coarse clock repeats most times and jumps at the others.
    step = min(float(np.median(steps)), float(steps.sum() / max(len(known) - 1, 1)))
    if "/" not in unit_text and (both := _both_ways(unit_text, step)):
        return TimeUnit(both[0], both[1:])
    if scale is not None:
        low, high = STEPS_S
        if low <= step * scale <= high:
            return TimeUnit(stated)
        best = _by_steps(known, step)
        doubt = Say.HEADED_OTHERWISE(unit=unit_text, step=step, best=best.unit)
        return TimeUnit(best.unit, (), str(doubt))
    found = _by_steps(known, step)
    if not stated or stated in NO_SCALE or not SAYS_A_SCALE.search(stated):
        return found
    # A scale that was stated is never dropped: minutes would pass for seconds.
    doubt = Say.NOT_UNDERSTOOD(unit=unit_text, best=found.unit)
    return TimeUnit(found.unit, (), found.doubt or str(doubt))


def _both_ways(unit_text: str, step: float) -> tuple[str, ...]:
    """The ways to read a number behind a unit of time, as far as rows can follow each other so."""
    ways = {part.name: seconds_per(part.name) for part in parts_of(unit_text)}
    low, high = STEPS_S
    able = [name for name, s in ways.items() if s is not None and low <= step * s <= high]
    return tuple(able) if len(ways) > 1 else ()


def _by_steps(known: Floats, step: float) -> TimeUnit:
    level = float(np.median(np.abs(known)))
    for least, unit in EPOCHS:
        if level > least and STEPS_S[0] <= step * _seconds(unit) <= STEPS_S[1]:
            return TimeUnit(unit)
    if DAY_SERIALS[0] < level < DAY_SERIALS[1] and step < 5e-4:
        return TimeUnit("d")
    if float(known.max()) <= 1.0 and step < 1e-4:
        return TimeUnit("d")
    if step >= 2e6:
        return TimeUnit("ns")
    if step >= 5e3:
        return TimeUnit("us")
    if step >= 5.0:
        return TimeUnit("ms")
    # One to five: a polled log that takes seconds a row, or a fast one that counts milliseconds.
    return TimeUnit("s", ("ms",)) if step >= 0.9 else TimeUnit("s")


def seconds_from(time: Floats, unit_text: str, origin: float | None = None) -> Floats:
    """A numeric time in seconds, counted from its first reading or another.

    Parameters
    ----------
    time : as it stands in the file, shape (n,).
    unit_text : as the file gives it, or the user.
    origin : reading to count from.

    Returns
    -------
    Seconds, shape (n,).
    """
    # Counted from the start before it is scaled: an epoch in nanoseconds has no digits to spare.
    known = time[np.isfinite(time)]
    first = (float(known[0]) if len(known) else 0.0) if origin is None else origin
    return (time - first) * _seconds(time_unit(time, unit_text).unit)


def _seconds(unit: str) -> float:
    """Seconds in a unit that is understood."""
    seconds = seconds_per(unit)
    assert seconds is not None
    return seconds


def settle_time(time: Floats, name: str, spread: bool = True) -> TimeBase:
    """Time base from a logged time column in seconds.

    Rows without a time are dropped; small steps back are sorted; a large one begins a new
    recording, set ten seconds after the last; equal times are spread evenly up to the next one.

    Parameters
    ----------
    time : as logged, in seconds, shape (n,).
    name : of the log, for messages.
    spread : whether rows that share a time are set apart; not so where they are readings of several
        channels.

    Returns
    -------
    A time that never runs backwards, which rows it takes, and what was done.

    Raises
    ------
    LogError
        If fewer than two rows have a time, or all times are equal.
    """
    rows = np.flatnonzero(np.isfinite(time))
    notes = []
    if len(rows) < len(time):
        notes.append(str(Say.WITHOUT_TIME(name=name, count=len(time) - len(rows))))
    if len(rows) < 2:
        raise LogError(Say.TOO_FEW_TIMES(name=name, count=len(rows)))
    if (by_time := _in_order(time, rows)) is not None:
        rows = by_time
        notes.append(str(Say.ANOTHER_ORDER(name=name)))
    time, wraps = _unwrapped(time, rows)
    if wraps:
        notes.append(str(Say.WRAPPED(name=name, count=wraps)))
    # A small step back is a logger that wrote out of order, a large one a new recording.
    cuts = np.flatnonzero(np.diff(time[rows]) < -SHUFFLE_S) + 1
    if len(cuts) > MOST_RESTARTS:
        raise LogError(Say.JUMPS(name=name, count=len(cuts)))
    orders = []
    times = []
    joints = []
    start = None
    for part in np.split(rows, cuts):
        # Stable, so that rows of one time stay as they were written.
        order = part[np.argsort(time[part], kind="stable")]
        if not np.array_equal(order, part):
            notes.append(str(Say.SORTED(name=name, count=int((np.diff(time[part]) < 0).sum()))))
        shift = 0.0 if start is None else start - float(time[order[0]])
        if start is not None:
            joints.append(start)
        orders.append(order)
        moved = time[order] + shift
        times.append(spread_repeats(moved) if spread else moved)
        start = float(times[-1][-1]) + RESTART_GAP_S
    if joints:
        notes.append(str(Say.RESTARTED(name=name, count=len(joints))))
    whole = np.concatenate(times)
    if whole[-1] <= whole[0]:
        raise LogError(Say.TIME_STANDS_STILL(name=name))
    return TimeBase(np.concatenate(orders), whole, tuple(joints), tuple(notes))


def _in_order(time: Floats, rows: Ints) -> Ints | None:
    """Rows by their time, where they stand in another order and time is one even grid; else None."""
    back = int((np.diff(time[rows]) < -SHUFFLE_S).sum())
    if back <= MANY_BACK * len(rows):
        return None
    order = rows[np.argsort(time[rows], kind="stable")]
    steps = np.diff(time[order])
    middle = float(np.median(steps))
    even = (steps > 0.5 * middle) & (steps < 2.0 * middle)
    return order if middle > 0.0 and float(np.mean(even)) > EVEN_SHARE else None


def _unwrapped(time: Floats, rows: Ints) -> tuple[Floats, int]:
    """A counter that ran over, read on: it falls back each time by as much, or by what counters hold."""
    steps = np.diff(time[rows])
    at = np.flatnonzero(steps < -SHUFFLE_S)
    forward = steps[steps > 0]
    if not len(at) or not len(forward):
        return time, 0
    usual = float(np.median(forward))
    periods = usual - steps[at]
    period = float(np.median(periods))
    alike = len(at) > 1 and float(np.ptp(periods)) <= WRAP_STEPS * usual
    of_counter = bool(np.all(np.abs(periods - period) <= WRAP_STEPS * usual)) and bool(
        np.any(np.abs(WRAPS_S - period) <= WRAP_STEPS * usual)
    )
    if not alike and not of_counter:
        return time, 0
    out = time.copy()
    turns = np.zeros(len(rows))
    turns[at + 1] = 1.0
    out[rows] += period * np.cumsum(turns)
    return out, len(at)


def spread_repeats(time: Floats) -> Floats:
    """Rows that share a time are spread evenly up to the next different time.

    Parameters
    ----------
    time : never falling, s, shape (n,).

    Returns
    -------
    Strictly rising where it can be, shape (n,).
    """
    if len(time) < 2 or (np.diff(time) > 0).all():
        return time
    starts = np.flatnonzero(np.diff(time, prepend=-np.inf) > 0)
    counts = np.diff(np.append(starts, len(time)))
    steps = np.diff(time[starts])
    # After the last different time nothing says how long a row stands for.
    tail = float(np.median(steps)) if len(steps) else 0.0
    step = np.append(steps, tail) / counts
    within = np.arange(len(time)) - np.repeat(starts, counts)
    return time + within * np.repeat(step, counts)
