"""Faults and facts that are not airflow, told before anyone corrects a table for them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.pulse_width_proof import off_calibration
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.sieve.rules_limits import LOW_V, airflow_pegged, stuck_samples
from lean_trim.core.types import Mask

Severity = Literal["danger", "warning", "note"]
HIDDEN, SETTLED_PCT_PER_S = 0.03, 20.0
"""Share of fuel beyond target and trims from which it is told, and slope of MAP from which it is the driver's
foot instead.

Common practice, no source.
"""


@dataclass(frozen=True)
class Finding:
    """One thing the log shows. ``first_time_s`` is where, ``seconds`` for how long."""

    id: str
    severity: Severity
    first_time_s: float
    seconds: float
    message: str


def find_faults(conditions: Conditions) -> tuple[Finding, ...]:
    """Every finding, dangers first."""
    found = [f for check in CHECKS if (f := check(conditions)) is not None]
    rank = {"danger": 0, "warning": 1, "note": 2}
    return tuple(sorted(found, key=lambda f: (rank[f.severity], f.first_time_s)))


def _where(
    conditions: Conditions, mask: Mask, min_s: float, name: str, severity: Severity, text: str
) -> Finding | None:
    seconds = float(conditions.frame.log.durations_s[mask].sum())
    if seconds < min_s:
        return None
    first = float(conditions.frame.log.time_s[np.flatnonzero(mask)[0]])
    return Finding(name, severity, first, round(seconds, 2), text.format(seconds=seconds, first=first))


def _lean_at_load(conditions: Conditions) -> Finding | None:
    with np.errstate(invalid="ignore"):
        lean = (
            (conditions.regime == Regime.FULL_THROTTLE)
            & (conditions.frame.target < 0.95)
            & (conditions.lam > conditions.frame.target * 1.08)
            & (conditions.lam < 1.3)
        )
    return _where(
        conditions,
        lean,
        0.3,
        "lean_full_throttle",
        "danger",
        "Full throttle ran more than 8 % leaner than target for {seconds:.1f} s, first at {first:.1f} s. "
        "Do not repeat full-throttle runs before the cause is known.",
    )


def _knock(conditions: Conditions) -> Finding | None:
    return _where(
        conditions,
        np.asarray(conditions.frame.log.get(Role.KNOCK, 0.0) > 0.2),
        0.05,
        "knock",
        "danger",
        "Knock retard was active for {seconds:.1f} s, first at {first:.1f} s. Take no fuel out of those "
        "cells.",
    )


def _fuel_pressure(conditions: Conditions) -> Finding | None:
    rated = conditions.frame.vehicle.injectors.rated_pressure_kpa
    low = np.asarray(conditions.frame.log.get(Role.FUEL_DP, rated) < 0.93 * rated) & (
        conditions.regime != Regime.STOPPED
    )
    return _where(
        conditions,
        low,
        0.5,
        "fuel_pressure",
        "danger",
        "Differential fuel pressure was more than 7 % below its rated value for {seconds:.1f} s, first at "
        "{first:.1f} s: "
        "look at pump, filter and regulator before the airflow table.",
    )


def _stuck(conditions: Conditions) -> Finding | None:
    return _where(
        conditions,
        stuck_samples(conditions),
        2.0,
        "sensor_stuck",
        "warning",
        "The lambda reading did not move for {seconds:.0f} s, first at {first:.1f} s, although the mixture "
        "had to. Feedback that "
        "believed it ran away meanwhile: look at the sensor, its heater and its wiring, or at the logger, "
        "before the next drive.",
    )


def _duty(conditions: Conditions) -> Finding | None:
    return _where(
        conditions,
        np.asarray(conditions.motion.duty > 85.0),
        0.2,
        "injector_duty",
        "warning",
        "Injector duty was above 85 % for {seconds:.1f} s, first at {first:.1f} s; larger injectors or more "
        "pressure "
        "are needed before more air.",
    )


def _low_voltage(conditions: Conditions) -> Finding | None:
    low = np.asarray(conditions.frame.log.get(Role.BATTERY, 14.0) < LOW_V.default) & (
        conditions.regime != Regime.STOPPED
    )
    return _where(
        conditions,
        low,
        2.0,
        "low_voltage",
        "warning",
        "Battery was below 12 V for {seconds:.1f} s while running, first at {first:.1f} s; dead time is "
        "uncertain there.",
    )


def _maf_end(conditions: Conditions) -> Finding | None:
    if conditions.frame.vehicle.airflow != "maf":
        return None
    pegged = airflow_pegged(conditions.frame)
    return _where(
        conditions,
        pegged,
        0.1,
        "airflow_sensor_end",
        "danger",
        "The airflow signal was at its end (past the curve, or flat while more air was drawn) for "
        "{seconds:.1f} s, first at {first:.1f} s: the ECU "
        "cannot see more air there and runs lean. A larger sensor or housing is needed.",
    )


def _enrichment_not_reached(conditions: Conditions) -> Finding | None:
    return _where(
        conditions,
        np.asarray((conditions.regime == Regime.FULL_THROTTLE) & (conditions.frame.target > 0.95)),
        1.0,
        "enrichment_not_reached",
        "warning",
        "Full throttle without full-throttle enrichment for {seconds:.1f} s, first at {first:.1f} s: the "
        "target stayed "
        "near stoichiometric, so these seconds say nothing about full-load mixture.",
    )


def _trim_in_open_loop(conditions: Conditions) -> Finding | None:
    """Long-term trim that still applies where there is no feedback.

    K holds it, so that it is taken out of the table.
    """
    trim = np.nan_to_num(conditions.frame.log.get(Role.LTFT, 0.0))
    opened = conditions.regime == Regime.FULL_THROTTLE
    if Role.CLOSED_LOOP in conditions.frame.log:
        opened = opened | (
            (conditions.frame.log[Role.CLOSED_LOOP] < 0.5)
            & np.isin(conditions.regime, (Regime.CRUISE, Regime.TRANSIENT))
        )
    applied = opened & (np.abs(trim) > 3.0)
    if not applied.any():
        return None
    mean = float(np.average(trim[applied], weights=conditions.frame.log.durations_s[applied]))
    return _where(
        conditions,
        applied,
        0.5,
        "trim_at_full_throttle",
        "warning",
        f"A long-term trim of {mean:+.1f} % on average was still applied without feedback for "
        "{seconds:.1f} s, first at {first:.1f} s. The correction counts it: "
        f"those samples ask for {mean:+.1f} % against what lambda alone shows. Reset the trims before the "
        "next drive.",
    )


def _hidden_enrichment(conditions: Conditions) -> Finding | None:
    """Fuel at full throttle that the target does not name, in a log whose pulse width is otherwise as it
    should be.
    """
    settled = np.abs(conditions.motion.map_rate) < SETTLED_PCT_PER_S
    full = (conditions.regime == Regime.FULL_THROTTLE) & conditions.pulse_width_proven & settled
    more = full & (conditions.motion.enrichment > 1.0 + HIDDEN)
    if not more.any() or np.mean(more[full]) < 0.5:
        return None
    mean = 100.0 * float(
        np.average(conditions.motion.enrichment[more] - 1.0, weights=conditions.motion.durations_s[more])
    )
    return _where(
        conditions,
        more,
        1.0,
        "hidden_enrichment",
        "note",
        f"At full throttle the pulse width held {mean:.0f} % more fuel on average than target and trims ask "
        "for, for "
        "{seconds:.1f} s, first at {first:.1f} s. The correction counts it as fuel, not as air: lambda stays "
        "richer than "
        "target there until that enrichment is taken back or named in the target.",
    )


def _other_table(conditions: Conditions) -> Finding | None:
    return _where(
        conditions,
        off_calibration(conditions.frame, conditions.regime) & ~conditions.pulse_width_proven,
        5.0,
        "other_calibration",
        "warning",
        "For {seconds:.0f} s of steady running the pulse width does not follow from this table, these trims "
        "and these "
        "injector data. Was the log driven on another calibration?",
    )


Check = Callable[[Conditions], Finding | None]
CHECKS: tuple[Check, ...] = (
    _lean_at_load,
    _knock,
    _fuel_pressure,
    _stuck,
    _duty,
    _low_voltage,
    _maf_end,
    _enrichment_not_reached,
    _trim_in_open_loop,
    _hidden_enrichment,
    _other_table,
)
