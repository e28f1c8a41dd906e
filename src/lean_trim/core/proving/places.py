"""Steady running of a drive by places of 200 1/min and 4 kPa, as a judgement of tables needs it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import extend_mask
from lean_trim.core.drive.coordinates import DEFAULT_VOLTS, fuel_is_told
from lean_trim.core.drive.frame import Frame, hidden_trim
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.types import Floats, Ints, Mask

WARM_C = 66.0
"""Coolant from which running counts, °C: wall film and warm-up fuel are small then (by a trial on
simulated cars)."""
STEADY_S = 0.8
"""Running has to have been steady for so long, s (by the same trial)."""
RPM_STEP = 200.0
KPA_STEP = 4.0
SIGNAL_STEPS = 4
"""Places of a curve: parts of a step between its points."""
MOST_MAP_RATE = 30.0
MOST_RPM_RATE = 400.0
"""Faster than that running is not steady: MAP in percent of itself, engine speed in 1/min, per s."""
LEAST_S = 0.1
"""A place that was driven for less says nothing."""


@dataclass(frozen=True, eq=False)
class Steady:
    """Means of p places.

    Attributes
    ----------
    at : coordinates of the airflow table, (axes, p).
    table_by_width : natural logarithm of the value the ECU must have read, by its pulse width, (p,); NaN
        where that is not known.
    per_open_ms : mean of one over the open time, (p,), 1/ms.
    k : natural logarithm of trims · lambda / target, (p,); NaN where that is not known.
    seconds : behind each, (p,).
    """

    at: Floats
    table_by_width: Floats
    per_open_ms: Floats
    k: Floats
    seconds: Floats

    def __len__(self) -> int:
        return len(self.seconds)


def steady_mask(motion: Motion, regime: Ints) -> Mask:
    """Samples of warm, steady running with fuel.

    Parameters
    ----------
    motion : a log with its rates.
    regime : of every sample.

    Returns
    -------
    Shape (n,).
    """
    log = motion.frame.log
    held = (regime == Regime.CRUISE) | (regime == Regime.IDLE) | (regime == Regime.FULL_THROTTLE)
    with np.errstate(invalid="ignore"):
        calm = ~(np.abs(motion.map_rate) > MOST_MAP_RATE) & ~(
            np.abs(motion.rpm_rate) > MOST_RPM_RATE
        )
        warm = ~(log.get(Role.COOLANT) < WARM_C)
    moving = extend_mask(~(held & calm), log.time_s, 0.0, STEADY_S)
    return np.asarray(held & calm & warm & ~moving)


def steady_places(motion: Motion, regime: Ints, k: Floats) -> Steady:
    """Gather the steady running of a drive by place.

    Parameters
    ----------
    motion : a log seen through the calibration it is said to have been driven on.
    regime : of every sample.
    k : trims · lambda / target less what film and heat make of it, (n,); NaN where it says nothing.

    Returns
    -------
    The places.
    """
    frame = motion.frame
    log = frame.log
    with np.errstate(invalid="ignore", divide="ignore"):
        # By what was in force, not by what was believed: the two cancel.
        width = np.log(frame.driven_base * frame.fuel_ratio)
        needed = np.log(k)
        per_open = 1.0 / _open_ms(frame)
    if hidden_trim(log, frame.vehicle).any() or not fuel_is_told(frame.vehicle):
        width = np.full(len(log), np.nan)
    use = steady_mask(motion, regime) & (np.isfinite(width) | np.isfinite(needed))
    numbers = _place_numbers(frame)[use]
    _, inverse = np.unique(numbers, return_inverse=True)
    count = int(inverse.max()) + 1 if len(inverse) else 0
    seconds = motion.durations_s[use]
    whole = np.bincount(inverse, seconds, count)

    def mean(values: Floats) -> Floats:
        here = values[use]
        known = np.isfinite(here)
        weight = np.bincount(inverse[known], seconds[known], count)
        total = np.bincount(inverse[known], (seconds * here)[known], count)
        # A place half of which is not known is not known.
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(np.where(weight >= 0.5 * whole, total / weight, np.nan))

    at = np.array([mean(a) for a in frame.coordinates]).reshape(len(frame.coordinates), count)
    found = Steady(at, mean(width), mean(per_open), mean(needed), np.asarray(whole, float))
    return only(found, (whole >= LEAST_S) & frame.vehicle.table.inside(*at))


def only(steady: Steady, keep: Mask) -> Steady:
    """The places where ``keep`` is True."""
    return Steady(
        steady.at[:, keep],
        steady.table_by_width[keep],
        steady.per_open_ms[keep],
        steady.k[keep],
        steady.seconds[keep],
    )


def _open_ms(frame: Frame) -> Floats:
    log = frame.log
    if Role.PULSE_WIDTH not in log:
        return np.full(len(log), np.nan)
    volts = log[Role.BATTERY] if Role.BATTERY in log else np.full(len(log), DEFAULT_VOLTS)
    open_ms = frame.vehicle.injectors.open_time_ms(log[Role.PULSE_WIDTH], volts)
    return np.asarray(np.where(open_ms > 0.0, open_ms, np.nan))


def _place_numbers(frame: Frame) -> Ints:
    """A number for the place of every sample."""
    rpm = np.nan_to_num(frame.log[Role.RPM] / RPM_STEP).astype(np.int64)
    if len(frame.coordinates) == 1:
        points = frame.vehicle.table.axes[0].points
        along = np.interp(frame.coordinates[0], points, np.arange(len(points)))
        return rpm * 10_000 + np.nan_to_num(along * SIGNAL_STEPS).astype(np.int64)
    if Role.MAP in frame.log:
        other = np.nan_to_num(frame.log[Role.MAP] / KPA_STEP)
    else:
        points = frame.vehicle.table.axes[0].points
        along = np.interp(frame.coordinates[0], points, np.arange(len(points)))
        other = np.nan_to_num(along * SIGNAL_STEPS)
    return rpm * 10_000 + other.astype(np.int64)
