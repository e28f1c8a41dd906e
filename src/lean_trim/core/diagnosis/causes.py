"""A cause is told, and not what follows from it as well: one finding, not two."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import extend_mask
from lean_trim.core.diagnosis.faults import (
    airflow_sensor_end,
    fuel_pressure,
    injectors_full_open,
    lean_full_throttle,
    regulator,
    sensor_drops_out,
    sensor_not_ready,
    sensor_stuck,
    target_swings,
    trim_at_limit,
)
from lean_trim.core.diagnosis.finding import RANK, Finding
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.fuel_supply import supply_of
from lean_trim.core.messages import Message
from lean_trim.core.types import Mask


class Say:
    """Sentences of this module."""

    EXPLAINS = Message("causes.explains", "{cause} It explains {seconds:.1f} s of {what}.")
    RESEMBLES = Message(
        "causes.resembles",
        "{cause} The fuel needed over {seconds:.0f} s of the same driving resembles a dead time or "
        "a "
        "leak, and may be no more than that.",
    )
    LEAN = Message("causes.lean", "full throttle leaner than target")
    PRESSURE = Message("causes.pressure", "fuel pressure more than 7 % below its rated value")
    LIMIT = Message("causes.limit", "feedback at its limit")


MOST = 0.6
"""Share of a symptom's time during which its cause has to be seen."""
ENOUGH = 0.5
"""Share of the leanness a cause has to account for (common practice, no source)."""


@dataclass(frozen=True)
class Cause:
    """A fault that brings another about: how much of its symptom it accounts for, 0 to 1 and more."""

    id: str
    accounts_for: Callable[[Conditions, Mask], float]


def _by_sag(conditions: Conditions, at: Mask) -> float:
    """What the missing pressure takes of the fuel, over how lean it is."""
    frame = conditions.frame
    share = frame.log[Role.FUEL_DP][at] / frame.vehicle.injectors.rated_pressure_kpa
    with np.errstate(invalid="ignore", divide="ignore"):
        leaner = 1.0 / np.sqrt(share) - 1.0
        seen = conditions.lam[at] / frame.target[at] - 1.0
    return float(np.nanmean(leaner) / np.nanmean(seen))


def _by_slope(conditions: Conditions, at: Mask) -> float:
    """All that is missing, where nothing is lost beyond what the manifold does to the rail."""
    return 0.0 if supply_of(conditions.frame).sags else 1.0


def _wholly(conditions: Conditions, at: Mask) -> float:
    """No more fuel, or no more air, can be seen: how lean it gets is beyond any figure."""
    return 1.0


@dataclass(frozen=True)
class Symptom:
    """What may bring a fault about, the likeliest first.

    Attributes
    ----------
    words : what the cause explains.
    after_s : for how long it goes on once the cause is over.
    causes : of it.
    """

    words: Message
    after_s: float
    causes: Sequence[Cause]


SYMPTOMS: Mapping[str, Symptom] = {
    fuel_pressure.FAULT.id: Symptom(Say.PRESSURE, 0.0, (Cause(regulator.FAULT.id, _by_slope),)),
    lean_full_throttle.FAULT.id: Symptom(
        Say.LEAN,
        0.5,
        (
            Cause(fuel_pressure.FAULT.id, _by_sag),
            Cause(regulator.FAULT.id, _by_sag),
            Cause(airflow_sensor_end.FAULT.id, _wholly),
            Cause(injectors_full_open.FAULT.id, _wholly),
        ),
    ),
    trim_at_limit.FAULT.id: Symptom(
        Say.LIMIT,
        20.0,
        (
            Cause(sensor_not_ready.FAULT.id, _wholly),
            Cause(sensor_stuck.FAULT.id, _wholly),
            Cause(sensor_drops_out.FAULT.id, _wholly),
        ),
    ),
}
SWAP_IDS = ("injector_flow", "dead_time")
CERTAIN = 0.99
"""Probability from which injectors are certainly not those of the sheet."""


def certain_swap(findings: Sequence[Finding]) -> Finding | None:
    """Injectors that are certainly others than the sheet's, told by themselves.

    Returns None where there are none, or something else shows alike.
    """
    return next(
        (f for f in findings if f.id in SWAP_IDS and f.probability >= CERTAIN and not f.alike), None
    )


