"""The rows of a drive around quick changes of mixture, with all that a model of them needs."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import as_loop, extend_mask, fill_missing, rate_per_s
from lean_trim.core.drive.delay import pushed_litres
from lean_trim.core.drive.film import injected_flow
from lean_trim.core.drive.frame import Frame
from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Floats, Ints, Mask


class Say:
    """Sentences of this module."""

    NO_LAMBDA = Message("quick_changes.no_lambda", "no lambda was logged")
    NO_FUEL = Message(
        "quick_changes.no_fuel",
        "no pulse width that is borne out was logged, so what the ECU injects while the throttle "
        "moves is not known",
    )
    TOO_SLOW = Message(
        "quick_changes.too_slow",
        "the log has {hz:.1f} rows a second; {needed:.0f} are needed to see how the mixture "
        "settles",
    )


STEP = 0.05
"""Change of fuel per air within ``AHEAD_S`` that is quick."""
AHEAD_S = 0.15
"""Time over which a change of fuel per air is looked at, s: a few engine cycles."""
QUIET_S = 1.0
"""Without a quick change before one that begins a window."""
LEAD_S = 0.1
"""Judged before a window begins, s, so that its level is known."""
TAIL_S = 3.0
"""What is judged of a window, about its beginning."""
RUN_IN_S = 6.0
"""Driven before a window for film and gas on their way to come from what was injected."""
MOST_WINDOWS = 200
"""More changes say little more and cost as much each; taken evenly along the log."""
LEAST_RPM = 900.0
"""Engine speed below which a change is not judged: idle control moves the mixture itself."""
SETTLED_S = 30.0
"""The first half minute is the sensor heating up."""
RATE_OVER_S = 0.12
"""Time over which a rate of pressure is fitted, s."""
MOST_RATE = 20.0
"""Relative rate of load beyond which a reading is a spike, 1/s."""
LEAST_AIR = 0.05
"""Airflow that stands for less, g/s, where fuel is divided by it."""
LEAST_MAP_KPA = 10.0
"""Pressure that stands for less, kPa, where a rate is divided by it."""
NO_MAP_KPA = 50.0
"""Stands for a pressure nobody logged, kPa: the film is then told for the middle of part load."""
SLOWEST_S = 0.125
"""Longest time between rows, s: slower logs do not show a change of a few tenths of a second."""
RATIO_RANGE = (0.5, 2.0)
"""Within which the table's own error is believed, as a factor."""


@dataclass(frozen=True, eq=False)
class Rows:
    """What a model of fuel and air needs of a drive, shape (r,) each.

    Attributes
    ----------
    time_s, pushed_l : rising, s and exhaust pushed out, L.
    fuel : injected, in the unit of ``air``: 1 of it for 1 of air is stoichiometric.
    air : that fuel is meant for, the table's steady error corrected.
    target : lambda asked for.
    held : fuel of steady running over what would be on target: trims over the table's error.
    map_kpa : a constant where it was not logged.
    rate : change of manifold pressure, or of air per turn, per second over itself.
    cycle_s : of an engine cycle.
    """

    time_s: Floats
    pushed_l: Floats
    fuel: Floats
    air: Floats
    target: Floats
    held: Floats
    map_kpa: Floats
    rate: Floats
    cycle_s: Floats

    def at(self, index: Ints) -> Rows:
        """Some of them.

        Parameters
        ----------
        index : wanted ones, shape (m,).

        Returns
        -------
        In that order.
        """
        return Rows(*(as_loop(getattr(self, f.name)[index]) for f in fields(self)))


@dataclass(frozen=True, eq=False)
class QuickChanges:
    """Rows in time order, with gaps between windows that are far apart.

    Attributes
    ----------
    rows : of the drive that are near quick changes, r of them.
    judged : rows that may be judged, shape (j,); ``window`` the change each belongs to.
    measured : fuel per air the sensor shows there, shape (j,).
    start_s : when each change began, shape (w,).
    metered : whether air is measured ahead of the manifold, with what fills it.
    """

    rows: Rows
    judged: Ints
    window: Ints
    measured: Floats
    start_s: Floats
    metered: bool

    @property
    def windows(self) -> int:
        """Quick changes there are."""
        return len(self.start_s)

    def some(self, count: int) -> QuickChanges:
        """So many of them, evenly taken, with the rows they need.

        Parameters
        ----------
        count : at least 1.

        Returns
        -------
        These themselves where they are no more.
        """
        seen = np.unique(self.window)
        # Evenly over the drive: the first ones alone would all be of a cold engine.
        if len(seen) <= count:
            return self
        chosen = seen[np.linspace(0, len(seen) - 1, count).astype(int)]
        kept = np.isin(self.window, chosen)
        near = np.zeros(len(self.rows.time_s), bool)
        near[self.judged[kept]] = True
        index = np.flatnonzero(extend_mask(near, self.rows.time_s, RUN_IN_S, 0.0))
        return replace(
            self,
            rows=self.rows.at(index),
            judged=np.searchsorted(index, self.judged[kept]),
            window=np.searchsorted(chosen, self.window[kept]),
            measured=self.measured[kept],
            start_s=self.start_s[chosen],
        )


