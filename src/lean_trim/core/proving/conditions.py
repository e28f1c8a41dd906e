"""Weather and fuel of two drives beside each other: what differs between them that no table answers for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log

APART = {Role.IAT: 15.0, Role.BARO: 3.0, Role.ETHANOL: 5.0, Role.FUEL_DP: 15.0, Role.COOLANT: 10.0}
"""Differences of the medians from which they are worth a word, in the channel's unit (common practice, no
source)."""


@dataclass(frozen=True)
class Condition:
    """A channel's median before and now, in its unit; NaN where it was not logged."""

    label: str
    unit: str
    before: float
    now: float
    differs: bool


def conditions_of(before: Sequence[Log], now: Sequence[Log]) -> tuple[Condition, ...]:
    """Compare the conditions of two drives.

    Parameters
    ----------
    before, now : their logs.

    Returns
    -------
    Channels that either drive holds.
    """
    out = []
    for role, bar in APART.items():
        was, is_ = (_median(logs, role) for logs in (before, now))
        if np.isnan(was) and np.isnan(is_):
            continue
        label, unit = LABELS[role]
        out.append(Condition(label, unit, was, is_, bool(abs(is_ - was) >= bar)))
    return tuple(out)


def _median(logs: Sequence[Log], role: Role) -> float:
    found = [log[role][log[Role.RPM] > 0.0] for log in logs if role in log and Role.RPM in log]
    values = np.concatenate(found) if found else np.empty(0)
    values = values[np.isfinite(values)]
    return float(np.median(values)) if len(values) else float("nan")