SUPPLY_IDS = frozenset(
    {fuel_pressure.FAULT.id, regulator.FAULT.id, "unseen_sag", "fuel_delivery_ends"}
)
"""Findings with which fuel may not arrive: no advice to enrich stands beside them."""
BEFORE_S = 0.5
OF_A_SWING = ("dead_time", "exhaust_leak")
"""Patterns a swinging target looks like: torque swings along, so that states go with its phase at
idle."""
SWING_REST_S = 8.0
"""About a swing of the target, s, in which trims and lambda still follow from it."""


def brought_about(
    pattern: Finding,
    shows: Mask,
    found: Sequence[Finding],
    shown: Mapping[str, Mask],
    conditions: Conditions,
) -> tuple[Finding, Finding] | None:
    """A pattern that a swinging target accounts for.

    Parameters
    ----------
    pattern : found in what the drive needs.
    shows : samples that show it, shape (n,).
    found : faults of the log.
    shown : samples that show each of them, by its id, shape (n,).
    conditions : they were found in.

    Returns
    -------
    The fault, and the same as it says so; None where the pattern stands by itself.
    """
    swing = next((f for f in found if f.id == target_swings.FAULT.id), None)
    if swing is None or pattern.id not in OF_A_SWING:
        return None
    log = conditions.frame.log
    seconds = float(log.durations_s[shows].sum())
    near = extend_mask(shown[swing.id], log.time_s, SWING_REST_S, SWING_REST_S)
    # What shows elsewhere as well is there without the swing.
    if log.durations_s[shows & near].sum() < MOST * seconds:
        return None
    said = Say.RESEMBLES(cause=swing.said, seconds=seconds)
    return swing, replace(
        swing, said=said, severity=min(swing.severity, pattern.severity, key=RANK.__getitem__)
    )


def explained_by(
    pattern: Finding,
    asked: float,
    found: Sequence[Finding],
    shown: Mapping[str, Mask],
    conditions: Conditions,
) -> tuple[Finding, Finding] | None:
    """Lean full throttle that a pattern accounts for.

    Parameters
    ----------
    pattern : found in what the drive needs.
    asked : its mean effect on ln k at full throttle.
    found : faults of the log.
    shown : samples that show each of them, by its id, shape (n,).
    conditions : they were found in.

    Returns
    -------
    The symptom, and the pattern that says so; None where it explains nothing.
    """
    symptom = next((f for f in found if f.id == lean_full_throttle.FAULT.id), None)
    if symptom is None:
        return None
    at = shown[symptom.id]
    with np.errstate(invalid="ignore"):
        leaner = float(np.nanmean(np.log(conditions.lam[at] / conditions.frame.target[at])))
    # Written so that an unknown figure explains nothing.
    if not asked >= ENOUGH * leaner:
        return None
    said = Say.EXPLAINS(cause=pattern.said, seconds=symptom.seconds, what=Say.LEAN())
    return symptom, replace(pattern, said=said)


def without_symptoms(
    found: Sequence[Finding], shown: Mapping[str, Mask], conditions: Conditions
) -> tuple[Finding, ...]:
    """Findings with those left out that another one explains; the cause then says so.

    Parameters
    ----------
    found : what was found.
    shown : samples that show each of them, by its id, shape (n,).
    conditions : they were found in.

    Returns
    -------
    Causes first, in the order of severity and time.
    """
    log = conditions.frame.log
    by_id = {f.id: f for f in found}
    causes: list[str] = []
    for symptom, known in SYMPTOMS.items():
        if symptom not in by_id:
            continue
        seconds = float(log.durations_s[shown[symptom]].sum())
        for cause in known.causes:
            if cause.id not in by_id:
                continue
            both = shown[symptom] & extend_mask(
                shown[cause.id], log.time_s, BEFORE_S, known.after_s
            )
            # At the same time, and large enough: a small sag beside a large lean is not its cause.
            if (
                log.durations_s[both].sum() < MOST * seconds
                or cause.accounts_for(conditions, both) < ENOUGH
            ):
                continue
            told = by_id[cause.id]
            said = Say.EXPLAINS(cause=told.said, seconds=seconds, what=known.words())
            # The cause takes the symptom's place, so it must not be told more calmly.
            worse = min(told.severity, by_id[symptom].severity, key=lambda s: RANK[s])
            by_id[cause.id] = replace(told, said=said, severity=worse)
            causes.append(cause.id)
            del by_id[symptom]
            break
    # Of two as bad, the one that explains another comes first: mending it may end both.
    order = sorted(
        by_id.values(), key=lambda f: (RANK[f.severity], f.id not in causes, f.first_time_s)
    )
    return tuple(order)