def rows_of(frame: Frame, k: Floats) -> Rows:
    """Every row of a drive.

    Parameters
    ----------
    frame : a log seen through its calibration.
    k : factor by which the airflow table is wrong along the log, shape (n,).

    Returns
    -------
    Shape (n,).
    """
    # Where its error is not known the table is taken as right; each change has a gain for the rest.
    wrong = np.clip(np.nan_to_num(k, nan=1.0), *RATIO_RANGE)
    load, rate = _load(frame)
    return Rows(
        time_s=as_loop(frame.log.time_s),
        pushed_l=pushed_litres(frame),
        fuel=injected_flow(frame),
        air=np.maximum(np.nan_to_num(frame.flow_g_per_s, nan=1.0), LEAST_AIR) * wrong,
        target=fill_missing(frame.target, 1.0),
        held=fill_missing(frame.trim, 1.0) / wrong,
        map_kpa=load,
        rate=rate,
        cycle_s=120.0 / np.maximum(fill_missing(frame.log[Role.RPM]), 300.0),
    )


def quick_changes(frame: Frame, rows: Rows, may: Mask) -> QuickChanges | None:
    """Gather them, at most ``MOST_WINDOWS`` evenly taken.

    Parameters
    ----------
    frame : a log seen through its calibration.
    rows : all of it.
    may : samples that nothing but quick fuelling speaks against, shape (n,).

    Returns
    -------
    None where the drive has none.
    """
    log = frame.log
    time = log.time_s
    start = _starts(frame, np.clip(rows.fuel / rows.air, 0.0, 3.0))
    with np.errstate(invalid="ignore", divide="ignore"):
        measured = 1.0 / log.get(Role.LAMBDA)
    judged, window = _judged(time, start, may & np.isfinite(measured) & (log[Role.RPM] > LEAST_RPM))
    if not len(judged):
        return None
    near = np.zeros(len(time), bool)
    near[judged] = True
    # With what came before: the film remembers a few seconds.
    index = np.flatnonzero(extend_mask(near, time, RUN_IN_S, 0.0))
    return QuickChanges(
        rows=rows.at(index),
        judged=np.searchsorted(index, judged),
        window=window,
        measured=measured[judged],
        start_s=start,
        metered=frame.vehicle.airflow == "maf",
    )


def what_is_missing(frame: Frame) -> Said | None:
    """What quick changes of mixture cannot be read without, and this log lacks.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    A sentence; None where nothing is missing.
    """
    log = frame.log
    # A loop's lambda is its target; what it missed for a moment is not in it.
    if frame.lambda_of_loop or not np.isfinite(log.get(Role.LAMBDA)).any():
        return Say.NO_LAMBDA()
    # Trims and table do not tell what an ECU adds while the throttle moves.
    if not np.isfinite(frame.fuel_ratio).any():
        return Say.NO_FUEL()
    if log.step_s > SLOWEST_S:
        return Say.TOO_SLOW(hz=1.0 / log.step_s, needed=1.0 / SLOWEST_S)
    return None


def _starts(frame: Frame, phi: Floats) -> Floats:
    """When quick changes begin."""
    from lean_trim.core.kernels.log_loops import onsets

    log = frame.log
    time = log.time_s
    ahead = np.minimum(np.searchsorted(time, time + AHEAD_S), len(time) - 1)
    # Of slow logs the next row.
    ahead = np.maximum(ahead, np.minimum(np.arange(len(time)) + 1, len(time) - 1))
    quick = (np.abs(phi[ahead] - phi) > STEP) & (log[Role.RPM] > LEAST_RPM)
    # The film is taken as settled where the log begins, and is not.
    quick &= time > time[0] + SETTLED_S
    found = time[onsets(quick, time, QUIET_S)]
    if len(found) > MOST_WINDOWS:
        found = found[np.linspace(0, len(found) - 1, MOST_WINDOWS).astype(int)]
    return np.asarray(found)


def _judged(time: Floats, start: Floats, may: Mask) -> tuple[Ints, Ints]:
    """Rows of each window until the next begins."""
    first = np.searchsorted(time, start - LEAD_S)
    last = np.searchsorted(time, start + TAIL_S, "right")
    # No row is judged twice; it belongs to the change that began last.
    last = np.minimum(last, np.append(first[1:], len(time)))
    rows = [np.arange(a, b) for a, b in zip(first, last, strict=True)]
    if not rows:
        return np.empty(0, np.intp), np.empty(0, np.intp)
    index = np.concatenate(rows)
    window = np.repeat(np.arange(len(rows)), [len(r) for r in rows])
    keep = may[index]
    return index[keep], window[keep]


def _load(frame: Frame) -> tuple[Floats, Floats]:
    """Manifold pressure and its relative rate; of air per turn where pressure was not logged."""
    log = frame.log
    if Role.MAP in log:
        pressure = fill_missing(log[Role.MAP], NO_MAP_KPA)
        rate = rate_per_s(log.time_s, pressure, RATE_OVER_S) / np.maximum(pressure, LEAST_MAP_KPA)
    else:
        pressure = np.full(len(log), NO_MAP_KPA)
        # Air per turn moves as manifold pressure does, up to a constant the rate does not see.
        filled = np.nan_to_num(frame.flow_g_per_s) / np.maximum(fill_missing(log[Role.RPM]), 300.0)
        rate = rate_per_s(log.time_s, filled, RATE_OVER_S) / np.maximum(filled, 1e-4)
    return pressure, np.clip(np.nan_to_num(rate), -MOST_RATE, MOST_RATE)
