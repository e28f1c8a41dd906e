"""Faults and facts that are not airflow, told before anyone corrects a table for them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .channels import Role
from .frame import Frame
from .physics import Floats, Mask
from .regimes import Regime
from .rules_limits import airflow_pegged

Severity = Literal["danger", "warning", "note"]


@dataclass(frozen=True)
class Finding:
    """One thing the log shows. ``first_time_s`` is where, ``seconds`` for how long."""

    id: str
    severity: Severity
    first_time_s: float
    seconds: float
    message: str


def find_faults(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> tuple[Finding, ...]:
    """Every finding, dangers first."""
    found = [f for check in CHECKS if (f := check(frame, regime, lam)) is not None]
    rank = {"danger": 0, "warning": 1, "note": 2}
    return tuple(sorted(found, key=lambda f: (rank[f.severity], f.first_time_s)))


def _where(frame: Frame, mask: Mask, min_s: float, name: str, severity: Severity, text: str) -> Finding | None:
    seconds = float(frame.log.durations_s[mask].sum())
    if seconds < min_s:
        return None
    first = float(frame.log.time_s[np.flatnonzero(mask)[0]])
    return Finding(name, severity, first, round(seconds, 2), text.format(seconds=seconds, first=first))


def _lean_at_load(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    with np.errstate(invalid="ignore"):
        lean = (regime == Regime.FULL_THROTTLE) & (frame.target < 0.95) & (lam > frame.target * 1.08) & (lam < 1.3)
    return _where(
        frame,
        lean,
        0.3,
        "lean_full_throttle",
        "danger",
        "Full throttle ran more than 8 % leaner than target for {seconds:.1f} s, first at {first:.1f} s. "
        "Do not repeat full-throttle runs before the cause is known.",
    )


def _knock(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    return _where(
        frame,
        np.asarray(frame.log.get(Role.KNOCK, 0.0) > 0.2),
        0.05,
        "knock",
        "danger",
        "Knock retard was active for {seconds:.1f} s, first at {first:.1f} s. Take no fuel out of those cells.",
    )


def _fuel_pressure(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    rated = frame.vehicle.injectors.rated_pressure_kpa
    low = np.asarray(frame.log.get(Role.FUEL_DP, rated) < 0.93 * rated) & (regime != Regime.STOPPED)
    return _where(
        frame,
        low,
        0.5,
        "fuel_pressure",
        "danger",
        "Differential fuel pressure was more than 7 % below its rated value for {seconds:.1f} s, first at {first:.1f} s: "
        "look at pump, filter and regulator before the airflow table.",
    )


def _duty(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    return _where(
        frame,
        np.asarray(frame.log.get(Role.DUTY, 0.0) > 85.0),
        0.2,
        "injector_duty",
        "warning",
        "Injector duty was above 85 % for {seconds:.1f} s, first at {first:.1f} s; larger injectors or more pressure "
        "are needed before more air.",
    )


def _low_voltage(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    low = np.asarray(frame.log.get(Role.BATTERY, 14.0) < 12.0) & (regime != Regime.STOPPED)
    return _where(
        frame,
        low,
        2.0,
        "low_voltage",
        "warning",
        "Battery was below 12 V for {seconds:.1f} s while running, first at {first:.1f} s; dead time is uncertain there.",
    )


def _maf_end(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    if frame.vehicle.airflow != "maf":
        return None
    pegged = airflow_pegged(frame)
    return _where(
        frame,
        pegged,
        0.1,
        "airflow_sensor_end",
        "danger",
        "The airflow signal was at its end (past the curve, or flat while more air was drawn) for {seconds:.1f} s, first at {first:.1f} s: the ECU "
        "cannot see more air there and runs lean. A larger sensor or housing is needed.",
    )


def _enrichment_not_reached(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    return _where(
        frame,
        np.asarray((regime == Regime.FULL_THROTTLE) & (frame.target > 0.95)),
        1.0,
        "enrichment_not_reached",
        "warning",
        "Full throttle without full-throttle enrichment for {seconds:.1f} s, first at {first:.1f} s: the target stayed "
        "near stoichiometric, so these seconds say nothing about full-load mixture.",
    )


def _trim_in_open_loop(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    """Long-term trim that still applies where there is no feedback; k holds it, so that it is taken out of the table."""
    trim = np.nan_to_num(frame.log.get(Role.LTFT, 0.0))
    opened = regime == Regime.FULL_THROTTLE
    if Role.CLOSED_LOOP in frame.log:
        opened = opened | ((frame.log[Role.CLOSED_LOOP] < 0.5) & np.isin(regime, (Regime.CRUISE, Regime.TRANSIENT)))
    applied = opened & (np.abs(trim) > 3.0)
    if not applied.any():
        return None
    mean = float(np.average(trim[applied], weights=frame.log.durations_s[applied]))
    return _where(
        frame,
        applied,
        0.5,
        "trim_at_full_throttle",
        "warning",
        f"A long-term trim of {mean:+.1f} % on average was still applied without feedback for "
        "{seconds:.1f} s, first at {first:.1f} s. The correction counts it: "
        f"those samples ask for {mean:+.1f} % against what lambda alone shows. Reset the trims before the next drive.",
    )


def _other_table(frame: Frame, regime: NDArray[np.int8], lam: Floats) -> Finding | None:
    steady = np.isin(regime, (Regime.CRUISE, Regime.IDLE)) & np.isfinite(frame.fuel_ratio)
    if frame.log.durations_s[steady].sum() < 10.0:
        return None
    off = np.abs(frame.fuel_ratio - 1.0) > 0.02
    if np.mean(off[steady]) < 0.4:
        return None
    return _where(
        frame,
        steady & off,
        5.0,
        "other_calibration",
        "warning",
        "For {seconds:.0f} s of steady running the pulse width does not follow from this table, these trims and these "
        "injector data. Was the log driven on another calibration?",
    )


Check = Callable[[Frame, NDArray[np.int8], Floats], Finding | None]
CHECKS: tuple[Check, ...] = (
    _lean_at_load,
    _knock,
    _fuel_pressure,
    _duty,
    _low_voltage,
    _maf_end,
    _enrichment_not_reached,
    _trim_in_open_loop,
    _other_table,
)
