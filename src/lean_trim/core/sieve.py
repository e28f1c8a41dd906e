"""Which samples mean what they seem to, and why the others do not.

Each rule looks at the frame and returns the samples it leaves out. A sample carries one bit for every rule that left
it out, so a view can show, count and switch each of them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from .channels import Role
from .frame import Frame
from .log import rate_per_s, spread
from .physics import duty_pct
from .regimes import Mask, Regime, RegimeSettings, fuel_cut, quick_change


@dataclass(frozen=True)
class SieveSettings:
    """Thresholds and hold-offs; times in seconds (common practice, no source, unless said otherwise).

    settle_min : minutes after the log's start in which some ECUs still settle after a flash, 0 to 60; 0 by default.
    start_s : left out after the log's start or an engine start, 0 to 1800.
    lambda_low, lambda_high : readings at or past these are the sensor's end stops.
    cut_after_s : hold-off while the wall film refills after a fuel cut, 0 to 5.
    tip_before_s, tip_after_s : hold-off around a quick change of throttle or MAP, 0 to 5.
    shift_before_s, shift_after_s : hold-off around a gear change, 0 to 5.
    slip_rate : difference between relative engine and road speed slopes that counts as slip, 1/s.
    min_volts : battery voltage below which dead time is too uncertain.
    max_duty_pct : injector duty above which no more fuel may exist.
    enrichment_pct : fuel by pulse width this far from table · trims counts as an unknown enrichment.
    pressure_drop_pct : Δp this far below the rated value is a supply fault.
    disabled : names of rules switched off.
    """

    settle_min: float = 0.0
    start_s: float = 20.0
    lambda_low: float = 0.66
    lambda_high: float = 1.34
    cut_after_s: float = 1.6
    tip_before_s: float = 0.1
    tip_after_s: float = 1.0
    shift_before_s: float = 0.3
    shift_after_s: float = 0.8
    slip_rate: float = 0.5
    min_volts: float = 11.5
    max_duty_pct: float = 92.0
    enrichment_pct: float = 5.0
    pressure_drop_pct: float = 10.0
    disabled: frozenset[str] = field(default_factory=frozenset)


@dataclass(frozen=True, eq=False)
class Sifted:
    """Result of the sieve: ``bits`` (n,) uint32 with one bit per rule in ``RULES`` order; 0 means used."""

    bits: NDArray[np.uint32]
    seconds: dict[str, float]
    counts: dict[str, int]

    @property
    def used(self) -> Mask:
        return np.asarray(self.bits == 0)


Rule = Callable[[Frame, NDArray[np.int8], NDArray[np.float64], SieveSettings], Mask]


@dataclass(frozen=True)
class RuleInfo:
    """A rule with its name in files, its label and its reason for people."""

    name: str
    label: str
    why: str
    test: Rule


def _not_running(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    return np.asarray(regime == Regime.STOPPED)


def _cold(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    cold = regime == Regime.WARM_UP
    return np.asarray(cold | (frame.log.get(Role.COOLANT, 90.0) < 60.0))


def _starting(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    time = frame.log.time_s
    starts = np.flatnonzero(np.diff((regime != Regime.STOPPED).astype(np.int8), prepend=0) > 0)
    began = np.zeros(len(time), bool)
    began[starts] = True
    began[0] = True
    began[np.searchsorted(time, frame.log.joints_s)] = True
    return spread(began, time, 0.0, s.start_s)


def _sensor_range(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    low, high = end_stops(frame.log[Role.LAMBDA])
    with np.errstate(invalid="ignore"):
        return ~((lam > max(s.lambda_low, low)) & (lam < min(s.lambda_high, high)))


def end_stops(lam: NDArray[np.float64]) -> tuple[float, float]:
    """Readings at or past these are this sensor's own ends: its extremes, where it stays on them for 0.5 % of the log.

    0 and infinity where the log shows no end.
    """
    part = lam[np.isfinite(lam)]
    if not len(part):
        return 0.0, np.inf
    low, high = float(part.min()), float(part.max())
    stays_low, stays_high = np.mean(part <= low + 1e-6) > 0.005, np.mean(part >= high - 1e-6) > 0.005
    return (low + 0.01 if stays_low and low < 0.8 else 0.0), (high - 0.01 if stays_high and high > 1.12 else np.inf)


def _no_data(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    return ~(np.isfinite(frame.base) & np.isfinite(frame.target) & (frame.base > 0))


def _fuel_cut(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    return spread(fuel_cut(frame), frame.log.time_s, 0.2, s.cut_after_s)


def _tip(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    return spread(quick_change(frame, RegimeSettings()), frame.log.time_s, s.tip_before_s, s.tip_after_s)


def _shift(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    log = frame.log
    if Role.GEAR not in log:
        return np.zeros(len(log), bool)
    change = np.diff(np.nan_to_num(log[Role.GEAR]), prepend=np.nan_to_num(log[Role.GEAR][:1])) != 0
    return spread(change, log.time_s, s.shift_before_s, s.shift_after_s)


def _slip(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    log = frame.log
    rpm = np.maximum(np.nan_to_num(log[Role.RPM]), 300.0)
    relative = rate_per_s(log.time_s, np.log(rpm), 0.4)
    if Role.SPEED in log:
        speed = np.nan_to_num(log[Role.SPEED])
        relative = np.where(speed > 8, relative - rate_per_s(log.time_s, np.log(np.maximum(speed, 4.0)), 0.4), relative)
    return spread(np.abs(relative) > s.slip_rate, log.time_s, 0.2, 0.3)


def _enrichment(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    excess = np.abs(np.nan_to_num(frame.fuel_ratio, nan=1.0) - 1.0) * 100.0
    n = max(1, round(0.2 / frame.log.step_s))
    smooth = np.convolve(np.pad(excess, n, mode="edge"), np.full(2 * n + 1, 1 / (2 * n + 1)), mode="valid")
    return np.asarray(smooth > s.enrichment_pct)


def _off_table(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    return ~frame.vehicle.table.inside(*frame.at)


def _low_voltage(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    return np.asarray(frame.log.get(Role.BATTERY, 14.0) < s.min_volts)


def _injector_limit(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    log = frame.log
    duty = log.get(Role.DUTY, 0.0)
    if Role.DUTY not in log and Role.PULSE_WIDTH in log:
        duty = duty_pct(log[Role.PULSE_WIDTH], log[Role.RPM])
    return spread(np.asarray(duty > s.max_duty_pct), log.time_s, 0.0, 0.5)


def _pressure(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    floor = frame.vehicle.injectors.rated_pressure_kpa * (1.0 - s.pressure_drop_pct / 100.0)
    return np.asarray(frame.log.get(Role.FUEL_DP, floor) < floor)


def _settling(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    return np.asarray(frame.log.time_s - frame.log.time_s[0] < 60.0 * s.settle_min)


def _airflow_end(frame: Frame, regime: NDArray[np.int8], lam: NDArray[np.float64], s: SieveSettings) -> Mask:
    return spread(airflow_pegged(frame), frame.log.time_s, 0.2, 0.5)


def airflow_pegged(frame: Frame) -> Mask:
    """True where the airflow model can say no more: the sensor past the curve's end, or cells at the field's limit."""
    if frame.vehicle.airflow == "maf":
        return np.asarray(frame.at[0] >= frame.vehicle.table.axes[0].points[-1])
    limits = frame.vehicle.limits
    return np.asarray(np.nan_to_num(frame.base) >= limits.highest - 0.5 * limits.resolution)


RULES: tuple[RuleInfo, ...] = (
    RuleInfo("not_running", "Engine not running", "no combustion, so lambda says nothing", _not_running),
    RuleInfo("no_data", "Channel missing here", "a value the correction needs was not logged", _no_data),
    RuleInfo("cold", "Cold engine", "warm-up enrichment is on and trims are off", _cold),
    RuleInfo("starting", "Just started", "sensor and engine settle after a start", _starting),
    RuleInfo(
        "settling", "Settling after a flash", "some ECUs learn an internal temperature anew and run rich", _settling
    ),
    RuleInfo(
        "airflow_end",
        "Airflow at its end",
        "the ECU cannot see more air here, so lean is not the table's",
        _airflow_end,
    ),
    RuleInfo("fuel_cut", "Fuel cut and refill", "no fuel, then the wall film fills again", _fuel_cut),
    RuleInfo(
        "sensor_range", "Sensor at its end", "the lambda reading is pegged, missing or not yet hot", _sensor_range
    ),
    RuleInfo("tip", "Quick change", "fuel on the walls lags behind the air", _tip),
    RuleInfo("shift", "Gear change", "torque reduction and a moving throttle", _shift),
    RuleInfo("slip", "Free revving or slip", "engine speed changes without the load that goes with it", _slip),
    RuleInfo("enrichment", "Unknown enrichment", "pulse width shows fuel the table and trims do not", _enrichment),
    RuleInfo("off_table", "Outside the table", "the ECU used the table's edge, not a cell here", _off_table),
    RuleInfo("low_voltage", "Low voltage", "dead time is steep at low voltage", _low_voltage),
    RuleInfo("injector_limit", "Injector at its limit", "no more fuel exists, so lean is not airflow", _injector_limit),
    RuleInfo("pressure", "Fuel pressure low", "lean here is supply, not airflow", _pressure),
)
RULE_BITS = {rule.name: np.uint32(1 << i) for i, rule in enumerate(RULES)}
MANUAL = "by_hand"
MANUAL_BIT = np.uint32(1 << 31)


def sift(
    frame: Frame,
    regime: NDArray[np.int8],
    lam: NDArray[np.float64],
    settings: SieveSettings,
    left_out_by_hand: Mask | None = None,
) -> Sifted:
    """Apply every rule that is switched on.

    Parameters
    ----------
    lam : lambda aligned to the injection it reports on, shape (n,), NaN where unknown.
    left_out_by_hand : samples the user left out, shape (n,).
    """
    bits = np.zeros(len(frame.log), np.uint32)
    for rule in RULES:
        if rule.name not in settings.disabled:
            bits[rule.test(frame, regime, lam, settings)] |= RULE_BITS[rule.name]
    if left_out_by_hand is not None:
        bits[left_out_by_hand] |= MANUAL_BIT
    return _count(bits, frame.log.durations_s)


def _count(bits: NDArray[np.uint32], durations: NDArray[np.float64]) -> Sifted:
    seconds, counts = {}, {}
    for name, bit in (*RULE_BITS.items(), (MANUAL, MANUAL_BIT)):
        hit = (bits & bit) != 0
        counts[name] = int(hit.sum())
        seconds[name] = float(durations[hit].sum())
    return Sifted(bits, seconds, counts)


def reasons_at(bits: int) -> list[RuleInfo]:
    """The rules whose bits are set, in display order."""
    return [r for r in RULES if bits & int(RULE_BITS[r.name])]
