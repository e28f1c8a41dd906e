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

    Parameters
    ----------
    air : airflow the ECU believed in, shape (n,).
    target, trim : target lambda and trims as a factor, shape (n,).
    ratio : fuel by pulse width over fuel by table and trims, NaN where unknown, shape (n,).
    width_ms : pulse width, ms, shape (n,), or empty.

    Returns
    -------
    Relative fuel flow, shape (n,).
    """
    out = np.empty(len(air))
    for i in range(len(air)):
        flow = air[i] / target[i] * trim[i] * (ratio[i] if np.isfinite(ratio[i]) else 1.0)
        cut = len(width_ms) > 0 and width_ms[i] <= 0.01
        out[i] = max(flow, 0.0) if np.isfinite(flow) and not cut else 0.0
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def kept_back(flow: Floats, joins: Floats, leaves: Floats) -> Floats:  # pragma: no cover - compiled
    """Part of the injected fuel a film keeps: (joins - leaves) / flow within -1 and 1.

    Parameters
    ----------
    flow, joins, leaves : fuel injected, joining the film and leaving it, shape (n,).

    Returns
    -------
    -1 where the flow stopped, 0 where nothing flowed, shape (n,).
    """
    out = np.empty(len(flow))
    for i in range(len(flow)):
        if flow[i] > 0.0:
            out[i] = min(max((joins[i] - leaves[i]) / flow[i], -1.0), 1.0)
        else:
            out[i] = -1.0 if leaves[i] > 0.0 else 0.0
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def seconds_off(
    ratio: Floats, counts: Mask, seconds: Floats, off: float
) -> tuple[float, float]:  # pragma: no cover - compiled
    """Seconds that count and have a ratio, and of them those whose ratio is further from 1 than ``off``.

    Parameters
    ----------
    ratio : NaN where unknown, shape (n,).
    counts : samples that count, shape (n,).
    seconds : time each stands for, s, shape (n,).
    off : distance from 1.

    Returns
    -------
    Both in seconds.
    """
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

    Parameters
    ----------
    excess : how far fuel is off, percent, shape (n,).
    level : enrichment as a factor, shape (n,).
    time_s : shape (n,), s.
    half : samples on either side that ``level`` is watched over.
    proven : samples of logs whose pulse width is believed, shape (n,).
    off : percent from which fuel is off.
    rate : percent a second.

    Returns
    -------
    Samples to leave out, shape (n,).
    """
    n = len(excess)
    out = np.zeros(len(excess), np.bool_)
    for i in range(n):
        if excess[i] > off:
            a = max(i - half, 0)
            b = min(i + half, n - 1)
            slope = 100.0 * abs(level[b] - level[a]) / max(time_s[b] - time_s[a], 1e-3)
            out[i] = not proven[i] or slope >= rate
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def product(
    trim: Floats, lam: Floats, target: Floats, more: Floats
) -> Floats:  # pragma: no cover - compiled
    """Multiply: trim · lam / target · more.

    Parameters
    ----------
    trim, lam, target, more : factors, each of shape (n,).

    Returns
    -------
    Shape (n,).
    """
    out = np.empty(len(trim))
    for i in range(len(trim)):
        out[i] = trim[i] * lam[i] / target[i] * more[i]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def times_root(
    values: Floats, ratio: Floats, least: float
) -> Floats:  # pragma: no cover - compiled
    """Multiply: values · sqrt(ratio), the ratio at least ``least``; in place.

    Parameters
    ----------
    values : changed in place, shape (n,).
    ratio : shape (n,).
    least : floor of the ratio, > 0.

    Returns
    -------
    ``values``.
    """
    for i in range(len(values)):
        values[i] *= np.sqrt(max(ratio[i], least))
    return values


