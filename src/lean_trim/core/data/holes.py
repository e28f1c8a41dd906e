"""What was not recorded, and what no engine can do: holes of a log, and what may stand in for them.

A hole is unknown, never zero: a zero would read as a stopped engine, a shift or a closed throttle,
and cost everything around it. Channels that move with the engine are joined by a line over a hole
of a few samples, those that move slowly are held. Lambda is never invented. What is longer stays
unknown.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, as_loop
from lean_trim.core.types import Floats, Ints

MOMENT_S = 0.6
"""Longest hole that is bridged by a line: a few samples of a slow log."""
WHILE_S = 3.0
"""How long what changes in steps is held."""
LONG_S = 120.0
"""How long what changes over minutes is held."""


@dataclass(frozen=True)
class Sense:
    """What a channel can read on any engine, and how a hole in it is bridged.

    Attributes
    ----------
    low, high : readings outside are impossible; wide on purpose (common practice, no source).
    longest_s : longest hole that is bridged, s; 0 for none.
    line : bridged by a straight line; held at the last reading if False.
    """

    low: float
    high: float
    longest_s: float
    line: bool = False


SENSES: dict[Role, Sense] = {
    Role.RPM: Sense(0.0, 25_000.0, MOMENT_S, True),
    Role.MAP: Sense(1.0, 800.0, MOMENT_S, True),
    Role.THROTTLE: Sense(-20.0, 130.0, MOMENT_S, True),
    Role.IAT: Sense(-60.0, 200.0, LONG_S),
    Role.COOLANT: Sense(-60.0, 180.0, LONG_S),
    Role.BATTERY: Sense(0.0, 36.0, LONG_S),
    Role.LAMBDA: Sense(0.2, 40.0, 0.0),
    Role.TARGET: Sense(0.3, 3.0, MOMENT_S, True),
    Role.STFT: Sense(-100.0, 200.0, MOMENT_S, True),
    Role.LTFT: Sense(-100.0, 200.0, LONG_S),
    Role.CLOSED_LOOP: Sense(-1.0, 256.0, WHILE_S),
    Role.PULSE_WIDTH: Sense(-1.0, 400.0, MOMENT_S, True),
    Role.DUTY: Sense(-5.0, 250.0, MOMENT_S, True),
    Role.FUEL_DP: Sense(-100.0, 50_000.0, WHILE_S, True),
    Role.BARO: Sense(30.0, 125.0, LONG_S),
    Role.SPEED: Sense(-5.0, 500.0, WHILE_S, True),
    Role.GEAR: Sense(-2.0, 16.0, WHILE_S),
    Role.SPARK: Sense(-100.0, 100.0, MOMENT_S, True),
    Role.KNOCK: Sense(-5.0, 100.0, WHILE_S),
    Role.MAF_HZ: Sense(0.0, 50_000.0, MOMENT_S, True),
    Role.MAF_V: Sense(-1.0, 16.0, MOMENT_S, True),
    Role.MAF_FLOW: Sense(-50.0, 5_000.0, MOMENT_S, True),
    Role.AIRFLOW_SOURCE: Sense(-1.0, 256.0, WHILE_S),
    Role.ETHANOL: Sense(-5.0, 110.0, LONG_S),
    Role.BANK_GAP: Sense(-90.0, 900.0, MOMENT_S),
    Role.TABLE_POSITION: Sense(-1000.0, 10_000.0, WHILE_S, True),
}


@dataclass(frozen=True, eq=False)
class Holes:
    """What was unknown in a log: readings by channel, channels without any left out.

    blank : nothing was recorded. impossible : what was recorded cannot be; ``rows`` are those it
        was in.
    """

    blank: Mapping[Role, int] = field(default_factory=dict)
    impossible: Mapping[Role, int] = field(default_factory=dict)
    rows: Ints = field(default_factory=lambda: np.empty(0, np.intp))


NO_HOLES = Holes()


def bridged(log: Log) -> tuple[Log, Holes]:
    """The log with short holes bridged and impossible readings made holes first.

    Parameters
    ----------
    log : as it was read.

    Returns
    -------
    The same log with fewer holes (itself if it has none), and what was found.
    """
    from lean_trim.core.kernels.log_loops import count_outside

    channels: dict[Role, Floats] = {}
    blank: dict[Role, int] = {}
    impossible: dict[Role, int] = {}
    rows: list[Ints] = []
    for role, values in log.channels.items():
        sense = SENSES[role]
        missing, outside = count_outside(as_loop(values), sense.low, sense.high)
        # A channel that one of several logs lacks is not full of holes there.
        if missing + outside:
            channels[role] = _bridge(log, values, sense)
            blank[role] = missing
            impossible[role] = outside
            if outside:
                rows.append(np.flatnonzero((values < sense.low) | (values > sense.high)))
    if not channels:
        return log, NO_HOLES
    wrong = np.unique(np.concatenate(rows)) if rows else np.empty(0, np.intp)
    holes = Holes(
        {r: n for r, n in blank.items() if n}, {r: n for r, n in impossible.items() if n}, wrong
    )
    return replace(log, channels={**log.channels, **channels}), holes


def _bridge(log: Log, values: Floats, sense: Sense) -> Floats:
    with np.errstate(invalid="ignore"):
        known = np.isfinite(values) & (values >= sense.low) & (values <= sense.high)
    out = np.where(known, values, np.nan)
    if sense.longest_s == 0.0 or not known.any():
        return out
    at = np.flatnonzero(known)
    gaps = np.flatnonzero(~known)
    after = np.searchsorted(at, gaps)
    drive = _drives(log)
    left = at[np.maximum(after - 1, 0)]
    right = at[np.minimum(after, len(at) - 1)]
    # At the end of a recording the one neighbour there is stands for both.
    left_counts = (after > 0) & (drive[left] == drive[gaps])
    right_counts = (after < len(at)) & (drive[right] == drive[gaps])
    both = left_counts & right_counts
    left = np.where(left_counts, left, right)
    right = np.where(right_counts, right, left)
    time = log.time_s
    width = np.maximum(time[gaps], time[right]) - np.minimum(time[gaps], time[left])
    near = (left_counts | right_counts) & (width <= sense.longest_s)
    fill = out[left]
    if sense.line:
        share = np.where(
            both, (time[gaps] - time[left]) / np.maximum(time[right] - time[left], 1e-9), 0.0
        )
        fill = (1.0 - share) * out[left] + share * out[right]
        # Half an injection never was: between fuel and none the hole stays.
        near &= (out[left] != 0.0) == (out[right] != 0.0)
    out[gaps[near]] = fill[near]
    return out


def _drives(log: Log) -> np.ndarray:
    """Number of the recording each row belongs to."""
    return np.asarray(np.searchsorted(np.asarray(log.joints_s), log.time_s, "right"))


def held(values: Floats) -> Floats:
    """The last known value at every sample, the first known one before that; 0 where nothing is known.

    Parameters
    ----------
    values : shape (n,), NaN where unknown.

    Returns
    -------
    Finite throughout, shape (n,); the array itself if nothing is missing.
    """
    known = np.isfinite(values)
    if known.all():
        return values
    if not known.any():
        return np.zeros(len(values))
    last = np.maximum.accumulate(np.where(known, np.arange(len(values)), -1))
    return np.asarray(values[np.where(last >= 0, last, int(np.argmax(known)))])
