"""What the overlay draws: lines of each lane over engine speed, or over time from a trigger."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trim.core.pulls.traces import Lane, PullTrace, difference
from lean_trim.core.types import Floats

Across = Literal["rpm", "time"]
Trigger = Literal["throttle", "rpm", "boost"]
TRIGGERS: dict[Trigger, str] = {
    "throttle": "throttle opens",
    "rpm": "engine speed passes",
    "boost": "boost passes",
}
TRIGGER_UNITS: dict[Trigger, str] = {"throttle": "", "rpm": " rpm", "boost": " kPa"}
DIFFERENCE_POINTS = 200
ROOM = 0.06
"""Free above and below the lines, as a share of their range."""
LEAST_SPAN: dict[Lane, float] = {
    Lane.LAMBDA: 0.1,
    Lane.ERROR: 6.0,
    Lane.ASKED: 6.0,
    Lane.BOOST: 20.0,
    Lane.DUTY: 20.0,
    Lane.PRESSURE: 40.0,
    Lane.SPARK: 8.0,
    Lane.KNOCK: 4.0,
    Lane.INTAKE: 10.0,
    Lane.TRIM: 6.0,
    Lane.THROTTLE: 20.0,
    Lane.PUSH: 200.0,
}
"""A lane shows at least so much, so that noise is not made to look like a fault."""


@dataclass(frozen=True, eq=False)
class Drawn:
    """One pull in one lane: x, y, and, of lambda, its target."""

    x: Floats
    y: Floats
    target: Floats | None = None


@dataclass(frozen=True, eq=False)
class LaneLines:
    """A lane with all its pulls, in their order; None for a pull that lacks it."""

    lane: Lane
    lines: tuple[Drawn | None, ...]
    low: float
    high: float


@dataclass(frozen=True, eq=False)
class Overlay:
    """Everything that is drawn; ``is_difference`` where a line is one pull less another.

    ``unsettled`` is, of every pull, from where to where acceleration enrichment makes its mixture
    no airflow.
    """

    across: Across
    lanes: tuple[LaneLines, ...]
    first: float
    last: float
    is_difference: bool = False
    unsettled: tuple[tuple[float, float], ...] = ()


def trigger_s(trace: PullTrace, trigger: Trigger, level: float) -> float:
    """Where on a pull's own clock its trigger lies.

    Parameters
    ----------
    trace : of a pull.
    trigger : what sets the clock to 0.
    level : rpm, or kPa of boost.

    Returns
    -------
    s from the pull's first sample; NaN if it never came.
    """
    if trigger == "throttle":
        return 0.0
    if trigger == "boost" and Lane.BOOST not in trace.lanes:
        return np.nan
    values = trace.rpm if trigger == "rpm" else trace.lanes[Lane.BOOST]
    up = np.flatnonzero((values[1:] >= level) & (values[:-1] < level))
    if not len(up):
        return np.nan
    i = int(up[0])
    share = (level - values[i]) / (values[i + 1] - values[i])
    return float(trace.time_s[i] + share * (trace.time_s[i + 1] - trace.time_s[i]))


def overlay_of(
    traces: Sequence[PullTrace],
    lanes: Sequence[Lane],
    across: Across,
    trigger: Trigger = "throttle",
    level: float = 0.0,
) -> Overlay | None:
    """Lines of some pulls.

    Parameters
    ----------
    traces : pulls, in the order they are drawn.
    lanes : those asked for; one no pull has is left out.
    across : what they are drawn over.
    trigger, level : of the time axis.

    Returns
    -------
    None if there is nothing to draw.
    """
    places = [_x(trace, across, trigger, level) for trace in traces]
    known = [x[np.isfinite(x)] for x in places]
    known = [x for x in known if len(x)]
    drawn = [_lane(lane, traces, places, across) for lane in lanes]
    kept = tuple(lane for lane in drawn if lane is not None)
    if not known or not kept:
        return None
    first = min(float(x.min()) for x in known)
    last = max(float(x.max()) for x in known)
    unsettled = tuple(_unsettled(trace, x) for trace, x in zip(traces, places, strict=True))
    return Overlay(across, kept, first, max(last, first + 1e-3), unsettled=unsettled)


def difference_of(one: PullTrace, other: PullTrace, lanes: Sequence[Lane]) -> Overlay | None:
    """How far one pull is from another at the same engine speeds.

    Parameters
    ----------
    one, other : pulls.
    lanes : those asked for; one that either lacks is left out.

    Returns
    -------
    A single line a lane; None if they share no engine speed or lane.
    """
    low = max(t.rpm[t.inside[0]] for t in (one, other))
    high = min(t.rpm[t.inside[1] - 1] for t in (one, other))
    if not high > low:
        return None
    rpm = np.linspace(low, high, DIFFERENCE_POINTS)
    drawn = []
    for lane in lanes:
        if lane not in one.lanes or lane not in other.lanes:
            continue
        apart = difference(one, other, lane, rpm)
        known = apart[np.isfinite(apart)]
        if len(known):
            most = max(float(np.abs(known).max()), LEAST_SPAN[lane] / 2.0) * (1.0 + ROOM)
            drawn.append(LaneLines(lane, (Drawn(rpm, apart),), -most, most))
    return (
        Overlay("rpm", tuple(drawn), float(low), float(high), is_difference=True) if drawn else None
    )


def _x(trace: PullTrace, across: Across, trigger: Trigger, level: float) -> Floats:
    if across == "time":
        return np.asarray(trace.time_s - trigger_s(trace, trigger, level))
    # Over engine speed only the pull itself; what is before and after would run back over it.
    x = np.full(len(trace.rpm), np.nan)
    inside = slice(*trace.inside)
    x[inside] = trace.rpm[inside]
    return x


def _unsettled(trace: PullTrace, x: Floats) -> tuple[float, float]:
    """Where a pull begins and where its acceleration enrichment ends, on the axis that is drawn over."""
    begin, end = trace.inside
    until = int(np.searchsorted(trace.time_s, trace.pull.settles_s))
    return float(x[begin]), float(x[min(until, end - 1)])


def _lane(
    lane: Lane, traces: Sequence[PullTrace], places: Sequence[Floats], across: Across
) -> LaneLines | None:
    lines: list[Drawn | None] = []
    values = []
    for trace, x in zip(traces, places, strict=True):
        y = trace.lanes.get(lane)
        shown = np.isfinite(x)
        if y is None or not (shown & np.isfinite(y)).any():
            lines.append(None)
            continue
        target = trace.target[shown] if lane is Lane.LAMBDA else None
        lines.append(Drawn(x[shown], y[shown], target))
        inside = y[slice(*trace.inside)]
        values.append(inside[np.isfinite(inside)])
    known = [v for v in values if len(v)]
    if not known:
        return None
    low = min(float(v.min()) for v in known)
    high = max(float(v.max()) for v in known)
    short = max(LEAST_SPAN[lane] - (high - low), 0.0) / 2.0
    room = ROOM * max(high - low, LEAST_SPAN[lane])
    return LaneLines(lane, tuple(lines), low - short - room, high + short + room)
