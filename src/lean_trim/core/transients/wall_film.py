"""Wall film, pipe and sensor read together from the quick changes of a drive.

What was injected, its share X on the walls, evaporating with τ, gives the mixture in the cylinder.
That leaves with the exhaust a cycle later, is pushed through the pipe by the gas after it and is
shown by a first-order sensor. The parameters that bring this to what was measured are the estimate.
MAP that answers late passes for a film (fuel then follows air late), so its lag is one of them;
changes of fuel alone, at steady MAP, tell the two apart. Errors come from how the changes disagree,
and from what the model leaves out.

References
----------
Aquino, SAE 810494 (the film; from memory). Huber, *Robust Statistics*, 1981 (errors of clustered
data, from memory).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from lean_trim.core.drive.delay import DelaySettings, pushed_through
from lean_trim.core.drive.film import (
    DEFAULT_TAU_S,
    GAP_S,
    MIDDLE_KPA,
    MIDDLE_RPM,
    MOST_SHARE,
    USUAL_QUICKER,
    USUAL_SHARE,
    USUAL_SLOPE,
    share_at,
    time_constant,
)
from lean_trim.core.messages import Message, Said
from lean_trim.core.transients.quick_changes import QuickChanges, Rows
from lean_trim.core.types import Floats, Ints

if TYPE_CHECKING:
    from scipy.optimize import OptimizeResult


class Say:
    """Sentences of this module."""

    TOO_FEW = Message(
        "wall_film.too_few",
        "only {count} quick changes of mixture, {needed} are needed: lift off and go back on the "
        "throttle a few times with the engine warm",
    )
    UNSURE = Message("wall_film.unsure", "the quick changes do not agree on a film")


VOLUME, SENSOR, CYCLES, TAU, SHARE, SLOPE, MAP_LAG, QUICKER = range(8)
"""Logarithms of exhaust volume (L), sensor constant (s); cycles; logarithm of τ (s) at
``MIDDLE_RPM``; X at
``MIDDLE_KPA``; its rise per 100 kPa; lag of MAP (s); fall of the logarithm of τ per 1000 rpm."""
BEFOREHAND = np.array([0.5, 0.4, 0.3, 0.5, 0.3, 0.1, 0.08, 0.08])
"""Standard deviations about what a solve says of the pipe and the usual film (common practice, no
source)."""
STEPS = np.array([0.1, 0.2, 0.1, 0.2, 0.05, 0.05, 0.02, 0.05])
"""Scale of one step of the search in each parameter, in its own unit; the least is the same."""
FEWEST = 6
"""Quick changes below which no film is told (a choice: eight parameters with priors)."""
NOISE = 0.012
"""Standard deviation of one reading of λ about the model, as a share (common practice, no
source)."""
ALIKE_ROWS = 10.0
"""Rows that say the same."""
WILD = 3.0
"""In units of the noise; beyond it a row loses influence."""
FAR = 0.04
"""Gap of λ, as a share, at which a row counts half where the gain of a change is read."""
GAIN = 0.03
"""Standard deviation of what the table may still be off at the place of one change."""
MOST_GAIN = 0.08
"""Largest error of the table that is taken out of one change, as a share."""
SENSOR_ENDS = (1.0 / 1.33, 1.0 / 0.67)
"""1 / λ beyond which readings are taken as the end of a sensor of 0.67 to 1.33."""
MOST_EVALUATIONS = 40
"""Of the model by one search; nearly all end before."""
TRIED_ON = 20
"""Changes on which the beginnings are tried."""
LATE_MAP_S = 0.05
"""Lag of a slow pressure sensor, where one search begins, s."""
LONGER_PIPE = 2.5
"""Times the exhaust volume a solve says, where another begins."""
QUICK_SENSOR_S = 0.08
"""Other places to begin from: a slow pressure sensor, and a long pipe with a quick lambda
sensor."""
AHEAD = (-0.6, 2.0)
"""By how much the manifold may be ahead of its logged pressure."""
DOUBT_SHARE = (0.01, 0.04)
DOUBT_METERED = 0.02
DOUBT_LOG_TAU = 0.09
"""What more driving cannot remove: a constant and a part of X, more of it where air is measured
ahead of the
manifold, and of the logarithm of τ (a trial on random cars, where both depend on more than is
fitted)."""
UNSURE_SHARE = 0.12
"""Standard error of X from which the usual film is kept."""
UNSURE_LOG_TAU = 0.6
"""Standard error of ln τ from which it is kept."""
FUELLED_RPM = 1100.0
"""Engine speed above which fuelled samples make the means that are told, as for a fuel cut."""


@dataclass(frozen=True, eq=False)
class WallFilm:
    """What a drive says of the film.

    Attributes
    ----------
    share, share_se : X at ``map_kpa``, the mean over the changes' fuelled samples above 1100 rpm.
    tau_s, tau_se_s : time constant of evaporation, the mean over the same samples.
    slope, slope_se : rise of X per 100 kPa.
    map_lag_s, map_lag_se_s : how late MAP follows the manifold; below 0 where fuel leads air.
    windows : quick changes that were used.
    known : False where the drive does not tell; the values then are the usual ones and ``why`` says
        so.
    theta : parameters in the order of ``VOLUME`` … ``QUICKER``, shape (8,).
    """

    share: float
    share_se: float
    tau_s: float
    tau_se_s: float
    slope: float
    slope_se: float
    map_kpa: float
    map_lag_s: float
    map_lag_se_s: float
    windows: int
    known: bool
    theta: Floats
    why: Said | None = None

    @property
    def falls(self) -> float:
        """Part by which the time constant falls per 1000 rpm, about 2000 rpm."""
        return float(1.0 - np.exp(-self.theta[QUICKER]))

    def share_at(self, map_kpa: float) -> float:
        """X at a manifold pressure, 0 to ``MOST_SHARE``.

        Parameters
        ----------
        map_kpa : kPa.

        Returns
        -------
        Share of the fuel.
        """
        return float(
            np.clip(self.share + self.slope * (map_kpa - self.map_kpa) / 100.0, 0.0, MOST_SHARE)
        )


def fit_wall_film(changes: QuickChanges | None, delay: DelaySettings) -> WallFilm:
    """Read film, pipe and sensor from quick changes.

    Parameters
    ----------
    changes : of a drive, None without any.
    delay : as a solve reads it; where the search begins.

    Returns
    -------
    The film; ``known`` is False where they are too few or do not agree.
    """
    count = 0 if changes is None else len(np.unique(changes.window))
    usual = _beforehand(delay)
    if changes is None or count < FEWEST:
        return _usual(usual, count, Say.TOO_FEW(count=count, needed=FEWEST))
    theta, covariance = _search(changes, usual)
    return _read(changes, theta, covariance, usual, count)


def no_film(delay: DelaySettings, why: Said) -> WallFilm:
    """The usual film, where a log cannot tell.

    Returns not ``known``.
    """
    return _usual(_beforehand(delay), 0, why)


def _beforehand(delay: DelaySettings) -> Floats:
    volume = 3.0 if delay.exhaust_volume_l is None else delay.exhaust_volume_l
    return np.array(
        [
            np.log(max(volume, 0.2)),
            np.log(max(delay.sensor_s, 0.01)),
            delay.cycles,
            np.log(DEFAULT_TAU_S),
            USUAL_SHARE,
            USUAL_SLOPE,
            0.0,
            USUAL_QUICKER,
        ]
    )


def _read(
    changes: QuickChanges, theta: Floats, covariance: Floats, usual: Floats, count: int
) -> WallFilm:
    at = fuelled(changes)
    middle = float(changes.rows.map_kpa[at].mean()) if len(at) else MIDDLE_KPA
    along = np.array([1.0, (middle - MIDDLE_KPA) / 100.0])
    both = covariance[SHARE : SLOPE + 1, SHARE : SLOPE + 1]
    share = float(theta[SHARE] + theta[SLOPE] * along[1])
    constant, part = DOUBT_SHARE
    doubt = np.array([constant, part * share, DOUBT_METERED if changes.metered else 0.0])
    share_se = float(np.sqrt(along @ both @ along + doubt @ doubt))
    # The film's time constant is that of the same rows, at their engine speeds.
    speed = np.array([1.0, -float(_faster(changes.rows)[at].mean()) if len(at) else 0.0])
    times = covariance[np.ix_((TAU, QUICKER), (TAU, QUICKER))]
    log_se = float(np.hypot(np.sqrt(speed @ times @ speed), DOUBT_LOG_TAU))
    if share_se > UNSURE_SHARE or log_se > UNSURE_LOG_TAU:
        return _usual(usual, count, Say.UNSURE())
    tau = float(film_tau(changes.rows, theta)[at].mean()) if len(at) else float(np.exp(theta[TAU]))
    return WallFilm(
        share=share,
        share_se=share_se,
        tau_s=tau,
        tau_se_s=tau * log_se,
        slope=float(theta[SLOPE]),
        slope_se=float(np.sqrt(covariance[SLOPE, SLOPE])),
        map_kpa=middle,
        map_lag_s=float(theta[MAP_LAG]),
        map_lag_se_s=float(np.sqrt(covariance[MAP_LAG, MAP_LAG])),
        windows=count,
        known=True,
        theta=theta,
    )


def _usual(theta: Floats, count: int, why: Said) -> WallFilm:
    nan = float("nan")
    return WallFilm(
        USUAL_SHARE,
        nan,
        DEFAULT_TAU_S,
        nan,
        USUAL_SLOPE,
        nan,
        MIDDLE_KPA,
        0.0,
        nan,
        count,
        False,
        theta,
        why,
    )


def fuelled(changes: QuickChanges) -> Ints:
    """Rows of the changes that were fuelled, above 1100 rpm: those a film's mean values speak of.

    Returns indices into its rows.
    """
    at = changes.judged
    return at[(changes.rows.fuel[at] > 0.0) & (changes.rows.cycle_s[at] < 120.0 / FUELLED_RPM)]


def film_share(rows: Rows, theta: Floats) -> Floats:
    """X along a drive.

    Parameters
    ----------
    rows : of a drive.
    theta : parameters, shape (8,).

    Returns
    -------
    0 to ``MOST_SHARE``, shape (r,).
    """
    return share_at(rows.map_kpa, theta[SHARE], theta[SLOPE])


def film_tau(rows: Rows, theta: Floats) -> Floats:
    """Time constant of evaporation along a drive: shorter the faster the engine turns.

    Parameters
    ----------
    rows : of a drive.
    theta : parameters, shape (8,).

    Returns
    -------
    s, shape (r,).
    """
    return time_constant(120.0 / rows.cycle_s, float(np.exp(theta[TAU])), theta[QUICKER])


def _faster(rows: Rows) -> Floats:
    """Engine speed above ``MIDDLE_RPM``, 1000 rpm."""
    return np.asarray((120.0 / rows.cycle_s - MIDDLE_RPM) / 1000.0)


def cylinder_mixture(rows: Rows, theta: Floats, fuel: Floats | None = None) -> Floats:
    """Fuel per air in the cylinder, 1 at the target's stoichiometry.

    Parameters
    ----------
    rows : of a drive.
    theta : parameters, shape (8,).
    fuel : other than was injected, shape (r,).

    Returns
    -------
    0 to 3, shape (r,).
    """
    from lean_trim.core.kernels.fuel_loops import evaporated

    injected = rows.fuel if fuel is None else fuel
    to_film = film_share(rows, theta) * injected
    from_film = evaporated(rows.time_s, to_film, film_tau(rows, theta), GAP_S)
    air = rows.air * (1.0 + np.clip(theta[MAP_LAG] * rows.rate, *AHEAD))
    return np.asarray(np.clip((injected - to_film + from_film) / air, 0.0, 3.0))


def arrives_s(rows: Rows, theta: Floats) -> Floats:
    """When the gas of each row reaches the sensor.

    Parameters
    ----------
    rows : of a drive.
    theta : parameters, shape (8,).

    Returns
    -------
    Times, s, shape (r,); infinite where the drive ends before.
    """
    leave = np.maximum.accumulate(rows.time_s + theta[CYCLES] * rows.cycle_s)
    return pushed_through(rows.time_s, leave, rows.pushed_l, float(np.exp(theta[VOLUME])))


def shown(rows: Rows, theta: Floats, mixture: Floats) -> Floats:
    """What the sensor shows of a mixture in the cylinder.

    Parameters
    ----------
    rows : of a drive.
    theta : parameters, shape (8,).
    mixture : fuel per air in the cylinder, shape (r,).

    Returns
    -------
    Fuel per air at the sensor, shape (r,).
    """
    time = rows.time_s
    arrival = np.maximum.accumulate(np.minimum(arrives_s(rows, theta), time[-1] + GAP_S))
    return _lagged(time, np.interp(time, arrival, mixture), float(np.exp(theta[SENSOR])))


def _lagged(time_s: Floats, values: Floats, constant_s: float) -> Floats:
    """A first-order lag of values joined by lines; the kernel's steps would be early by half a row."""
    from lean_trim.core.kernels.log_loops import lag

    between = np.append(values[:1], 0.5 * (values[:-1] + values[1:]))
    lagged: Floats = lag(time_s, between, constant_s, GAP_S)
    return lagged


