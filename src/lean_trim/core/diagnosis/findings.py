"""Faults and facts that are not airflow, told before anyone corrects a table for them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.conditions import Scene
from lean_trim.core.drive.pulse_width_proof import strays
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.sieve.rules_limits import LOW_V, airflow_pegged, stuck_samples
from lean_trim.core.types import Mask

Severity = Literal["danger", "warning", "note"]
HIDDEN, SETTLED_PCT_PER_S = 0.03, 20.0
"""Share of fuel beyond target and trims from which it is told, and slope of MAP from which it is the driver's foot instead.

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


def find_faults(scene: Scene) -> tuple[Finding, ...]:
    """Every finding, dangers first."""
    found = [f for check in CHECKS if (f := check(scene)) is not None]
    rank = {"danger": 0, "warning": 1, "note": 2}
    return tuple(sorted(found, key=lambda f: (rank[f.severity], f.first_time_s)))


def _where(scene: Scene, mask: Mask, min_s: float, name: str, severity: Severity, text: str) -> Finding | None:
    seconds = float(scene.frame.log.durations_s[mask].sum())
    if seconds < min_s:
        return None
    first = float(scene.frame.log.time_s[np.flatnonzero(mask)[0]])
    return Finding(name, severity, first, round(seconds, 2), text.format(seconds=seconds, first=first))


def _lean_at_load(scene: Scene) -> Finding | None:
    with np.errstate(invalid="ignore"):
        lean = (
            (scene.regime == Regime.FULL_THROTTLE)
            & (scene.frame.target < 0.95)
            & (scene.lam > scene.frame.target * 1.08)
            & (scene.lam < 1.3)
        )
    return _where(
        scene,
        lean,
        0.3,
        "lean_full_throttle",
        "danger",
        "Full throttle ran more than 8 % leaner than target for {seconds:.1f} s, first at {first:.1f} s. "
        "Do not repeat full-throttle runs before the cause is known.",
    )


def _knock(scene: Scene) -> Finding | None:
    return _where(
        scene,
        np.asarray(scene.frame.log.get(Role.KNOCK, 0.0) > 0.2),
        0.05,
        "knock",
        "danger",
        "Knock retard was active for {seconds:.1f} s, first at {first:.1f} s. Take no fuel out of those cells.",
    )


def _fuel_pressure(scene: Scene) -> Finding | None:
    rated = scene.frame.vehicle.injectors.rated_pressure_kpa
    low = np.asarray(scene.frame.log.get(Role.FUEL_DP, rated) < 0.93 * rated) & (scene.regime != Regime.STOPPED)
    return _where(
        scene,
        low,
        0.5,
        "fuel_pressure",
        "danger",
        "Differential fuel pressure was more than 7 % below its rated value for {seconds:.1f} s, first at {first:.1f} s: "
        "look at pump, filter and regulator before the airflow table.",
    )


def _stuck(scene: Scene) -> Finding | None:
    return _where(
        scene,
        stuck_samples(scene),
        2.0,
        "sensor_stuck",
        "warning",
        "The lambda reading did not move for {seconds:.0f} s, first at {first:.1f} s, although the mixture had to. Feedback that "
        "believed it ran away meanwhile: look at the sensor, its heater and its wiring, or at the logger, before the next drive.",
    )


def _duty(scene: Scene) -> Finding | None:
    return _where(
        scene,
        np.asarray(scene.motion.duty > 85.0),
        0.2,
        "injector_duty",
        "warning",
        "Injector duty was above 85 % for {seconds:.1f} s, first at {first:.1f} s; larger injectors or more pressure "
        "are needed before more air.",
    )


def _low_voltage(scene: Scene) -> Finding | None:
    low = np.asarray(scene.frame.log.get(Role.BATTERY, 14.0) < LOW_V.default) & (scene.regime != Regime.STOPPED)
    return _where(
        scene,
        low,
        2.0,
        "low_voltage",
        "warning",
        "Battery was below 12 V for {seconds:.1f} s while running, first at {first:.1f} s; dead time is uncertain there.",
    )


def _maf_end(scene: Scene) -> Finding | None:
    if scene.frame.vehicle.airflow != "maf":
        return None
    pegged = airflow_pegged(scene.frame)
    return _where(
        scene,
        pegged,
        0.1,
        "airflow_sensor_end",
        "danger",
        "The airflow signal was at its end (past the curve, or flat while more air was drawn) for {seconds:.1f} s, first at {first:.1f} s: the ECU "
        "cannot see more air there and runs lean. A larger sensor or housing is needed.",
    )


def _enrichment_not_reached(scene: Scene) -> Finding | None:
    return _where(
        scene,
        np.asarray((scene.regime == Regime.FULL_THROTTLE) & (scene.frame.target > 0.95)),
        1.0,
        "enrichment_not_reached",
        "warning",
        "Full throttle without full-throttle enrichment for {seconds:.1f} s, first at {first:.1f} s: the target stayed "
        "near stoichiometric, so these seconds say nothing about full-load mixture.",
    )


def _trim_in_open_loop(scene: Scene) -> Finding | None:
    """Long-term trim that still applies where there is no feedback; k holds it, so that it is taken out of the table."""
    trim = np.nan_to_num(scene.frame.log.get(Role.LTFT, 0.0))
    opened = scene.regime == Regime.FULL_THROTTLE
    if Role.CLOSED_LOOP in scene.frame.log:
        opened = opened | (
            (scene.frame.log[Role.CLOSED_LOOP] < 0.5) & np.isin(scene.regime, (Regime.CRUISE, Regime.TRANSIENT))
        )
    applied = opened & (np.abs(trim) > 3.0)
    if not applied.any():
        return None
    mean = float(np.average(trim[applied], weights=scene.frame.log.durations_s[applied]))
    return _where(
        scene,
        applied,
        0.5,
        "trim_at_full_throttle",
        "warning",
        f"A long-term trim of {mean:+.1f} % on average was still applied without feedback for "
        "{seconds:.1f} s, first at {first:.1f} s. The correction counts it: "
        f"those samples ask for {mean:+.1f} % against what lambda alone shows. Reset the trims before the next drive.",
    )


def _hidden_enrichment(scene: Scene) -> Finding | None:
    """Fuel at full throttle that the target does not name, in a log whose pulse width is otherwise as it should be."""
    settled = np.abs(scene.motion.map_rate) < SETTLED_PCT_PER_S
    full = (scene.regime == Regime.FULL_THROTTLE) & scene.pulse_width_proven & settled
    more = full & (scene.motion.enrichment > 1.0 + HIDDEN)
    if not more.any() or np.mean(more[full]) < 0.5:
        return None
    mean = 100.0 * float(np.average(scene.motion.enrichment[more] - 1.0, weights=scene.motion.durations_s[more]))
    return _where(
        scene,
        more,
        1.0,
        "hidden_enrichment",
        "note",
        f"At full throttle the pulse width held {mean:.0f} % more fuel on average than target and trims ask for, for "
        "{seconds:.1f} s, first at {first:.1f} s. The correction counts it as fuel, not as air: lambda stays richer than "
        "target there until that enrichment is taken back or named in the target.",
    )


def _other_table(scene: Scene) -> Finding | None:
    return _where(
        scene,
        strays(scene.frame, scene.regime) & ~scene.pulse_width_proven,
        5.0,
        "other_calibration",
        "warning",
        "For {seconds:.0f} s of steady running the pulse width does not follow from this table, these trims and these "
        "injector data. Was the log driven on another calibration?",
    )


Check = Callable[[Scene], Finding | None]
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
