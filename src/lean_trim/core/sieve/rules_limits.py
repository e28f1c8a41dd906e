"""Rules of the sieve about sensors, supply and the calibration itself.

Common practice, no source, unless said.
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, as_loop, fill_missing, half_window, rate_per_s, running_box
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.frame import Frame, target_by_table
from lean_trim.core.drive.narrowband import LEAST_STOP_PCT, RESTS_AT_STOP_S
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.drive.sensor import engine_moved, still_spells
from lean_trim.core.drive.trim_stops import still_on_its_way, trim_stops
from lean_trim.core.knobs import Knob
from lean_trim.core.sieve.rule import Values, rule
from lean_trim.core.types import Floats, Mask


@rule("no_data", "Channel missing here", "a value the correction needs was not logged")
def no_data(conditions: Conditions, v: Values) -> Mask:
    """What k is made from is missing."""
    frame = conditions.frame
    return ~(np.isfinite(frame.base) & np.isfinite(frame.target) & (frame.base > 0))


@rule(
    "airflow_end",
    "Airflow at its end",
    "the ECU cannot see more air here, so lean is not the table's",
    Knob("flat_pct", "Airflow flat within", 1.0, 0.0, 10.0, "%/s"),
    before_s=0.2,
    after_s=0.5,
)
def airflow_end(conditions: Conditions, v: Values) -> Mask:
    """The sensor or its curve can say no more."""
    return airflow_pegged(conditions.frame, v["flat_pct"])


FLAT_S = 1.0
"""For so long fuel has to stand still while demand rises, s."""
FLAT_RISE = 1.06
"""By what factor demand has to rise meanwhile, of MAP times speed."""
FLAT_RISE_BLIND = 1.12
"""The same of speed alone, at wide open throttle, where MAP was not logged."""
FOLLOWS = 0.35
"""Share of a rise of MAP times engine speed that a sound sensor follows by at least, near the top
too."""
FEWEST = 5
"""Readings a flat stretch has to hold."""
WIDE_OPEN_PCT = 70.0
"""Throttle from which speed alone says how demand rises, %."""


def airflow_pegged(frame: Frame, flat_pct: float = 1.0) -> Mask:
    """True where the airflow model can say no more.

    The sensor past the curve's end, or at its top and still for a second while MAP times engine
    speed rises by 6 % (without MAP: engine speed by 12 % at wide-open throttle), or cells at the
    field's limit. At peak power airflow is flat for a moment too; it does not stay so.

    Parameters
    ----------
    frame : a log seen through its calibration.
    flat_pct : change of the signal below which it is still, percent.

    Returns
    -------
    True where the sensor or its table is at its end, shape (n,).
    """
    if frame.vehicle.airflow == "maf":
        signal = frame.coordinates[0]
        past = signal >= frame.vehicle.table.axes[0].points[-1]
        return np.asarray(past | _flat(frame, signal, flat_pct))
    limits = frame.vehicle.limits
    # Half a step below the limit, because the field holds rounded values.
    # As the ECU counts, for that is what its field holds.
    held = frame.vehicle.table.own_of(fill_missing(frame.driven_base))
    return np.asarray(held >= limits.highest - 0.5 * limits.resolution)


def _flat(frame: Frame, signal: Floats, flat_pct: float) -> Mask:
    log = frame.log
    out = np.zeros(len(log), bool)
    demand, least_rise = _demand(log)
    smooth = running_box(demand, log.time_s, FLAT_S / 2.0)
    air = frame.driven_base
    if flat_pct == 0.0 or not demand.any():
        return out
    top = float(fill_missing(signal).max())
    still = np.abs(rate_per_s(log.time_s, signal, 0.5)) < 0.01 * flat_pct * top
    # Idling is still as well; only near the top does it mean the end.
    still &= fill_missing(signal) > 0.97 * top
    edges = np.flatnonzero(np.diff(still.astype(np.int8), prepend=0, append=0))
    for begin, end in edges.reshape(-1, 2).tolist():
        # At peak power airflow is flat for a moment too; it does not stay so.
        lasts = log.time_s[end - 1] - log.time_s[begin] >= FLAT_S
        if lasts and _cannot_follow(air[begin:end], smooth[begin:end], least_rise):
            out[begin:end] = True
    return out


def _cannot_follow(air: Floats, demand: Floats, least_rise: float) -> bool:
    """Whether the air the ECU believes in stays while what it goes with rises."""
    rise = float(np.log(max(demand.max(), 1.0) / max(demand[0], 1.0)))
    known = air[np.isfinite(air) & (air > 0.0)]
    if rise < np.log(least_rise) or len(known) < FEWEST:
        return False
    low, high = np.percentile(known, [5.0, 95.0])
    return bool(np.log(high / low) < FOLLOWS * rise)


def _demand(log: Log) -> tuple[Floats, float]:
    """What airflow goes with, (n,), and by which factor it must rise under a flat signal.

    MAP times engine speed; without MAP engine speed alone where the throttle is wide open, and by
    more, because the engine breathes worse near its top.
    """
    if Role.MAP in log:
        return fill_missing(log[Role.MAP] * log[Role.RPM]), FLAT_RISE
    wide = fill_missing(log.get(Role.THROTTLE, 0.0)) > WIDE_OPEN_PCT
    return np.where(wide, fill_missing(log[Role.RPM]), 0.0), FLAT_RISE_BLIND


@rule(
    "sensor_range",
    "Sensor at its end",
    "the lambda reading is pegged, missing or not yet hot",
    Knob("low", "Lowest lambda believed", 0.66, 0.4, 0.9, "λ"),
    Knob("high", "Highest lambda believed", 1.34, 1.05, 2.0, "λ"),
)
def sensor_range(conditions: Conditions, v: Values) -> Mask:
    """Lambda stands at the end of what the sensor can show."""
    low, high = conditions.motion.sensor_ends
    with np.errstate(invalid="ignore"):
        return ~((conditions.lam > max(v["low"], low)) & (conditions.lam < min(v["high"], high)))


STILL_S = Knob("still_s", "The same reading for", 3.0, 0.5, 60.0, "s")


@rule(
    "stuck",
    "Sensor stuck",
    "the lambda reading did not move although the mixture had to",
    STILL_S,
    before_s=0.5,
    after_s=0.5,
)
def stuck(conditions: Conditions, v: Values) -> Mask:
    """Lambda did not move although it had to."""
    return stuck_samples(conditions, v["still_s"])


def stuck_samples(conditions: Conditions, still_s: float = STILL_S.default) -> Mask:
    """Spells at one reading while the engine moved.

    Those at the sensor's own end stops belong to another rule.

    Parameters
    ----------
    conditions : what the rules look at.
    still_s : shortest spell at one reading, s.

    Returns
    -------
    True where the sensor did not answer, shape (n,).
    """
    motion = conditions.motion
    frame = conditions.frame
    lam = frame.log[Role.LAMBDA]
    (low, high) = motion.sensor_ends
    out = np.zeros(len(lam), bool)
    # A loop that stands for the sensor is at 1 by definition.
    if frame.lambda_of_loop:
        return out
    for spell in still_spells(lam, frame.log.time_s, still_s):
        # What was asked for has to have moved; a steady cruise leaves a sound sensor still.
        mixture = frame.trim[spell] * motion.enrichment[spell] / frame.target[spell]
        if low < lam[spell.start] < high and engine_moved(frame.flow_g_per_s[spell], mixture):
            out[spell] = True
    return out


@rule(
    "enrichment",
    "Unknown enrichment",
    "fuel that table and trims do not name; of what is believed, only its changes mislead",
    Knob("off_pct", "Fuel off by more than", 5.0, 0.5, 50.0, "%"),
    Knob("rate", "Changing faster than", 10.0, 0.0, 500.0, "%/s"),
)
def enrichment(conditions: Conditions, v: Values) -> Mask:
    """Fuel that stays beside the table is counted in k, if steady running bears the pulse width out.

    Then only its changes mislead.
    """
    from lean_trim.core.kernels.fuel_loops import misleading_excess

    motion = conditions.motion
    time = as_loop(conditions.frame.log.time_s)
    half = half_window(time, 0.4)
    proven = conditions.pulse_width_proven
    return misleading_excess(
        motion.extra_fuel_pct, motion.enrichment, time, half, proven, v["off_pct"], v["rate"]
    )


@rule(
    "full_target",
    "Enrichment not reached",
    "full throttle ran on a part-throttle target, which was not what was meant",
    Knob("above", "Target lambda above", 0.95, 0.7, 1.05, "λ"),
)
def full_target(conditions: Conditions, v: Values) -> Mask:
    """Full throttle at a target that is not the one meant there."""
    return enrichment_missing(
        conditions.frame, conditions.regime == Regime.FULL_THROTTLE, v["above"]
    )


def enrichment_missing(frame: Frame, full: Mask, above: float) -> Mask:
    """Full throttle with a target above ``above`` although the calibration means a richer one there.

    Parameters
    ----------
    frame : a log seen through its calibration.
    full : full throttle, shape (n,).
    above : target lambda above which enrichment is not on.

    Returns
    -------
    True where it was not reached, shape (n,).
    """
    missing = full & (frame.target > above)
    # Without a table to say what was meant, any lean target at full throttle counts.
    meant = target_by_table(frame.log, frame.vehicle) if missing.any() else None
    if meant is None:
        return np.asarray(missing)
    return np.asarray(missing & (fill_missing(meant) <= above))


@rule("off_table", "Outside the table", "the ECU used the table's edge, not a cell here")
def off_table(conditions: Conditions, v: Values) -> Mask:
    """The ECU read the table clamped at its edge."""
    frame = conditions.frame
    return ~frame.vehicle.table.inside(*frame.coordinates)


LEAST_LAYER_SHARE = 0.1
"""Share of one of several blended VE tables from which a sample tells of it. A sample weighs by the square of
its share, so that small ones add little; where they are left out, the tables' errors pass for each other
(from one half on a table came out worse than it was where it had been a part only)."""


@rule(
    "other_source",
    "Other airflow source",
    "another airflow model was in force, so the table did not count here",
    Knob("least_share", "This table's share at least", 0.95, 0.5, 1.0, ""),
    after_s=0.3,
    before_s=0.3,
)
def other_source(conditions: Conditions, v: Values) -> Mask:
    """Another airflow model was in force."""
    if conditions.frame.vehicle.layers:
        # Of several tables that are blended each is told from what it was a part of.
        return np.asarray(conditions.airflow_source.share < LEAST_LAYER_SHARE)
    return np.asarray(conditions.airflow_source.share < v["least_share"])


LOW_V = Knob("below_v", "Battery below", 12.0, 8.0, 14.0, "V")


@rule("low_voltage", "Low voltage", "dead time is steep at low voltage", LOW_V)
def low_voltage(conditions: Conditions, v: Values) -> Mask:
    """Dead time is steep where voltage is low."""
    return np.asarray(conditions.frame.log.get(Role.BATTERY, 14.5) < v["below_v"])


@rule(
    "injector_limit",
    "Injector at its limit",
    "no more fuel exists, so lean is not airflow",
    Knob("above_pct", "Duty above", 92.0, 50.0, 110.0, "%"),
    after_s=0.5,
)
def injector_limit(conditions: Conditions, v: Values) -> Mask:
    """The injectors are nearly always open."""
    return np.asarray(conditions.motion.duty > v["above_pct"])


@rule(
    "trim_limit",
    "Trim at its limit",
    "feedback rests at its stop or is still on its way there, and no λ was logged to say how far "
    "it "
    "has to go: such samples bound the cells and are no readings of them",
    Knob("from_pct", "Trims at their limit from", LEAST_STOP_PCT, 1.0, 50.0, "%"),
    Knob("rests_s", "and resting there for", RESTS_AT_STOP_S, 0.1, 10.0, "s"),
    after_s=1.0,
)
def trim_limit(conditions: Conditions, v: Values) -> Mask:
    """A loop that stands for lambda rests at the end of its trim's range, or has not turned yet."""
    frame = conditions.frame
    stops = trim_stops(frame, v["from_pct"], v["rests_s"])
    return np.asarray((stops != 0) | still_on_its_way(frame))


