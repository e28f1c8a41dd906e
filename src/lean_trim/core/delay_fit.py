"""Read the sensor delay from the log itself: match what was injected with what the sensor answered.

Whenever the mixture changes quickly (fuel cuts, enrichment and trim steps) the sensor answers one delay later. Around
such moments the equivalence ratio in the cylinder follows from the injected fuel and the wall film; it is sent through
the exhaust (a cycle, then plug flow) and a first-order sensor, and the exhaust volume and the sensor's time constant
that make it meet the measured one best are the estimate.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from .channels import Role
from .delay import DelaySettings, delay_s
from .film import DEFAULT_TAU_S, first_order_lag, injected_flow
from .frame import Frame
from .physics import Floats, Mask

WINDOWS, LEAD_S, TAIL_S = 60, 1.2, 2.5
STEP, HUBER = 0.08, 0.05
WALL_X = 0.2
FEWEST = 6
BOUNDS = ((0.2, 40.0), (0.01, 0.6))
"""Allowed exhaust volume, L, and sensor time constant, s."""


@dataclass(frozen=True)
class DelayEstimate:
    """Result of the matching. ``settings`` is what is to be used; ``estimated`` False means the defaults were kept.

    ``moments`` counts the quick changes looked at; ``misfit_before`` and ``misfit_after`` are the mean absolute
    differences of equivalence ratio with the defaults and with the estimate; the standard errors are NaN if kept.
    """

    settings: DelaySettings
    estimated: bool
    volume_se_l: float = np.nan
    sensor_se_s: float = np.nan
    moments: int = 0
    misfit_before: float = np.nan
    misfit_after: float = np.nan
    note: str = ""


@dataclass(frozen=True, eq=False)
class _Moments:
    """Samples around quick changes: cylinder and measured equivalence ratio, and what the delay depends on."""

    time: Floats
    phi: Floats
    measured: Floats
    cycle_s: Floats
    per_litre_s: Floats
    judged: Mask
    window: np.ndarray


def estimate_delay(frame: Frame, settings: DelaySettings, k: Floats) -> DelayEstimate:
    """Exhaust volume and sensor constant from the log; the given settings where the log does not tell.

    ``k``, shape (n,), is the factor by which the airflow table is wrong along the log, as known so far: an error of the
    table would be mistaken for an early or late answer. A volume the user has set is kept.
    """
    volume = frame.vehicle.exhaust_volume_l if settings.exhaust_volume_l is None else settings.exhaust_volume_l
    fixed = replace(settings, exhaust_volume_l=volume)
    if settings.exhaust_volume_l is not None:
        return DelayEstimate(fixed, False, note="set by hand")
    moments = _moments(frame, fixed, k)
    count = 0 if moments is None else int(moments.window.max()) + 1
    if moments is None or count < FEWEST:
        return DelayEstimate(
            fixed, False, moments=count, note=f"only {count} quick changes of mixture, {FEWEST} are needed"
        )
    return _fit(moments, fixed, volume, count)


def _fit(moments: _Moments, fixed: DelaySettings, volume: float, count: int) -> DelayEstimate:
    from scipy.optimize import minimize

    start = np.log([max(volume, 0.5), max(fixed.sensor_s, 0.02)])
    low, high = np.log(np.array(BOUNDS)).T

    def cost(theta: Floats) -> float:
        return float(_losses(moments, np.clip(theta, low, high)).sum())

    tries = [start + shift for shift in ([0.0, 0.0], [0.8, 0.0], [-0.8, 0.0])]
    found = minimize(
        cost, min(tries, key=cost), method="Nelder-Mead", options={"xatol": 0.01, "fatol": 1e-4, "maxfev": 90}
    )
    theta = np.clip(found.x, low, high)
    deviation = _deviations(moments, theta)
    before, after = _misfit(moments, start), _misfit(moments, theta)
    at_end = bool(np.any(theta <= low + 0.02) or np.any(theta >= high - 0.02))
    if at_end or not np.isfinite(deviation).all() or deviation[0] > 0.35 or after > before:
        return DelayEstimate(
            fixed, False, np.nan, np.nan, count, before, before, "the quick changes do not agree on a delay"
        )
    best = np.exp(theta)
    settings = replace(fixed, exhaust_volume_l=float(best[0]), sensor_s=float(best[1]))
    return DelayEstimate(
        settings, True, float(best[0] * deviation[0]), float(best[1] * deviation[1]), count, before, after
    )


def cylinder_phi(frame: Frame) -> Floats:
    """Equivalence ratio in the cylinder as injection, trims and the wall film have it, shape (n,); 0 in a fuel cut."""
    flow = injected_flow(frame)
    reaching = (1.0 - WALL_X) * flow + WALL_X * first_order_lag(frame.log.time_s, flow, DEFAULT_TAU_S)
    air = np.maximum(np.nan_to_num(frame.flow_g_per_s, nan=1.0), 0.05)
    return np.clip(reaching / air, 0.0, 3.0)


def _moments(frame: Frame, settings: DelaySettings, k: Floats) -> _Moments | None:
    from .loops import onsets

    log = frame.log
    time, phi = log.time_s, cylinder_phi(frame) / np.clip(np.nan_to_num(k, nan=1.0), 0.5, 2.0)
    ahead = np.minimum(np.searchsorted(time, time + 0.25), len(time) - 1)
    running = (log[Role.RPM] > 500.0) & (log.get(Role.COOLANT, 90.0) > 50.0)
    quick = (np.abs(phi[ahead] - phi) > STEP) & running & (time > time[0] + 30.0)
    starts = time[onsets(quick, time, 2.0)]
    if len(starts) > WINDOWS:
        starts = starts[np.linspace(0, len(starts) - 1, WINDOWS).astype(int)]
    if not len(starts):
        return None
    parts = [np.flatnonzero((time >= s - LEAD_S) & (time <= s + TAIL_S)) for s in starts]
    index = np.concatenate(parts)
    window = np.repeat(np.arange(len(parts)), [len(p) for p in parts])
    unit = delay_s(frame, DelaySettings(0.0, 1.0, 0.0))
    with np.errstate(divide="ignore", invalid="ignore"):
        measured = 1.0 / log[Role.LAMBDA][index]
    judged = np.isfinite(measured) & (time[index] > (starts - 0.1)[window])
    shift = window * 100.0 - starts[window]
    rpm = np.maximum(np.nan_to_num(log[Role.RPM][index]), 300.0)
    return _Moments(
        time[index] + shift, phi[index], np.nan_to_num(measured, nan=1.0), settings.cycles * 120.0 / rpm, unit[index], judged, window
    )  # fmt: skip


def _answer(m: _Moments, theta: Floats) -> Floats:
    """What the sensor would show for log exhaust volume and log time constant."""
    volume, sensor = np.exp(theta)
    arrival = np.maximum.accumulate(m.time + m.cycle_s + volume * m.per_litre_s)
    return first_order_lag(m.time, np.interp(m.time, arrival, m.phi), float(sensor))


def _difference(m: _Moments, theta: Floats) -> Floats:
    """Shown minus measured, both within what the sensor can show; 0 outside the judged samples."""
    low, high = 1.0 / 1.33, 1.0 / 0.67
    return np.where(m.judged, np.clip(_answer(m, theta), low, high) - np.clip(m.measured, low, high), 0.0)


def _losses(m: _Moments, theta: Floats) -> Floats:
    """Huber loss of each window."""
    gap = np.abs(_difference(m, theta))
    loss = np.where(gap < HUBER, 0.5 * gap**2, HUBER * (gap - 0.5 * HUBER)) / HUBER**2
    total: Floats = np.asarray(np.bincount(m.window, loss), np.float64)
    return total


def _misfit(m: _Moments, theta: Floats) -> float:
    return float(np.abs(_difference(m, theta)).sum() / max(int(m.judged.sum()), 1))


def _deviations(m: _Moments, theta: Floats, step: float = 0.05) -> Floats:
    """Standard errors of log volume and log constant, from how the windows disagree (sandwich estimate)."""
    eye = np.eye(2) * step
    slopes = np.array([(_losses(m, theta + e) - _losses(m, theta - e)) / (2 * step) for e in eye])
    centre = _losses(m, theta).sum()
    bend = np.empty((2, 2))
    for i in range(2):
        bend[i, i] = (_losses(m, theta + eye[i]).sum() - 2 * centre + _losses(m, theta - eye[i]).sum()) / step**2
    corners = [_losses(m, theta + a * eye[0] + b * eye[1]).sum() * a * b for a in (1, -1) for b in (1, -1)]
    bend[0, 1] = bend[1, 0] = sum(corners) / (4 * step**2)
    try:
        inverse = np.linalg.inv(bend)
    except np.linalg.LinAlgError:
        return np.full(2, np.nan)
    variance = np.diag(inverse @ (slopes @ slopes.T) @ inverse)
    return np.sqrt(np.where((variance > 0) & (np.diag(bend) > 0), variance, np.nan))
