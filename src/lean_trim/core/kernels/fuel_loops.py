"""Compiled loops over fuel and mixture along a log.

Imported where used, never at start; arrays are float64 or bool of shape (n,).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from lean_trim.core.types import Floats, Mask


@njit(cache=True, nogil=True, error_model="numpy")
def fuel_flow(
    air: Floats, target: Floats, trim: Floats, ratio: Floats, width_ms: Floats
) -> Floats:  # pragma: no cover - compiled
    """Injected fuel up to a constant factor.

    0 where it cannot be known or the pulse width (empty if not logged) is 0.
    """
    out = np.empty(len(air))
    for i in range(len(air)):
        flow = air[i] / target[i] * trim[i] * (ratio[i] if np.isfinite(ratio[i]) else 1.0)
        cut = len(width_ms) > 0 and width_ms[i] <= 0.01
        out[i] = max(flow, 0.0) if np.isfinite(flow) and not cut else 0.0
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def above_lag(flow: Floats, lagged: Floats) -> Floats:  # pragma: no cover - compiled
    """1 - lagged/flow within -1 and 1; -1 where the flow stopped, 0 where nothing flowed."""
    out = np.empty(len(flow))
    for i in range(len(flow)):
        if flow[i] > 0.0:
            out[i] = min(max(1.0 - lagged[i] / flow[i], -1.0), 1.0)
        else:
            out[i] = -1.0 if lagged[i] > 0.0 else 0.0
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def seconds_off(
    ratio: Floats, counts: Mask, seconds: Floats, off: float
) -> tuple[float, float]:  # pragma: no cover - compiled
    """Seconds that count and have a ratio, and of them those whose ratio is further from 1 than ``off``."""
    whole = away = 0.0
    for i in range(len(ratio)):
        if counts[i] and np.isfinite(ratio[i]):
            whole += seconds[i]
            if abs(ratio[i] - 1.0) > off:
                away += seconds[i]
    return whole, away


@njit(cache=True, nogil=True, error_model="numpy")
def misleading_excess(
    excess: Floats, level: Floats, time_s: Floats, half: int, proven: Mask, off: float, rate: float
) -> Mask:  # pragma: no cover - compiled
    """Where ``excess`` is over ``off`` and cannot be believed.

    Not proven, or ``level`` moves by ``rate`` percent a second.
    """
    n, out = len(excess), np.zeros(len(excess), np.bool_)
    for i in range(n):
        if excess[i] > off:
            a, b = max(i - half, 0), min(i + half, n - 1)
            slope = 100.0 * abs(level[b] - level[a]) / max(time_s[b] - time_s[a], 1e-3)
            out[i] = not proven[i] or slope >= rate
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def product(trim: Floats, lam: Floats, target: Floats, more: Floats) -> Floats:  # pragma: no cover - compiled
    """trim · lam / target · more."""
    out = np.empty(len(trim))
    for i in range(len(trim)):
        out[i] = trim[i] * lam[i] / target[i] * more[i]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def times_root(values: Floats, ratio: Floats, least: float) -> Floats:  # pragma: no cover - compiled
    """values · sqrt(ratio), the ratio at least ``least``; in place."""
    for i in range(len(values)):
        values[i] *= np.sqrt(max(ratio[i], least))
    return values