def residual(
    changes: QuickChanges, theta: Floats, gain: float = GAIN, most_gain: float = MOST_GAIN
) -> Floats:
    """Shown less measured, each change allowed a gain of its own.

    Parameters
    ----------
    changes : of a drive.
    theta : parameters, shape (8,).
    gain, most_gain : standard deviation of such a gain, and the most it may be.

    Returns
    -------
    In units of the noise, so that its squares are to be least, shape (j,).
    """
    low, high = SENSOR_ENDS
    measured = np.clip(changes.measured, low, high)
    model = shown(changes.rows, theta, cylinder_mixture(changes.rows, theta))[changes.judged]
    gap = np.clip(model, low, high) - measured
    weight = ((model > low) & (model < high)) / (1.0 + (gap / FAR) ** 2)
    count = changes.windows
    above = np.bincount(changes.window, weight * model * (measured - model), count)
    power = np.bincount(changes.window, weight * model**2, count) + (NOISE / gain) ** 2 * ALIKE_ROWS
    own = np.clip(above / power, -most_gain, most_gain)[changes.window]
    off = (np.clip(model * (1.0 + own), low, high) - measured) / NOISE
    # The root of a smooth Huber loss, so that its square is what is minimised.
    loss = 2.0 * WILD**2 * (np.sqrt(1.0 + (off / WILD) ** 2) - 1.0)
    return np.asarray(np.sign(off) * np.sqrt(loss / ALIKE_ROWS))


