"""Read the sensor delay from the log itself: match what was injected with what the sensor answered.

Whenever the mixture changes quickly (fuel cuts, enrichment and trim steps) the sensor answers one
delay later. Around such moments the equivalence ratio in the cylinder follows from the injected
fuel and the wall film; it is sent through the exhaust (engine cycles, then plug flow) and a
first-order sensor, and the cycles, exhaust volume and time constant that make it meet the measured
one best are the estimate. The three trade against each other: a drive tells their sum well and each
of them less well, so that what is known beforehand counts too, and the standard errors say how much
is left.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.delay import DelaySettings, delay_s
from lean_trim.core.drive.film import GAP_S, film_of
from lean_trim.core.drive.frame import Frame
from lean_trim.core.estimation.film_fit import FilmEstimate
from lean_trim.core.estimation.searching import lowest_near
from lean_trim.core.estimation.trust import fading
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints, Mask


class Say:
    """Sentences of this module."""

    DISAGREE = Message("delay_fit.disagree", "the quick changes do not agree on a delay")
    BY_HAND = Message("delay_fit.by_hand", "set by hand")
    TOO_FEW = Message(
        "delay_fit.too_few", "only {count} quick changes of mixture, {needed} are needed"
    )


WINDOWS = 60
"""Moments that are laid over each other; more say the same, and each costs."""
LEAD_S = 1.2
"""Seen before a moment, s: its level."""
TAIL_S = 2.5
"""Seen after it, s: longer than any delay."""
STEP = 0.08
"""Change of fuel per air that makes a moment, as a share."""
HUBER = 0.05
"""Residual of λ from which a reading loses influence, as a share."""
MOST_X = 0.6
"""Largest share of the fuel that joins a film."""
FEWEST = 6
"""Moments below which the delay stays as it was set."""
BOUNDS = np.array([[np.log(0.2), np.log(0.01), 0.3], [np.log(40.0), np.log(0.99), 2.5]])
"""Allowed log exhaust volume (L), log sensor time constant (s; old sensors are slow) and engine
cycles."""
CYCLES = 2
"""Their place among the three."""
BEFOREHAND = np.array([0.8, 0.6, 0.3])
"""Standard deviations about the vehicle's volume, the usual sensor and one cycle, before any
driving (common
practice, no source).
"""
UNSURE_S = (0.045, 0.08)
"""Standard error of the delay at middling flow up to which it is believed, and from which the
defaults are better kept, s."""
WORSE = (0.995, 1.01)
"""Difference that is left over that with the defaults, up to which the fit is believed, and from
which it told wrong."""
AT_END = (0.1, 0.02)
"""Distance from a bound, in the unit of the search, down to which the fit is believed, and from
which the log did not tell."""
LEAST_TRUST = 0.02
"""Less of a fit is none."""
DOUBT = 0.25
"""Relative error that more driving cannot remove (a pipe is no plug flow, a sensor no plain lag),
seen on
simulated cars.
"""


@dataclass(frozen=True)
class DelayEstimate:
    """Result of the matching.

    ``settings`` is what is to be used; ``estimated`` False means the defaults were kept.

    ``moments`` counts the quick changes looked at; ``misfit_before`` and ``misfit_after`` are the
    mean absolute differences of equivalence ratio with the defaults and with the estimate; the
    standard errors are NaN if kept. ``total_se_s`` is that of the delay itself at middling flow,
    which is known better than its parts.
    """

    settings: DelaySettings
    estimated: bool
    volume_se_l: float = np.nan
    sensor_se_s: float = np.nan
    moments: int = 0
    misfit_before: float = np.nan
    misfit_after: float = np.nan
    note: str = ""
    cycles_se: float = np.nan
    total_se_s: float = np.nan


@dataclass(frozen=True, eq=False)
class Moments:
    """Samples around quick changes: cylinder and measured equivalence ratio, and what the delay depends on.

    ``start`` (windows,) is when each change began; ``time`` runs on from window to window, far
    apart.
    """

    time: Floats
    phi: Floats
    measured: Floats
    cycle_s: Floats
    per_litre_s: Floats
    judged: Mask
    window: Ints
    start: Floats


def estimate_delay(
    frame: Frame, settings: DelaySettings, k: Floats, film: FilmEstimate | None = None
) -> DelayEstimate:
    """Exhaust volume and sensor constant from the log; the given settings where the log does not tell.

    ``k``, shape (n,), is the factor by which the airflow table is wrong along the log, as known so
    far: an error of the table would be mistaken for an early or late answer. A volume the user has
    set is kept.

    Parameters
    ----------
    frame : a log seen through its calibration.
    settings : where the search begins, and what is kept if the log does not tell.
    k : factor by which the airflow table is wrong along the log, as known so far, shape (n,).
    film : the wall film as known so far; the usual one if None.

    Returns
    -------
    What is to be used, with errors and the number of changes looked at.
    """
    volume = (
        frame.vehicle.exhaust_volume_l
        if settings.exhaust_volume_l is None
        else settings.exhaust_volume_l
    )
    fixed = replace(settings, exhaust_volume_l=volume)
    if settings.exhaust_volume_l is not None:
        return DelayEstimate(fixed, False, note=str(Say.BY_HAND()))
    moments = find_moments(frame, k, film or FilmEstimate())
    count = 0 if moments is None else int(moments.window.max()) + 1
    if moments is None or count < FEWEST:
        return DelayEstimate(
            fixed, False, moments=count, note=str(Say.TOO_FEW(count=count, needed=FEWEST))
        )
    return _fit(moments, fixed, volume, count)


def _fit(moments: Moments, fixed: DelaySettings, volume: float, count: int) -> DelayEstimate:
    start = np.array([np.log(max(volume, 0.5)), np.log(max(fixed.sensor_s, 0.02)), fixed.cycles])
    low, high = BOUNDS
    # The data alone first, with the cycles given: all three at once would wander along their sum.
    theta = _search(moments, start, start, 0.0)
    worth = _information(moments, theta)
    # How much the data is worth shows only near the answer, so the prior is weighed in afterwards.
    if worth is not None:
        theta = _search(moments, theta, start, worth)
    covariance = _covariance(moments, theta, worth)
    before = _misfit(moments, start)
    after = _misfit(moments, theta)
    # Of volume and sensor; cycles end where nature does, and the volume makes up for what is cut
    # off.
    at_end = float(np.min(np.minimum(theta - low, high - theta)[:CYCLES]))
    # The sum is known better than its parts; its error is what decides whether to believe it.
    slope = np.array(
        [np.exp(theta[0]) * moments.per_litre_s.mean(), np.exp(theta[1]), moments.cycle_s.mean()]
    )
    total = float(np.sqrt(slope @ covariance @ slope))
    # At a bound the log did not tell; worse than the defaults it told wrong.
    trust = (
        fading(at_end, *AT_END)
        * fading(total, *UNSURE_S)
        * fading(after / max(before, 1e-12), *WORSE)
    )
    if trust < LEAST_TRUST:
        return DelayEstimate(
            fixed, False, np.nan, np.nan, count, before, before, str(Say.DISAGREE())
        )
    theta = start + trust * (theta - start)
    best = float(np.exp(theta[0])), float(np.exp(theta[1])), float(theta[2])
    settings = replace(fixed, exhaust_volume_l=best[0], sensor_s=best[1], cycles=best[2])
    # No amount of driving makes a pipe a plug flow, so part of the doubt never averages out.
    deviation = np.sqrt(np.diag(covariance) + DOUBT**2)
    return DelayEstimate(
        settings,
        True,
        best[0] * float(deviation[0]),
        best[1] * float(deviation[1]),
        count,
        before,
        after,
        cycles_se=float(deviation[2]),
        total_se_s=total,
    )


def _search(moments: Moments, theta: Floats, centre: Floats, worth: float) -> Floats:
    """Lowest loss, of the data against what is known beforehand.

    Without ``worth`` of the data alone, with the cycles given.
    """
    low, high = BOUNDS
    free = 2 if worth == 0.0 else 3

    def whole(part: Floats) -> Floats:
        return np.clip(np.append(part, centre[free:]), low, high)

    def cost(part: Floats) -> float:
        at = whole(part)
        prior = 0.5 * float(np.sum(((at - centre) / BEFOREHAND) ** 2)) if worth else 0.0
        return (worth or 1.0) * float(_losses(moments, at).sum()) + prior

    # Loss over log volume has side valleys, where the answer is late by a whole change.
    tries = [
        theta[:free] + np.eye(free)[0] * shift
        for shift in ((0.0, 0.8, -0.8) if worth == 0.0 else (0.0,))
    ]
    simplex = np.vstack(
        [min(tries, key=cost) + d for d in (np.zeros(free), *(0.15 * np.eye(free)))]
    )
    return whole(lowest_near(cost, simplex, 0.01, 1e-3 if worth else 1e-4, 90))


def cylinder_phi(frame: Frame, film: FilmEstimate) -> Floats:
    """Equivalence ratio in the cylinder as injection, trims and the wall film have it, shape (n,).

    0 in a fuel cut.

    Parameters
    ----------
    frame : a log seen through its calibration.
    film : share and time constant of the wall film.

    Returns
    -------
    0 to 3, shape (n,).
    """
    share = min(max(film.share, 0.0), MOST_X)
    reaching = film_of(frame, film.tau_s).reaching(share)
    # Below this the engine stands and the ratio would mean nothing.
    air = np.maximum(np.nan_to_num(frame.flow_g_per_s, nan=1.0), 0.05)
    return np.clip(reaching / air, 0.0, 3.0)


def find_moments(frame: Frame, k: Floats, film: FilmEstimate) -> Moments | None:
    """The quick changes of mixture in a log, at most 60 evenly taken; None if there are none.

    ``k`` as in ``estimate_delay``.

    Parameters
    ----------
    frame : a log seen through its calibration.
    k : factor by which the airflow table is wrong along the log, shape (n,).
    film : share and time constant of the wall film.

    Returns
    -------
    Samples around the changes, or None.
    """
    from lean_trim.core.kernels.log_loops import onsets

    log = frame.log
    time = log.time_s
    phi = cylinder_phi(frame, film) / np.clip(np.nan_to_num(k, nan=1.0), 0.5, 2.0)
    ahead = np.minimum(np.searchsorted(time, time + 0.25), len(time) - 1)
    running = (log[Role.RPM] > 500.0) & (log.get(Role.COOLANT, 90.0) > 50.0)
    # The first half minute is the sensor heating up.
    quick = (np.abs(phi[ahead] - phi) > STEP) & running & (time > time[0] + 30.0)
    starts = time[onsets(quick, time, 2.0)]
    if len(starts) > WINDOWS:
        starts = starts[np.linspace(0, len(starts) - 1, WINDOWS).astype(int)]
    if not len(starts):
        return None
    first = np.searchsorted(time, starts - LEAD_S)
    last = np.searchsorted(time, starts + TAIL_S, "right")
    parts = [np.arange(a, b) for a, b in zip(first, last, strict=True)]
    index = np.concatenate(parts)
    window = np.repeat(np.arange(len(parts)), [len(p) for p in parts])
    unit = delay_s(frame, DelaySettings(0.0, 1.0, 0.0))
    with np.errstate(divide="ignore", invalid="ignore"):
        measured = 1.0 / log[Role.LAMBDA][index]
    judged = np.isfinite(measured) & (time[index] > (starts - 0.1)[window])
    # Windows are set so far apart that neither lag nor interpolation reaches from one to the next.
    shift = window * 100.0 - starts[window]
    rpm = np.maximum(np.nan_to_num(log[Role.RPM][index]), 300.0)
    return Moments(
        time[index] + shift,
        phi[index],
        np.nan_to_num(measured, nan=1.0),
        120.0 / rpm,
        unit[index],
        judged,
        window,
        starts,
    )


def sensor_response(moments: Moments, theta: Floats) -> Floats:
    """What the sensor would show for log exhaust volume, log time constant and cycles.

    Parameters
    ----------
    moments : samples around quick changes.
    theta : log exhaust volume, log sensor constant, cycles.

    Returns
    -------
    Equivalence ratio at every sample of the moments.
    """
    from lean_trim.core.kernels.log_loops import lag

    arrival = np.maximum.accumulate(
        moments.time + theta[2] * moments.cycle_s + np.exp(theta[0]) * moments.per_litre_s
    )
    return lag(
        moments.time, np.interp(moments.time, arrival, moments.phi), float(np.exp(theta[1])), GAP_S
    )


def _difference(moments: Moments, theta: Floats) -> Floats:
    """Shown minus measured, both within what the sensor can show; 0 outside the judged samples."""
    low = 1.0 / 1.33
    high = 1.0 / 0.67
    return np.where(
        moments.judged,
        np.clip(sensor_response(moments, theta), low, high) - np.clip(moments.measured, low, high),
        0.0,
    )


def _losses(moments: Moments, theta: Floats) -> Floats:
    """Huber loss of each window."""
    gap = np.abs(_difference(moments, theta))
    loss = np.where(gap < HUBER, 0.5 * gap**2, HUBER * (gap - 0.5 * HUBER)) / HUBER**2
    total: Floats = np.asarray(np.bincount(moments.window, loss), np.float64)
    return total


def _misfit(moments: Moments, theta: Floats) -> float:
    return float(np.abs(_difference(moments, theta)).sum() / max(int(moments.judged.sum()), 1))


def _derivatives(moments: Moments, theta: Floats, step: float = 0.05) -> tuple[Floats, Floats]:
    """Slope of every window's loss and bend of the summed loss.

    Shapes (parameters, windows) and (parameters, parameters).
    """
    eye = np.eye(len(theta)) * step
    n = len(theta)
    plus, minus = (np.array([_losses(moments, theta + s * e) for e in eye]) for s in (1.0, -1.0))
    centre = _losses(moments, theta).sum()
    bend = np.empty((n, n))
    for i in range(n):
        # Differences, because the loss is piecewise in the data and has no tidy derivative.
        bend[i, i] = (plus[i].sum() - 2 * centre + minus[i].sum()) / step**2
        for j in range(i):
            corners = [
                _losses(moments, theta + a * eye[i] + b * eye[j]).sum() * a * b
                for a in (1, -1)
                for b in (1, -1)
            ]
            bend[i, j] = bend[j, i] = sum(corners) / (4 * step**2)
    return (plus - minus) / (2 * step), bend


def _information(moments: Moments, theta: Floats) -> float | None:
    """How much a unit of loss is worth as log likelihood, from how the windows disagree.

    None if they do not tell.
    """
    slopes, bend = _derivatives(moments, theta)
    spread = float(np.sum(slopes**2))
    return float(np.trace(bend)) / spread if spread > 0.0 and np.trace(bend) > 0.0 else None


def _covariance(moments: Moments, theta: Floats, worth: float | None) -> Floats:
    """Covariance of log volume, log constant and cycles: of the data together with what is known beforehand.

    Along directions in which the loss does not rise the data say nothing, and only what is known
    beforehand limits the error.
    """
    known = np.diag(1.0 / BEFOREHAND**2)
    if worth is not None:
        values, vectors = np.linalg.eigh(_derivatives(moments, theta)[1])
        known = known + worth * (vectors * np.maximum(values, 0.0)) @ vectors.T
    return np.asarray(np.linalg.inv(known), np.float64)
