"""Lambda over temperature and barometer: what the table leaves, what the ECU adds, what would do instead."""

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
    given_pct : fuel the ECU adds there beyond table and trims, by the pulse width; NaN if unknown.
    """

    at_c: float
    error_pct: float
    std_error_pct: float
    seconds: float
    given_pct: float = float("nan")

    @property
    def proposed_pct(self) -> float:
        """What the ECU would have to add there; NaN where it is not known what it adds."""
        return 100.0 * ((1.0 + self.given_pct / 100.0) * (1.0 + self.error_pct / 100.0) - 1.0)


def over_temperature(
    temperature_c: Floats,
    error_pct: Floats,
    may: Mask,
    seconds: Floats,
    given_pct: Floats | None = None,
    step: float = STEP_C,
) -> tuple[TemperatureBin, ...]:
    """Means by steps of 10 K, or others.

    Parameters
    ----------
    temperature_c : of coolant or intake air, or another slow channel, shape (n,).
    error_pct : percent, NaN where unknown, shape (n,).
    may : samples that count, shape (n,).
    seconds : each stands for, shape (n,).
    given_pct : fuel the ECU adds beyond table and trims, percent, NaN where unknown, shape (n,).
    step : width of a bin, in the channel's unit.

    Returns
    -------
    Bins with at least 3 s, rising; none where the temperature was not logged.
    """
    good = may & np.isfinite(temperature_c) & np.isfinite(error_pct)
    which = np.floor(np.where(good, temperature_c, 0.0) / step).astype(int)
    out = []
    for number in np.unique(which[good]):
        at = good & (which == number)
        total = float(seconds[at].sum())
        if total < LEAST_S:
            continue
        mean = float(np.average(error_pct[at], weights=seconds[at]))
        spread = float(np.sqrt(np.average((error_pct[at] - mean) ** 2, weights=seconds[at])))
        error = float(np.hypot(spread / np.sqrt(max(total / STAYS_ALIKE_S, 1.0)), TABLE_PCT))
        given = _median(given_pct, at)
        middle = step * (int(number) + 0.5)
        out.append(
            TemperatureBin(
                middle, round(mean, 3), round(error, 3), round(total, 1), round(given, 3)
            )
        )
    return tuple(out)


def _median(values: Floats | None, at: Mask) -> float:
    known = np.empty(0) if values is None else values[at & np.isfinite(values)]
    return float(np.median(known)) if len(known) else float("nan")
