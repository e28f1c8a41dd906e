"""Make a usable time base out of what loggers write: repeated, jumping and restarting clocks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints


class Say:
    """Sentences of this module."""

    TOO_FEW_TIMES = Message(
        "timebase.too_few_times", "{name}: {count} rows with a time; at least 2 are needed"
    )
    TIME_STANDS_STILL = Message(
        "timebase.time_stands_still",
        "{name}: all rows have the same time ({time_s:g} s); a running time column is needed",
    )
    WITHOUT_TIME = Message("timebase.without_time", "{name}: {count} rows without a time were left out")
    RESTARTED = Message(
        "timebase.restarted",
        "{name}: the clock started again {count} times; the recordings are shown one after another",
    )
    SORTED = Message("timebase.sorted", "{name}: {count} rows were out of order and were sorted")


RESTART_GAP_S = 10.0
"""Time put between a recording and the next one in the same file."""
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


def settle_time(time: Floats, name: str) -> TimeBase:
    """Time base from a logged time column in seconds.

    Rows without a time are dropped; small steps back are sorted; a large one begins a new recording, set ten
    seconds after the last; equal times are spread evenly up to the next one.

    Parameters
    ----------
    time : as logged, in seconds, shape (n,).
    name : of the log, for messages.

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
    # A small step back is a logger that wrote out of order, a large one a new recording.
    cuts = np.flatnonzero(np.diff(time[rows]) < -SHUFFLE_S) + 1
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
        times.append(spread_repeats(time[order] + shift))
        start = float(times[-1][-1]) + RESTART_GAP_S
    if joints:
        notes.append(str(Say.RESTARTED(name=name, count=len(joints))))
    whole = np.concatenate(times)
    if whole[-1] <= whole[0]:
        raise LogError(Say.TIME_STANDS_STILL(name=name, time_s=whole[0]))
    return TimeBase(np.concatenate(orders), whole, tuple(joints), tuple(notes))


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