@njit(cache=True, nogil=True, error_model="numpy")
def unseen_heat(
    coolant: Floats, air: Floats, flow: Floats, usual: float, fades_with: float, kelvin: float
) -> Floats:  # pragma: no cover - compiled
    """Density error at a share of 1 of charge heating, less that of a warm engine; see ``nuisance_terms``.

    Parameters
    ----------
    coolant, air : temperatures, °C, shape (n,).
    flow : airflow, g/s, shape (n,); unknown counts as none.
    usual : coolant less air of the warm engine, K.
    fades_with : airflow with which the heating fades, g/s.
    kelvin : 0 °C in kelvin.

    Returns
    -------
    Relative, shape (n,).
    """
    out = np.empty(len(coolant))
    for i in range(len(coolant)):
        through = flow[i] if np.isfinite(flow[i]) else 0.0
        more = usual - (coolant[i] - air[i])
        out[i] = more / (air[i] + kelvin) * np.exp(-through / fades_with)
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def evaporated(
    time_s: Floats, joins: Floats, tau_s: Floats, gap_s: float
) -> Floats:  # pragma: no cover - compiled
    """Fuel that leaves the film, by its mass over its time constant.

    Parameters
    ----------
    time_s : rising, s, shape (n,); the film is settled at the first row and after a gap.
    joins : fuel flow that joins the film, joined by lines between rows, shape (n,).
    tau_s : time constant of evaporation at every row, s, > 0, shape (n,).
    gap_s : step from which the film begins anew, s.

    Returns
    -------
    Fuel flow, shape (n,).
    """
    out = np.empty(len(joins))
    mass = 0.0
    for i in range(len(joins)):
        dt = time_s[i] - time_s[i - 1] if i else gap_s + 1.0
        if dt > gap_s:
            mass = joins[i] * tau_s[i]
        else:
            keep = np.exp(-dt / tau_s[i])
            mass = keep * mass + (1.0 - keep) * tau_s[i] * 0.5 * (joins[i - 1] + joins[i])
        out[i] = mass / tau_s[i]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def fuel_for(
    time_s: Floats, wanted: Floats, share: Floats, tau_s: Floats, gap_s: float
) -> Floats:  # pragma: no cover - compiled
    """Fuel to inject so that the cylinder gets what is wanted: the film's equation, solved for it.

    Parameters
    ----------
    time_s : rising, s, shape (n,); the film is full for what is wanted at the first row and after a
        gap.
    wanted : fuel flow in the cylinder, 0 in a cut, shape (n,).
    share : that joins the film, 0 to below 1, shape (n,).
    tau_s : time constant of evaporation at every row, s, > 0, shape (n,).
    gap_s : step from which the film begins anew, s.

    Returns
    -------
    Never below 0, shape (n,).
    """
    out = np.empty(len(wanted))
    mass = 0.0
    for i in range(len(wanted)):
        dt = time_s[i] - time_s[i - 1] if i else gap_s + 1.0
        if dt > gap_s:
            out[i] = wanted[i]
            mass = share[i] * wanted[i] * tau_s[i]
            continue
        keep = np.exp(-dt / tau_s[i])
        half = 0.5 * (1.0 - keep)
        left = keep * mass / tau_s[i] + half * share[i - 1] * out[i - 1]
        # What is injected now partly evaporates within the same row.
        need = (wanted[i] - left) / (1.0 - share[i] + half * share[i])
        out[i] = max(need, 0.0) if wanted[i] > 0.0 else 0.0
        mass = (left + half * share[i] * out[i]) * tau_s[i]
    return out


@njit(cache=True, nogil=True, error_model="numpy")
def faded_anew(
    time_s: Floats, extra: Floats, old_s: float, new_s: float
) -> Floats:  # pragma: no cover - compiled
    """Fuel beyond the steady amount as it would be if it faded in another time.

    What is added anew stays; what only fades does so over ``new_s``. Added anew is what falls less
    than half as quickly as ``old_s`` says.

    Parameters
    ----------
    time_s : after an edge, shape (n,).
    extra : beyond the steady amount, of one sign, shape (n,).
    old_s, new_s : time constants, s, above 0.

    Returns
    -------
    Shape (n,).
    """
    out = extra.copy()
    for i in range(1, len(extra)):
        step = time_s[i] - time_s[i - 1]
        held = out[i - 1] * np.exp(-step / new_s)
        is_new = abs(extra[i]) >= abs(extra[i - 1]) * np.exp(-0.5 * step / old_s)
        source = extra[i] if is_new or new_s >= old_s else 0.0
        out[i] = source if abs(source) > abs(held) else held
    return out
