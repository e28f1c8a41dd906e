"""The wall film of a cold engine: more of it, and slower; read from quick changes before it is warm.

Pipe, sensor and lag of MAP are those of the warm drive. What a cold engine is fuelled with and
burns is not known well, so every change has a wide gain of its own, and only its course tells the
film.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.film import MIDDLE_KPA
from lean_trim.core.transients.quick_changes import QuickChanges
from lean_trim.core.transients.wall_film import (
    DOUBT_SHARE,
    SHARE,
    SLOPE,
    TAU,
    WallFilm,
    fuelled,
    residual,
)
from lean_trim.core.types import Floats

FEWEST = 4
"""Quick changes below which nothing is told of the cold film: two unknowns."""
SPREAD = np.array([0.5, 0.25])
"""Standard deviations about the warm film, of the logarithm of τ and of X (common practice, no
source)."""
STEPS = np.array([0.2, 0.05])
GAIN = 0.1
"""Standard deviation of what is wrong at the place of one change: warm-up is never as well known as
the table."""
MOST_GAIN = 0.3
"""Largest such error that is taken out of one change, as a share."""
DOUBT_COLD = 0.03
DOUBT_COLD_LOG_TAU = 0.14
"""What warming up meanwhile leaves out, of X and of the logarithm of τ (a trial on random cold
starts)."""
UNSURE_SHARE = 0.1
"""Standard error of X from which nothing is told."""
UNSURE_LOG_TAU = 0.4
"""Standard error of ln τ from which nothing is told."""
MOST_EVALUATIONS = 40
"""Of the model by one search; nearly all end before."""


@dataclass(frozen=True)
class ColdFilm:
    """The film before the engine is warm.

    Attributes
    ----------
    coolant_c : mean over the changes.
    share, share_se : X at the warm film's manifold pressure.
    tau_s, tau_se_s : time constant of evaporation.
    windows : quick changes that were used.
    """

    coolant_c: float
    share: float
    share_se: float
    tau_s: float
    tau_se_s: float
    windows: int


def fit_cold_film(
    changes: QuickChanges | None, coolant_c: Floats, warm: WallFilm
) -> ColdFilm | None:
    """Read the film of a cold engine.

    Parameters
    ----------
    changes : of the cold part of a drive, None without any.
    coolant_c : at every judged row of them, shape (j,).
    warm : film of the warm engine, ``known``.

    Returns
    -------
    None where the drive does not tell.
    """
    count = 0 if changes is None else len(np.unique(changes.window))
    if changes is None or count < FEWEST:
        return None
    from scipy.optimize import least_squares

    began = np.array([warm.theta[TAU], warm.theta[SHARE]])

    def theta_of(values: Floats) -> Floats:
        out = warm.theta.copy()
        # More of it at every load, in the same proportion.
        out[TAU], out[SHARE] = values
        out[SLOPE] *= values[1] / max(began[1], 0.02)
        return out

    def off(values: Floats) -> Floats:
        apart = residual(changes, theta_of(values), GAIN, MOST_GAIN)
        return np.concatenate([apart, (values - began) / SPREAD])

    found = least_squares(
        off, began, x_scale=STEPS, diff_step=np.full(2, 1e-3), max_nfev=MOST_EVALUATIONS
    )
    covariance = _covariance(changes, np.asarray(found.jac, float), np.asarray(found.fun))
    return _read(changes, coolant_c, warm, theta_of(np.asarray(found.x)), covariance, count)


def _covariance(changes: QuickChanges, jacobian: Floats, fun: Floats) -> Floats:
    """From how the changes disagree."""
    rows = len(changes.judged)
    score = np.zeros((changes.windows, 2))
    np.add.at(score, changes.window, jacobian[:rows] * fun[:rows, None])
    inverse = np.linalg.inv(jacobian.T @ jacobian)
    return np.asarray(inverse @ (score.T @ score + np.diag(SPREAD**-2.0)) @ inverse)


def _read(
    changes: QuickChanges,
    coolant_c: Floats,
    warm: WallFilm,
    theta: Floats,
    covariance: Floats,
    count: int,
) -> ColdFilm | None:
    fuelled_rows = np.isin(changes.judged, fuelled(changes)) & np.isfinite(coolant_c)
    if not fuelled_rows.any():
        return None
    along = (warm.map_kpa - MIDDLE_KPA) / 100.0
    share = float(theta[SHARE] + theta[SLOPE] * along)
    constant, part = DOUBT_SHARE
    doubt = np.hypot(np.hypot(constant, DOUBT_COLD), part * share)
    share_se = float(np.hypot(np.sqrt(covariance[1, 1]), doubt))
    log_se = float(np.hypot(np.sqrt(covariance[0, 0]), DOUBT_COLD_LOG_TAU))
    if share_se > UNSURE_SHARE or log_se > UNSURE_LOG_TAU:
        return None
    # At the engine speeds the warm film speaks of.
    tau = float(warm.tau_s * np.exp(theta[TAU] - warm.theta[TAU]))
    return ColdFilm(
        float(coolant_c[fuelled_rows].mean()), share, share_se, tau, tau * log_se, count
    )
