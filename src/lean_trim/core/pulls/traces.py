"""What is drawn of a pull: its channels from a little before to a little after, on its own clock."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import running_box
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.estimation.observations import correction_factor
from lean_trim.core.pulls.pull import Pull, mixture_error_pct
from lean_trim.core.types import Floats

BEFORE_S = 1.5
"""Drawn before a pull, s."""
AFTER_S = 1.0
"""Drawn after it, s: the exhaust is late."""
SMOOTH_S = 0.2
"""Width of the mean drawn, s."""


class Lane(StrEnum):
    """Channels of a pull that can be laid over another's."""

    LAMBDA = "λ"
    ERROR = "off target"
    ASKED = "asked"
    BOOST = "boost"
    DUTY = "duty"
    PRESSURE = "fuel Δp"
    SPARK = "spark"
    KNOCK = "knock"
    INTAKE = "intake"
    TRIM = "long trim"
    THROTTLE = "throttle"
    PUSH = "rpm rise"


UNITS: dict[Lane, str] = {
    Lane.LAMBDA: "λ",
    Lane.ERROR: "%",
    Lane.ASKED: "%",
    Lane.BOOST: "kPa",
    Lane.DUTY: "%",
    Lane.PRESSURE: "kPa",
    Lane.SPARK: "°",
    Lane.KNOCK: "°",
    Lane.INTAKE: "°C",
    Lane.TRIM: "%",
    Lane.THROTTLE: "%",
    Lane.PUSH: "rpm/s",
}
WORDS: dict[Lane, str] = {
    Lane.LAMBDA: "Measured lambda, moved by the sensor's delay; thin: its target",
    Lane.ERROR: "Measured lambda over its target; lean is up",
    Lane.ASKED: "What this run asks of the airflow table, trims that were applied in it",
    Lane.BOOST: "Manifold pressure less the barometer",
    Lane.DUTY: "Share of time the injectors are open",
    Lane.PRESSURE: "Fuel pressure across the injector",
    Lane.SPARK: "Spark advance",
    Lane.KNOCK: "Spark taken out for knock",
    Lane.INTAKE: "Intake air temperature",
    Lane.TRIM: "Long-term trim still applied",
    Lane.THROTTLE: "Throttle",
    Lane.PUSH: "How quickly engine speed rises: in one gear, a measure of torque",
}


@dataclass(frozen=True, eq=False)
class PullTrace:
    """Channels along one pull; arrays have shape (n,).

    Attributes
    ----------
    pull : measured.
    time_s : from the pull's first sample, negative before.
    rpm : engine speed.
    lanes : those that the log has, NaN where a reading is missing.
    target : of lambda.
    inside : first and last sample of the pull itself, the latter exclusive.
    """

    pull: Pull
    time_s: Floats
    rpm: Floats
    lanes: Mapping[Lane, Floats]
    target: Floats
    inside: tuple[int, int]


def trace_of(conditions: Conditions, pull: Pull, baro_kpa: Floats) -> PullTrace:
    """Cut a pull's channels out of its log.

    Parameters
    ----------
    conditions : of the joined log the pull was found in.
    pull : measured.
    baro_kpa : along that log, shape (n,).

    Returns
    -------
    Small copies, so that the log need not be kept.
    """
    log = conditions.frame.log
    first = int(np.searchsorted(log.time_s, pull.start_s - BEFORE_S))
    last = int(np.searchsorted(log.time_s, pull.end_s + AFTER_S, side="right"))
    at = slice(first, last)
    time = log.time_s[at] - pull.start_s

    def smooth(values: Floats) -> Floats:
        return running_box(values, time, SMOOTH_S)

    rpm = smooth(log[Role.RPM][at])
    makers: dict[Lane, tuple[tuple[Role, ...], Callable[[], Floats]]] = {
        Lane.LAMBDA: ((), lambda: conditions.lam[at]),
        Lane.ERROR: ((), lambda: mixture_error_pct(conditions, at)),
        Lane.ASKED: ((), lambda: _asked_pct(conditions, at)),
        Lane.BOOST: ((Role.MAP,), lambda: log[Role.MAP][at] - baro_kpa[at]),
        Lane.DUTY: ((Role.PULSE_WIDTH,), lambda: conditions.motion.duty[at]),
        Lane.PRESSURE: ((Role.FUEL_DP,), lambda: log[Role.FUEL_DP][at]),
        Lane.SPARK: ((Role.SPARK,), lambda: log[Role.SPARK][at]),
        Lane.KNOCK: ((Role.KNOCK,), lambda: log[Role.KNOCK][at]),
        Lane.INTAKE: ((Role.IAT,), lambda: log[Role.IAT][at]),
        Lane.TRIM: ((Role.LTFT,), lambda: log[Role.LTFT][at]),
        Lane.THROTTLE: ((Role.THROTTLE,), lambda: log[Role.THROTTLE][at]),
        Lane.PUSH: ((), lambda: np.gradient(rpm, time)),
    }
    with np.errstate(all="ignore"):
        lanes = {
            lane: np.asarray(make(), float).copy()
            for lane, (needed, make) in makers.items()
            if all(role in log for role in needed)
        }
    return PullTrace(
        pull=pull,
        time_s=time.copy(),
        rpm=rpm,
        lanes={lane: values for lane, values in lanes.items() if np.isfinite(values).any()},
        target=conditions.frame.target[at].copy(),
        inside=(pull.start - first, pull.stop - first),
    )


def _asked_pct(conditions: Conditions, at: slice) -> Floats:
    """What the run asks of the table, percent, a mean over 0.2 s."""
    k = correction_factor(conditions.frame, conditions.lam, conditions.motion.enrichment)[at]
    time = conditions.frame.log.time_s[at]
    known = np.isfinite(k)
    mean = running_box(np.where(known, k, 0.0), time, SMOOTH_S)
    share = running_box(known.astype(float), time, SMOOTH_S)
    return np.where(known, 100.0 * (mean / share - 1.0), np.nan)


def at_speeds(trace: PullTrace, lane: Lane, rpm: Floats) -> Floats:
    """A channel of the pull itself over engine speed.

    Parameters
    ----------
    trace : of a pull.
    lane : one it has.
    rpm : speeds asked for, rising, shape (m,).

    Returns
    -------
    Shape (m,); NaN at speeds that were not run through.
    """
    inside = slice(*trace.inside)
    speeds = np.maximum.accumulate(trace.rpm[inside])
    # Equal speeds are one; the first reading at each counts.
    rising = np.concatenate([[True], np.diff(speeds) > 0.0])
    values = trace.lanes[lane][inside]
    known = rising & np.isfinite(values)
    if known.sum() < 2:
        return np.full(len(rpm), np.nan)
    return np.asarray(np.interp(rpm, speeds[known], values[known], left=np.nan, right=np.nan))


def difference(one: PullTrace, other: PullTrace, lane: Lane, rpm: Floats) -> Floats:
    """How far one pull's channel is from another's at the same engine speeds.

    Parameters
    ----------
    one, other : pulls.
    lane : a channel both have.
    rpm : speeds, rising, shape (m,).

    Returns
    -------
    The first less the second, shape (m,); NaN where one of them was not.
    """
    return at_speeds(one, lane, rpm) - at_speeds(other, lane, rpm)
