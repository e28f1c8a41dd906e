"""What is missing in the first minute after a start, beside what coolant says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.types import Floats, Mask

CRANKING_RPM = 400.0
"""Engine speed below which it stands or cranks."""
RUNNING_RPM = 550.0
"""Engine speed from which it runs by itself."""
WITHIN_S = 150.0
"""After the start, s: what is added then has faded by that time (common practice, no source)."""
LEAST_S = 40.0
"""Driving that has to be there to tell, s."""
FIRST_S = 15.0
"""Time that is looked at after a start, how much of it has to be known, and how much of its
beginning."""
FADES_S = (5.0, 8.0, 12.0, 20.0, 30.0)
ALIKE_S = 2.0
"""Seconds of driving that say the same (common practice, no source)."""
WARMS_C = 3.0
"""Coolant has to rise by so much, or its course is not told from the start's."""
LEAST_PCT = 1.5
"""Fuel missing or too much below which nothing is said, %."""
SURE = 3.0
"""Standard errors from which it is said."""
SETTLES_S = 2.0
"""Until the engine has caught, nothing is read."""


@dataclass(frozen=True)
class AfterStart:
    """Fuel missing right after a start, beyond what coolant explains.

    Attributes
    ----------
    missing_pct, std_error_pct : at the start; below 0 where there is too much.
    fades_s : time constant it fades with.
    start_s : of the start on the log.
    coolant_c : at the start.
    """

    missing_pct: float
    std_error_pct: float
    fades_s: float
    start_s: float
    coolant_c: float


def after_start_of(
    time_s: Floats, rpm: Floats, coolant_c: Floats, error_pct: Floats, may: Mask
) -> AfterStart | None:
    """Read what fades after a start.

    Parameters
    ----------
    time_s, rpm, coolant_c : along a log, shape (n,).
    error_pct : fuel that is missing, percent, NaN where unknown, shape (n,).
    may : samples that nothing but temperature speaks against, shape (n,).

    Returns
    -------
    None where the log holds no start, too little after it, or nothing that fades.
    """
    start = _start(time_s, rpm)
    if start is None:
        return None
    since = time_s - time_s[start]
    good = (
        may
        & np.isfinite(error_pct)
        & np.isfinite(coolant_c)
        & (since > SETTLES_S)
        & (since <= WITHIN_S)
    )
    step = float(np.median(np.diff(time_s)))
    if good.sum() * step < LEAST_S or (good & (since <= FIRST_S)).sum() * step < FIRST_S / 3.0:
        return None
    warmth = coolant_c[good] - coolant_c[good].mean()
    if float(np.ptp(warmth)) < WARMS_C:
        return None
    found = [_fitted(since[good], warmth, error_pct[good], fades, step) for fades in FADES_S]
    best = min(found, key=lambda f: f[3])
    missing, spread, fades, _ = best
    if abs(missing) < max(LEAST_PCT, SURE * spread):
        return None
    return AfterStart(missing, spread, fades, float(time_s[start]), float(coolant_c[start]))


def _start(time_s: Floats, rpm: Floats) -> int | None:
    """Row at which the engine first runs after it was seen cranking or standing."""
    slow = np.flatnonzero(rpm < CRANKING_RPM)
    if not len(slow):
        return None
    runs = np.flatnonzero((rpm > RUNNING_RPM) & (np.arange(len(rpm)) > slow[0]))
    return int(runs[0]) if len(runs) else None


def _fitted(
    since: Floats, warmth: Floats, error: Floats, fades: float, step: float
) -> tuple[float, float, float, float]:
    """Missing at the start, its standard error, the time constant and what is left, by least squares."""
    design = np.column_stack([np.ones(len(since)), warmth, np.exp(-since / fades)])
    solved, *_ = np.linalg.lstsq(design, error, rcond=None)
    left = error - design @ solved
    # Seconds that say the same count once, in what scatters and in what it is read from.
    counts = step / ALIKE_S
    variance = float(np.sum(left**2)) * counts / max(len(error) * counts - 3.0, 1.0)
    inverse = np.linalg.pinv(design.T @ design * counts)
    return float(solved[2]), float(np.sqrt(variance * inverse[2, 2])), fades, float(np.sum(left**2))