@rule(
    "pressure",
    "Fuel pressure low",
    "so little pressure that the square-root law no longer holds; less of a drop is counted in k",
    Knob("drop_pct", "Below rated by more than", 40.0, 1.0, 60.0, "%"),
)
def pressure(conditions: Conditions, v: Values) -> Mask:
    """Fuel pressure is too far from its rated value."""
    frame = conditions.frame
    floor = frame.vehicle.injectors.rated_pressure_kpa * (1.0 - v["drop_pct"] / 100.0)
    if Role.FUEL_DP not in frame.log:
        return np.zeros(len(frame.log), bool)
    return np.asarray(fill_missing(frame.log[Role.FUEL_DP], floor) < floor)


SAG_OVER_S = 0.5
"""A pressure sensor is noisier than the pressure."""


@rule(
    "sag",
    "Fuel pressure sagging",
    "counted in k and used, but no fuel is taken out of these cells until it is mended",
    Knob("drop_pct", "Below rated by more than", 8.0, 1.0, 60.0, "%"),
    marks=True,
)
def sag(conditions: Conditions, v: Values) -> Mask:
    """Fuel pressure is off while the engine runs; such samples are marked, not left out."""
    frame = conditions.frame
    if Role.FUEL_DP not in frame.log:
        return np.zeros(len(frame.log), bool)
    rated = frame.vehicle.injectors.rated_pressure_kpa
    smooth = running_box(fill_missing(frame.log[Role.FUEL_DP], rated), frame.log.time_s, SAG_OVER_S)
    low = smooth < rated * (1.0 - v["drop_pct"] / 100.0)
    return np.asarray(low & (conditions.regime != Regime.STOPPED))
