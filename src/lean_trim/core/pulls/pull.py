"""What one pull showed: span, mixture, boost, duty, pressure, knock, times."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log, running_box
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.pulls.stretches import Kind, Stretch
from lean_trim.core.types import Floats, Ints, Mask

SETTLE_S = 0.5
"""After the throttle opened, s, in which mixture says nothing of airflow at least."""
LONGEST_S = 1.5
"""First part of a pull, under acceleration enrichment: its mixture is no airflow (common
practice)."""
ACCELERATION = 0.03
"""Fuel beyond that of the rest of the pull that is acceleration enrichment."""
END_S = 0.2
"""Last part, into which a sensor that answers a little later than reckoned brings the lift."""
SMOOTH_S = 0.2
"""Worst mixture is a mean over this, not a spike of the sensor."""
BEFORE_S = (4.0, 0.3)
"""From how long to how short before a pull the fuel pressure counts as what it fell from."""
ENRICHED = 0.95
"""Commanded λ at and below which full-throttle enrichment is on (common practice, no source)."""
LAUNCH_KMH = 12.0
"""Road speed from below which a pull is a launch."""
TIME_STEP_RPM = 1000.0
"""Times are told between round engine speeds so far apart."""
RPM_SMOOTH_S = 0.1
"""Width of the mean of engine speed, s."""
LEAST_SAMPLES = 3
"""Readings below which no figure of a pull is told."""


@dataclass(frozen=True, eq=False)
class Pull:
    """One pull on the joined log; figures are NaN, or None, where the log does not tell them.

    Attributes
    ----------
    kind : "full" or "partial".
    start, stop : samples, the latter exclusive; ``start_s``, ``end_s`` their times.
    gear : most seen, 0 where none is known; ``launch`` where it began at a standstill.
    rpm_from, rpm_to : engine speed at both ends.
    lambda_mean_pct, lambda_lean_pct, lambda_rich_pct : measured over target less one: mean, most
        lean, most rich, after the first half second; ``lean_rpm`` and ``rich_rpm`` where.
    ltft_pct, stft_pct : mean trims still applied.
    boost_kpa : highest MAP less the barometer.
    duty_pct, dp_drop_pct, knock_deg : highest.
    intake_from_c, intake_to_c : intake air at both ends.
    spark_deg : mean.
    throttle_pct : highest.
    enriched : whether full-throttle enrichment was commanded, None where the target is not known.
    tip_in_pct : largest lean error that the wall film explains; no matter of the table.
    ends_at : flow, g/s, and engine speed at which fuel delivery ends, where the pull came near it.
    supply_in_doubt : a finding of the drive says that fuel may not arrive.
    settles_s : how long acceleration enrichment lasted; until then mixture is no airflow.
    times : seconds between engine speeds, by "3000-6000".
    reached : seconds from its first sample to engine speeds, by "4000".
    faults : ids of what was found during it.
    """

    kind: Kind
    start: int
    stop: int
    start_s: float
    end_s: float
    gear: int
    launch: bool
    rpm_from: float
    rpm_to: float
    lambda_mean_pct: float
    lambda_lean_pct: float
    lambda_rich_pct: float
    lean_rpm: float
    rich_rpm: float
    ltft_pct: float
    stft_pct: float
    boost_kpa: float
    duty_pct: float
    dp_drop_pct: float
    knock_deg: float
    intake_from_c: float
    intake_to_c: float
    spark_deg: float
    throttle_pct: float
    enriched: bool | None
    settles_s: float
    times: Mapping[str, float]
    reached: Mapping[str, float]
    faults: tuple[str, ...] = ()
    tip_in_pct: float = np.nan
    ends_at: tuple[float, float] | None = None
    supply_in_doubt: bool = False

    @property
    def seconds(self) -> float:
        """How long it lasted."""
        return self.end_s - self.start_s


def measure_pull(
    conditions: Conditions,
    stretch: Stretch,
    baro_kpa: Floats,
    shown: Mapping[str, Mask] | None = None,
) -> Pull:
    """Figures of one pull.

    Parameters
    ----------
    conditions : one joined log with aligned lambda.
    stretch : where it lies.
    baro_kpa : barometer along the log, shape (n,).
    shown : samples that show a fault, shape (n,) each, by its id.

    Returns
    -------
    The pull.
    """
    frame = conditions.frame
    log = frame.log
    at = slice(stretch.start, stretch.stop)
    time = log.time_s[at]
    settles_s = _settles_s(conditions, stretch)
    # Neither the enrichment that fades in after the pedal nor the lift-off at the end is the
    # table's.
    settled = np.arange(len(log))[at][(time >= time[0] + settles_s) & (time <= time[-1] - END_S)]
    error = mixture_error_pct(conditions, settled)
    rpm = smooth_rpm(log, at)
    settled_rpm = rpm[settled - stretch.start]
    duty = conditions.motion.duty[at]
    gears = conditions.motion.gears.gear[at]
    intake = held(log[Role.IAT])[at] if Role.IAT in log else np.full(len(time), np.nan)
    # A log may be uneven: means are over time, not over rows.
    weights = log.durations_s[settled]
    return Pull(
        kind=stretch.kind,
        start=stretch.start,
        stop=stretch.stop,
        start_s=float(time[0]),
        end_s=float(time[-1]),
        gear=_most_seen(gears),
        launch=Role.SPEED in log and bool(held(log[Role.SPEED])[stretch.start] < LAUNCH_KMH),
        rpm_from=float(rpm[0]),
        rpm_to=float(rpm[-1]),
        lambda_mean_pct=_mean(error, weights),
        lambda_lean_pct=_extreme(error, np.nanmax),
        lambda_rich_pct=_extreme(error, np.nanmin),
        lean_rpm=_where(error, settled_rpm),
        rich_rpm=_where(-error, settled_rpm),
        ltft_pct=_mean(log.get(Role.LTFT)[settled], weights),
        stft_pct=_mean(log.get(Role.STFT)[settled], weights),
        boost_kpa=_extreme(log.get(Role.MAP)[at] - baro_kpa[at], np.nanmax),
        duty_pct=_extreme(duty, np.nanmax) if _knows_duty(log) else np.nan,
        dp_drop_pct=_pressure_drop_pct(log, stretch),
        knock_deg=_extreme(log.get(Role.KNOCK)[at], np.nanmax),
        intake_from_c=float(intake[0]),
        intake_to_c=float(intake[-1]),
        spark_deg=_mean(log.get(Role.SPARK)[at], log.durations_s[at]),
        throttle_pct=_extreme(log.get(Role.THROTTLE)[at], np.nanmax),
        enriched=_enriched(conditions, settled),
        settles_s=settles_s,
        times=times_between(time, rpm),
        reached=times_to(time, rpm),
        faults=tuple(name for name, mask in (shown or {}).items() if mask[at].any()),
        tip_in_pct=tip_in_pct(conditions, settled),
    )


def mixture_error_pct(conditions: Conditions, at: Ints | slice) -> Floats:
    """Measured lambda over its target less one and less what the wall film explains, percent.

    A mean over 0.2 s; NaN where either is unknown.

    Parameters
    ----------
    conditions : one joined log with aligned lambda.
    at : samples in the order of time, of which alone the means are made.

    Returns
    -------
    Shape of ``at``; positive is lean.
    """
    return _smoothed(100.0 * (conditions.lean[at] - 1.0), conditions.frame.log.time_s[at])


def tip_in_pct(conditions: Conditions, at: Ints | slice) -> float:
    """The largest lean error that the wall film explains, percent, where it is the larger part.

    Parameters
    ----------
    conditions : one joined log with aligned lambda.
    at : samples of a pull in the order of time.

    Returns
    -------
    A mean over 0.2 s; 0 where nothing is explained, NaN where the film is not known.
    """
    if conditions.thin is None:
        return np.nan
    whole = 100.0 * (conditions.lam[at] / conditions.frame.target[at] - 1.0)
    # The film is the larger part where it explains half or more.
    by_film = (conditions.thin[at] > 0.0) & (200.0 * conditions.thin[at] >= whole)
    error = _smoothed(np.where(by_film, whole, 0.0), conditions.frame.log.time_s[at])
    return max(0.0, _extreme(error, np.nanmax))


def _smoothed(error: Floats, time: Floats) -> Floats:
    # Holes count neither above nor below the line: the mean of what is known, not of what is there.
    known = np.isfinite(error)
    if len(error) < LEAST_SAMPLES:
        return np.full(len(error), np.nan)
    mean = running_box(np.where(known, error, 0.0), time, SMOOTH_S)
    share = running_box(known.astype(float), time, SMOOTH_S)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(known & (share > 0.0), mean / share, np.nan)


def smooth_rpm(log: Log, at: slice) -> Floats:
    """Engine speed of a stretch without the ripple of its sensor.

    Returns 1/min, of the stretch.
    """
    return running_box(held(log[Role.RPM])[at], log.time_s[at], RPM_SMOOTH_S)


def seconds_between(time_s: Floats, rpm: Floats, low: float, high: float) -> float:
    """Time from one engine speed to a higher one.

    Parameters
    ----------
    time_s, rpm : along a pull, shape (n,).
    low, high : 1/min, rising.

    Returns
    -------
    s between the crossings, interpolated; NaN if either was not crossed upwards.
    """
    up = [_crossing(time_s, rpm, level) for level in (low, high)]
    return up[1] - up[0] if up[1] > up[0] else np.nan


def seconds_to(time_s: Floats, rpm: Floats, level: float) -> float:
    """Time from the first sample to an engine speed, as of a launch.

    Parameters
    ----------
    time_s, rpm : along a pull, shape (n,).
    level : 1/min.

    Returns
    -------
    s, interpolated; NaN if it was not crossed upwards.
    """
    return _crossing(time_s, rpm, level) - float(time_s[0])


def _crossing(time_s: Floats, rpm: Floats, level: float) -> float:
    above = np.flatnonzero((rpm[1:] >= level) & (rpm[:-1] < level))
    if not len(above):
        return np.nan
    i = int(above[0])
    share = (level - rpm[i]) / (rpm[i + 1] - rpm[i])
    return float(time_s[i] + share * (time_s[i + 1] - time_s[i]))


def times_between(time_s: Floats, rpm: Floats) -> dict[str, float]:
    """Seconds over every thousand of engine speed that was run through, and over all of them.

    Parameters
    ----------
    time_s, rpm : along a pull, shape (n,).

    Returns
    -------
    By "3000-4000"; empty if none was.
    """
    first = np.floor(rpm[0] / TIME_STEP_RPM + 1.0) * TIME_STEP_RPM
    marks = np.arange(first, rpm.max() + 1.0, TIME_STEP_RPM)
    pairs = list(pairwise(marks))
    # Between two marks the whole run is the one step already.
    if len(marks) > 2:
        pairs.append((marks[0], marks[-1]))
    found = {f"{a:.0f}-{b:.0f}": seconds_between(time_s, rpm, float(a), float(b)) for a, b in pairs}
    return {name: round(s, 3) for name, s in found.items() if np.isfinite(s)}


def times_to(time_s: Floats, rpm: Floats) -> dict[str, float]:
    """Seconds from the first sample to every thousand of engine speed.

    Parameters
    ----------
    time_s, rpm : along a pull, shape (n,).

    Returns
    -------
    By "4000"; empty if none was passed.
    """
    first = np.floor(rpm[0] / TIME_STEP_RPM + 1.0) * TIME_STEP_RPM
    marks = np.arange(first, rpm.max() + 1.0, TIME_STEP_RPM)
    found = {f"{mark:.0f}": seconds_to(time_s, rpm, float(mark)) for mark in marks}
    return {name: round(s, 3) for name, s in found.items() if np.isfinite(s)}


def _settles_s(conditions: Conditions, stretch: Stretch) -> float:
    """How long more fuel was injected than later on, by the pulse width; the usual time without one."""
    time = conditions.frame.log.time_s[stretch.start : stretch.stop]
    since = time - time[0]
    known = np.isfinite(conditions.frame.fuel_ratio[stretch.start : stretch.stop])
    early = known & (since <= LONGEST_S)
    late = known & (since > LONGEST_S)
    if not early.any() or not late.any():
        return SETTLE_S
    fuel = conditions.motion.enrichment[stretch.start : stretch.stop]
    # The last such moment: fuel that is added in two strokes has settled after the second.
    more = np.flatnonzero(early & (fuel > (1.0 + ACCELERATION) * float(np.median(fuel[late]))))
    return max(SETTLE_S, float(since[more[-1]])) if len(more) else SETTLE_S


def _most_seen(gears: Floats) -> int:
    known = gears[np.isfinite(gears) & (gears > 0.0)].astype(int)
    return int(np.bincount(known).argmax()) if len(known) else 0


def _mean(values: Floats, weights: Floats) -> float:
    known = np.isfinite(values)
    return float(np.average(values[known], weights=weights[known])) if known.any() else np.nan


def _extreme(values: Floats, of: object) -> float:
    known = np.asarray(values)[np.isfinite(values)]
    assert callable(of)
    return float(of(known)) if len(known) else np.nan


def _where(values: Floats, rpm: Floats) -> float:
    """Engine speed at the highest value."""
    known = np.isfinite(values)
    return float(rpm[known][np.argmax(values[known])]) if known.any() else np.nan


def _knows_duty(log: Log) -> bool:
    return Role.DUTY in log or Role.PULSE_WIDTH in log


def _pressure_drop_pct(log: Log, stretch: Stretch) -> float:
    """How far differential fuel pressure fell, against the seconds before; NaN if it was not logged."""
    pressure = log.get(Role.FUEL_DP)
    begin = log.time_s[stretch.start]
    before = (log.time_s >= begin - BEFORE_S[0]) & (log.time_s <= begin - BEFORE_S[1])
    base = pressure[before]
    during = pressure[stretch.start : stretch.stop]
    if not (np.isfinite(base).any() and np.isfinite(during).any()):
        return np.nan
    # The lowest twentieth, not one reading: regulators ripple.
    return float(100.0 * (1.0 - np.nanpercentile(during, 5.0) / np.nanmedian(base)))


def _enriched(conditions: Conditions, settled: Ints) -> bool | None:
    """Whether enrichment was commanded; where none is meant at full throttle, nothing is missing."""
    frame = conditions.frame
    target = frame.target[settled]
    if not np.isfinite(target).any():
        return None
    table = frame.vehicle.target
    meant = True if table is None else bool(table.values.min() <= ENRICHED)
    # A sheet that means lambda 1 everywhere must not be told that enrichment is missing.
    return bool(np.nanmin(target) <= ENRICHED) or not meant
