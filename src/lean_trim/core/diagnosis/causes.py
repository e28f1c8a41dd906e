"""A cause is told, and not what follows from it as well: one finding, not two."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import extend_mask
from lean_trim.core.diagnosis.faults import airflow, mixture, supply
from lean_trim.core.diagnosis.finding import RANK, Finding
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message
from lean_trim.core.types import Mask


class Say:
    """Sentences of this module."""

    EXPLAINS = Message(
        "causes.explains", "{cause} It explains {seconds:.1f} s of full throttle leaner than target."
    )


NEAR_S = 0.5
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


def _wholly(conditions: Conditions, at: Mask) -> float:
    """No more fuel, or no more air, can be seen: how lean it gets is beyond any figure."""
    return 1.0


CAUSES: Mapping[str, Sequence[Cause]] = {
    mixture.LEAN_AT_LOAD.id: (
        Cause(supply.PRESSURE.id, _by_sag),
        Cause(supply.REGULATOR.id, _by_sag),
        Cause(airflow.SENSOR_END.id, _wholly),
        Cause(supply.FULL_OPEN.id, _wholly),
    )
}
"""What may bring a symptom about, the likeliest first."""


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
    for symptom in CAUSES:
        if symptom not in by_id:
            continue
        seconds = float(log.durations_s[shown[symptom]].sum())
        for cause in CAUSES[symptom]:
            if cause.id not in by_id:
                continue
            both = shown[symptom] & extend_mask(shown[cause.id], log.time_s, NEAR_S, NEAR_S)
            if log.durations_s[both].sum() < MOST * seconds or cause.accounts_for(conditions, both) < ENOUGH:
                continue
            told = by_id[cause.id]
            said = Say.EXPLAINS(cause=told.message, seconds=seconds)
            by_id[cause.id] = replace(told, said=said, severity="danger")
            causes.append(cause.id)
            del by_id[symptom]
            break
    order = sorted(by_id.values(), key=lambda f: (RANK[f.severity], f.id not in causes, f.first_time_s))
    return tuple(order)