def _begins(usual: Floats) -> tuple[Floats, ...]:
    """Where the search begins: lag, pipe and sensor stand for each other, and it may end in a hollow."""
    late = usual.copy()
    late[MAP_LAG] = LATE_MAP_S
    long = late.copy()
    long[VOLUME] += np.log(LONGER_PIPE)
    long[SENSOR] = np.log(QUICK_SENSOR_S)
    long[CYCLES] = 1.0
    return usual, late, long


def _search(changes: QuickChanges, usual: Floats) -> tuple[Floats, Floats]:
    """The parameters, and their covariance from how the changes disagree."""
    few = changes.some(TRIED_ON)
    # Which hollow is the deepest is seen from some of the changes, where it lies from all of them.
    tried = [_least(few, usual, begin) for begin in _begins(usual)]
    begin = np.asarray(min(tried, key=lambda t: float(t.cost)).x)
    found = _least(changes, usual, begin)
    jacobian = np.asarray(found.jac, float)
    rows = len(changes.judged)
    score = np.zeros((changes.windows, len(usual)))
    np.add.at(score, changes.window, jacobian[:rows] * np.asarray(found.fun)[:rows, None])
    inverse = np.linalg.inv(jacobian.T @ jacobian)
    spread = score.T @ score + np.diag(1.0 / BEFOREHAND**2)
    return np.asarray(found.x), np.asarray(inverse @ spread @ inverse)


def _least(changes: QuickChanges, usual: Floats, begin: Floats) -> OptimizeResult:
    """The nearest least of the misfit and what is known beforehand."""
    from scipy.optimize import least_squares

    def off(theta: Floats) -> Floats:
        return np.concatenate([residual(changes, theta), (theta - usual) / BEFOREHAND])

    return least_squares(
        off, begin, x_scale=STEPS, diff_step=np.full(len(usual), 1e-3), max_nfev=MOST_EVALUATIONS
    )
