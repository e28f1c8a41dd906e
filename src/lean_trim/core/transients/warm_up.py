"""Lambda over temperature while the engine warms up: what the table leaves, by coolant and by intake air."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.types import Floats, Mask

STEP_C = 10.0
LEAST_S = 3.0
STAYS_ALIKE_S = 2.0
"""Seconds of driving that say the same (common practice, no source)."""
TABLE_PCT = 0.5
"""What the table itself may be off where a bin was driven."""


@dataclass(frozen=True)
class TemperatureBin:
    """Mean of what was asked for within a step of temperature.

    Attributes
    ----------
    at_c : its middle.
    error_pct, std_error_pct : fuel that was missing (above 0: lean) beyond what the table asks for.
    seconds : driven.
    """

    at_c: float
    error_pct: float
    std_error_pct: float
    seconds: float


def over_temperature(
    temperature_c: Floats, error_pct: Floats, may: Mask, seconds: Floats
) -> tuple[TemperatureBin, ...]:
    """Means by steps of 10 K.

    Parameters
    ----------
    temperature_c : of coolant or intake air, shape (n,).
    error_pct : percent, NaN where unknown, shape (n,).
    may : samples that count, shape (n,).
    seconds : each stands for, shape (n,).

    Returns
    -------
    Bins with at least 3 s, rising; none where the temperature was not logged.
    """
    good = may & np.isfinite(temperature_c) & np.isfinite(error_pct)
    which = np.floor(np.where(good, temperature_c, 0.0) / STEP_C).astype(int)
    out = []
    for number in np.unique(which[good]):
        at = good & (which == number)
        total = float(seconds[at].sum())
        if total < LEAST_S:
            continue
        mean = float(np.average(error_pct[at], weights=seconds[at]))
        spread = float(np.sqrt(np.average((error_pct[at] - mean) ** 2, weights=seconds[at])))
        error = float(np.hypot(spread / np.sqrt(max(total / STAYS_ALIKE_S, 1.0)), TABLE_PCT))
        out.append(
            TemperatureBin(STEP_C * (int(number) + 0.5), round(mean, 3), round(error, 3), round(total, 1))
        )
    return tuple(out)
