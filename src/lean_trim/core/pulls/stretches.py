"""Where a log holds pulls: full throttle from its first sample to its last, ended by a lift or a shift."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log
from lean_trim.core.drive.gears import GearReading
from lean_trim.core.types import Floats, Ints, Mask

Kind = Literal["full", "partial"]
FULL_PCT = 95.0
FULL_S = 2.0
"""Throttle above it for so long is a full pull; a public contract."""
FLICKER_PCT = 90.0
"""Throttle above which a short dip does not end a pull."""
FLICKER_S = 0.15
"""A reading that dips no further and no longer is noise of the sensor (common practice, no
source)."""
PARTIAL_PCT = 60.0
"""Throttle from which a pull is a partial one."""
PARTIAL_S = 2.0
"""Throttle from which a run that is not full is worth looking at (common practice, no source)."""
RUNNING_RPM = 900.0
"""Engine speed from which a stretch can be a pull."""
SHIFT_DROP = 0.08
"""Share by which engine speed falls at once where a gear is changed."""
SHIFT_WITHIN_S = 0.6
"""Engine speed that falls by such a share so quickly at an open throttle is a shift (common
practice)."""
SHIFT_NEAR_S = 0.8
"""A change of the logged gear this near such a fall is the same shift: gears are told late."""
LOADED = 0.92
"""Share of the highest manifold pressure that stands for an open throttle where none was logged."""


@dataclass(frozen=True)
class Stretch:
    """Samples ``start`` to ``stop`` (exclusive) of the joined log."""

    kind: Kind
    start: int
    stop: int


def find_stretches(log: Log, gears: GearReading) -> tuple[Stretch, ...]:
    """Pulls of a log, in the order of time.

    Parameters
    ----------
    log : one joined log with engine speed; no pull reaches over a joint.
    gears : gear of every sample.

    Returns
    -------
    Full ones; partial ones where the throttle was far open for two seconds beside them. Without a
    throttle, runs near the highest manifold pressure, all of them partial.
    """
    running = held(log[Role.RPM]) > RUNNING_RPM
    ends = _ends(log, gears)
    if Role.THROTTLE not in log:
        return tuple(_spans("partial", _loaded(log) & running, ends, log.time_s, PARTIAL_S))
    throttle = held(log[Role.THROTTLE])
    full = _without_flicker(throttle, log.time_s) & running
    found = _spans("full", full, ends, log.time_s, FULL_S)
    taken = np.zeros(len(log), bool)
    for span in found:
        taken[span.start : span.stop] = True
    # What stands right beside a full pull is the opening and closing of its throttle.
    far = (throttle > PARTIAL_PCT) & running & ~taken
    found += _spans("partial", far, ends | _edges(taken), log.time_s, PARTIAL_S)
    return tuple(sorted(found, key=lambda s: s.start))


def _without_flicker(throttle: Floats, time_s: Floats) -> Mask:
    full = throttle > FULL_PCT
    edges = np.flatnonzero(np.diff(full.astype(np.int8)))
    for left, right in pairwise(edges):
        inside = slice(left + 1, right + 1)
        short = time_s[right + 1] - time_s[left] <= FLICKER_S + 1e-9
        if full[left] and short and (throttle[inside] > FLICKER_PCT).all():
            full[inside] = True
    return full


def _loaded(log: Log) -> Mask:
    if Role.MAP not in log:
        return np.zeros(len(log), bool)
    pressure = held(log[Role.MAP])
    return np.asarray(pressure > LOADED * np.nanpercentile(pressure, 99.5))


def _edges(taken: Mask) -> Mask:
    return np.asarray(np.diff(taken.astype(np.int8), prepend=np.int8(taken[0])) != 0)


def _ends(log: Log, gears: GearReading) -> Mask:
    """Samples that belong to a shift or begin another log: no pull goes through them."""
    out = shifts(log, gears)
    out[np.searchsorted(log.time_s, log.joints_s)] = True
    return out


def shifts(log: Log, gears: GearReading) -> Mask:
    """Samples during which the gear was changed: engine speed on its way down, or another gear told.

    Parameters
    ----------
    log : with engine speed.
    gears : logged gears count by themselves, inferred ones only where engine speed falls.

    Returns
    -------
    Shape (n,).
    """
    out = np.zeros(len(log), bool)
    rpm = held(log[Role.RPM])
    time = log.time_s
    for peak, low in _falls(rpm, time):
        out[peak + 1 : low + 1] = True
    if gears.how != "logged":
        return out
    falling = time[out]
    for i in np.flatnonzero(gears.changes):
        near = len(falling) and np.abs(falling - time[i]).min() < SHIFT_NEAR_S
        if not near:
            out[i] = True
    return out


def _falls(rpm: Floats, time: Floats) -> list[tuple[int, int]]:
    """From the last sample before engine speed fell quickly to where it stopped falling."""
    back = np.searchsorted(time, time - SHIFT_WITHIN_S)
    ahead: Ints = np.arange(len(rpm))
    before = rpm[back]
    quick = np.flatnonzero(rpm < before * (1.0 - SHIFT_DROP))
    out: list[tuple[int, int]] = []
    for group in np.split(quick, np.flatnonzero(np.diff(quick) > 1) + 1) if len(quick) else []:
        first = int(back[group[0]])
        last = int(ahead[group[-1]])
        peak = first + int(np.argmax(rpm[first : group[0] + 1]))
        while last + 1 < len(rpm) and rpm[last + 1] < rpm[last]:
            last += 1
        low = peak + int(np.argmin(rpm[peak : last + 1]))
        out.append((peak, low))
    return out


def _spans(kind: Kind, mask: Mask, ends: Mask, time: Floats, least_s: float) -> list[Stretch]:
    """Runs of a mask that hold no end, of at least some seconds from first to last sample."""
    on = np.flatnonzero(mask & ~ends)
    if not len(on):
        return []
    # A joint or a single sample told as a shift separates what stands on both sides of it.
    groups = np.split(on, np.flatnonzero(np.diff(on) > 1) + 1)
    return [
        Stretch(kind, int(g[0]), int(g[-1]) + 1)
        for g in groups
        if time[g[-1]] - time[g[0]] >= least_s
    ]
