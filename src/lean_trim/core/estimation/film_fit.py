"""Read the wall film's time constant from the log: how k strays while fuelling rises, falls and comes back.

After a first solve the table is known well enough that what k does in quick changes and after fuel
cuts is the film's. Per time constant the film's share X is linear; the time constant that explains
these events best is taken, if they agree on one. The sieve leaves most of them out of the table's
evidence, so nothing is counted twice.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import as_loop, extend_mask
from lean_trim.core.drive.film import (
    DEFAULT_TAU_S,
    GAP_S,
    USUAL_QUICKER,
    USUAL_SHARE,
    Film,
    film_of,
    time_constant,
)
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.regimes import fuel_cut
from lean_trim.core.estimation.trust import fading
from lean_trim.core.types import Floats, Ints, Mask

TAUS_S = np.array([0.12, 0.17, 0.23, 0.3, 0.4, 0.53, 0.7, 0.95, 1.3])
"""Time constants tried, s; the best is refined between its neighbours."""
STIRRED = 0.03
"""Uptake from which the film is at work."""
LEAD_S = 2.0
"""Taken before the film is at work, s."""
TAIL_S = 1.5
"""Taken after it, s: several time constants."""
LONGEST_S = 10.0
"""Longer stirring is several events: so much of it says something of its own, s."""
MOST_ROWS = 60_000
"""Rows that are judged; whole events of longer logs are left out."""
FEWEST_EVENTS = (10.0, 5.0)
"""Events from which the log is believed about the time constant, and down to which the usual one is
kept."""
HUBER = 0.02
"""Residual of k from which a sample loses influence, as a share."""
WILDEST = 0.35
"""Residual above which a sample is no film at all."""
WARM_C = 60.0
"""Coolant from which the film is that of a warm engine, °C."""
PRIOR_LOG = 0.5
"""Standard deviation of the logarithm of the time constant about the default, before any
driving."""
DOUBT_LOG = 0.15
"""Part of the error no driving removes: both share and time constant change with load (simulated
cars)."""
UNSURE_LOG = (0.22, 0.4)
"""Standard error of the logarithm up to which it is believed, and from which the default is better
kept."""
LEAST_TRUST = 0.02
"""Less of a fit is none."""


@dataclass(frozen=True)
class FilmEstimate:
    """Time constant of the wall film, s, with its standard error (NaN where the default was kept).

    ``share`` is X at that time constant as the events show it, ``events`` how many there were.
    """

    tau_s: float = DEFAULT_TAU_S
    tau_se_s: float = np.nan
    share: float = USUAL_SHARE
    events: int = 0

    @property
    def estimated(self) -> bool:
        """True if the log told the time constant."""
        return bool(np.isfinite(self.tau_se_s))


@dataclass(frozen=True, eq=False)
class _Events:
    """Rows around events: time, fuel, residual, which may be judged, and number of the event.

    ``flow`` is injected, ``joins`` of it the part that joins the film, ``rate`` the time constant
    over that at 2000 rpm.
    """

    time: Floats
    flow: Floats
    joins: Floats
    rate: Floats
    left: Floats
    judged: Mask
    event: Ints


def estimate_film(frame: Frame, left: Floats, may: Mask) -> FilmEstimate:
    """Time constant of the wall film from quick changes of fuelling.

    Parameters
    ----------
    frame : a log seen through its calibration.
    left : k less what the table and all other terms explain, less 1, shape (n,), NaN where unknown.
    may : samples that nothing but quick fuelling speaks against, shape (n,).

    Returns
    -------
    The estimate; the default where the events do not agree on one.
    """
    events = _find(frame, left, may)
    count = 0 if events is None else int(events.event.max()) + 1
    enough = fading(float(count), *FEWEST_EVENTS)
    if events is None or enough < LEAST_TRUST:
        return FilmEstimate(events=count)
    tried = np.log(TAUS_S)
    losses = np.array([_loss(events, t).sum() + _prior(events, t) for t in tried])
    best = int(np.argmin(losses))
    # At an end of the range the log did not tell.
    if best in (0, len(tried) - 1):
        return FilmEstimate(events=count)
    at = _vertex(tried[best - 1 : best + 2], losses[best - 1 : best + 2])
    error = _error(events, at)
    # Towards an end of the range it tells less and less.
    inside = min(fading(at, tried[1], tried[0]), fading(at, tried[-2], tried[-1]))
    trust = enough * inside * fading(error, *UNSURE_LOG)
    if trust < LEAST_TRUST:
        return FilmEstimate(share=_share(events, np.log(DEFAULT_TAU_S))[0], events=count)
    at = float(np.log(DEFAULT_TAU_S) + trust * (at - np.log(DEFAULT_TAU_S)))
    tau = float(np.exp(at))
    return FilmEstimate(tau, tau * float(np.hypot(error, DOUBT_LOG)), _share(events, at)[0], count)


def _find(frame: Frame, left: Floats, may: Mask) -> _Events | None:
    log = frame.log
    film = film_of(frame)
    stirred = np.abs(film.withheld) > STIRRED
    rows = np.flatnonzero(extend_mask(stirred, log.time_s, LEAD_S, TAIL_S))
    if not len(rows):
        return None
    time = log.time_s[rows]
    spell = np.concatenate([[0], np.cumsum(np.diff(time) > 5.0 * log.step_s)])
    every = int(np.ceil(len(rows) / MOST_ROWS))
    # Whole spells are left out of a long log, never parts of one: a film is settled where one
    # begins.
    keep = spell % every == 0
    rows = rows[keep]
    time = time[keep]
    spell = spell[keep]
    since = time - time[np.searchsorted(spell, spell)]
    piece = np.floor(since / LONGEST_S)
    begins = (np.diff(spell) != 0) | (np.diff(piece) != 0)
    event = np.concatenate([[0], np.cumsum(begins)])
    warm = ~(log.get(Role.COOLANT)[rows] < WARM_C)
    with np.errstate(invalid="ignore"):
        judged = may[rows] & warm & ~fuel_cut(frame)[rows] & (np.abs(left[rows]) < WILDEST)
    # Spells are set so far apart that no lag reaches from one to the next.
    apart = as_loop(time + 10.0 * GAP_S * spell)
    rate = time_constant(held(log[Role.RPM]), 1.0, USUAL_QUICKER)
    return _Events(
        time=apart,
        flow=as_loop(film.flow[rows]),
        joins=as_loop(film.joins[rows]),
        rate=as_loop(rate[rows]),
        left=np.nan_to_num(left[rows]),
        judged=judged,
        event=event,
    )


def _uptake(events: _Events, log_tau: float) -> Floats:
    from lean_trim.core.kernels.fuel_loops import evaporated

    tau = float(np.exp(log_tau)) * events.rate
    leaves = evaporated(events.time, events.joins, tau, GAP_S)
    return Film(events.flow, events.joins, leaves).withheld


def _share(events: _Events, log_tau: float) -> tuple[float, Floats]:
    """Robust share X at a time constant, and the residuals it leaves in the judged rows."""
    uptake = _uptake(events, log_tau)[events.judged]
    left = events.left[events.judged]
    share = USUAL_SHARE
    for _ in range(6):
        weight = np.minimum(1.0, HUBER / np.maximum(np.abs(left - share * uptake), 1e-9))
        power = float(np.sum(weight * uptake**2))
        share = float(np.sum(weight * uptake * left)) / power if power > 0.0 else 0.0
    return share, left - share * uptake


def _loss(events: _Events, log_tau: float) -> Floats:
    """Huber loss of each event."""
    gap = np.abs(_share(events, log_tau)[1])
    loss = np.where(gap < HUBER, 0.5 * gap**2, HUBER * (gap - 0.5 * HUBER)) / HUBER**2
    count = int(events.event.max()) + 1
    return np.asarray(np.bincount(events.event[events.judged], loss, count), np.float64)


def _prior(events: _Events, log_tau: float) -> float:
    """What is known beforehand, in the unit of the loss: a log's samples say the same several times over."""
    rows = max(1.0, float(events.judged.sum()) / (int(events.event.max()) + 1) / 10.0)
    return 0.5 * rows * float((log_tau - np.log(DEFAULT_TAU_S)) / PRIOR_LOG) ** 2


def _vertex(x: Floats, y: Floats) -> float:
    """Lowest point of the parabola through three points around a minimum."""
    bend, tilt, _ = np.polyfit(x - x[1], y, 2)
    if bend <= 0.0:
        return float(x[1])
    return float(x[1] + np.clip(-tilt / (2.0 * bend), x[0] - x[1], x[2] - x[1]))


def _error(events: _Events, log_tau: float, step: float = 0.15) -> float:
    """Standard error of the logarithm, from how the events disagree (the sandwich of a robust fit)."""
    below, centre, above = (_loss(events, log_tau + d) for d in (-step, 0.0, step))
    bend = float((below - 2.0 * centre + above).sum()) / step**2
    slopes = (above - below) / (2.0 * step)
    return float(np.sqrt(np.sum(slopes**2))) / bend if bend > 0.0 else np.inf
