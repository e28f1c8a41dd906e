"""What a lambda sensor's own readings tell about it."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.log import as_loop
from lean_trim.core.types import Floats

SURELY_HIGH = 1.12
MAYBE_HIGH = 1.06
"""Highest reading that is an end if readings stay there, and one that may be: fuel cuts drive every
sound sensor further (common practice, no source)."""
JUST_BELOW = 0.02
PILE = 2.0
"""Readings at an end outnumber those so much below it by more than this."""


def end_stops(lam: Floats) -> tuple[float, float]:
    """Readings at or past these are this sensor's own ends.

    Its extremes, where it stays on them for 0.5 % of the log.

    0 and infinity where the log shows no end.

    Parameters
    ----------
    lam : measured lambda, shape (n,), NaN where unknown.

    Returns
    -------
    Lowest and highest reading that are not to be believed.
    """
    part = lam[np.isfinite(lam)]
    if not len(part):
        return 0.0, np.inf
    low = float(part.min())
    high = float(part.max())
    stays_low = np.mean(part <= low + 1e-6) > 0.005
    stays_high = np.mean(part >= high - 1e-6) > 0.005
    # Narrow meters end where a sound one may well read; there readings pile up at the end itself.
    ends = high > SURELY_HIGH or (high > MAYBE_HIGH and _piles_up(part, high))
    return (low + 0.01 if stays_low and low < 0.8 else 0.0), (
        high - 0.01 if stays_high and ends else np.inf
    )


def _piles_up(lam: Floats, high: float) -> bool:
    """Whether far more readings stand at the highest one than just below it."""
    at = int((lam >= high - 1e-6).sum())
    below = int(((lam < high - 1e-6) & (lam >= high - JUST_BELOW)).sum())
    return at > PILE * max(below, 1)


FLOW_MOVED = 1.5
MIXTURE_MOVED = 1.03
"""An engine whose airflow moved by half, or whose commanded mixture moved by 3 %, moves lambda.

Common practice, no source.
"""


def still_spells(lam: Floats, time_s: Floats, least_s: float) -> list[slice]:
    """Spells in which the reading stayed the very same for ``least_s``.

    None if they take more than half of the log: it is then read too coarsely, or says nothing at
    all, and no spell stands out.

    Parameters
    ----------
    lam : measured lambda, shape (n,).
    time_s : shape (n,), rising, s.
    least_s : shortest spell, s.

    Returns
    -------
    One slice of samples per spell.
    """
    from lean_trim.core.kernels.log_loops import still_spells

    spells = still_spells(as_loop(lam), as_loop(time_s), least_s)
    lasts = float((time_s[spells[:, 1] - 1] - time_s[spells[:, 0]]).sum())
    return [] if lasts > 0.5 * (time_s[-1] - time_s[0]) else [slice(*s) for s in spells.tolist()]


def engine_moved(flow: Floats, mixture: Floats) -> bool:
    """True if lambda had to move over a spell of airflow and of fuel asked for per air.

    Both in any unit; NaN where unknown.

    Parameters
    ----------
    flow : airflow over the spell, shape (m,).
    mixture : fuel asked for per air over the spell, shape (m,).

    Returns
    -------
    True if a sound sensor could not have stood still.
    """
    return _over(flow) > FLOW_MOVED or _over(mixture) > MIXTURE_MOVED


def _over(values: Floats) -> float:
    """Largest over smallest of the positive values; 1 if there are none."""
    part = values[np.isfinite(values) & (values > 0)]
    return float(part.max() / part.min()) if len(part) else 1.0
