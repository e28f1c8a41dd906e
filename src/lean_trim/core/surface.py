"""The second school: one robust surface through all samples, with the ECU's own interpolation weights.

Unknown is the relative correction c of every cell. A sample that reads cells j with weights w_j says
Σ w_j V_j (1 + c_j) = k · Σ w_j V_j. Two things are known beforehand: the correction is smooth, and the table that
results is smooth. How strongly each holds is read from the data by their marginal likelihood. SciPy is imported where it is used, so that
the window opens without waiting for it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .errors import LogError
from .estimate import Estimate
from .evidence import gather_evidence
from .observations import Observations
from .physics import Floats
from .smoothness import roughness
from .tables import Ints, Table

MIN_OBSERVATIONS = 20
WEAK = np.log([2.0**2, 2.0**2])
PLACES = 4
START_SCALE, START_INFLATION_S, SMALLEST_SCALE = 0.02, 1.0, 1e-4


@dataclass(frozen=True)
class SurfaceSettings:
    """Settings of the surface estimate.

    huber : residual, in robust standard deviations, from which a sample loses influence, 1 to 10.
    prior_pct : how wrong a cell may be before any driving (standard deviation), 1 to 100 %.
    max_error_pct : standard error above which a cell counts as not supported, 0.2 to 20 %.
    min_seconds : driving a cell needs to be changed, 0 to 60 s.
    max_iterations : of the robust fit, 1 to 50.
    model_error_pct : error that more driving cannot remove (sensor calibration, a surface no table can hold), one
        standard deviation, 0 to 5 %; common practice, no source.
    film_spread : standard deviation of the wall-film share X before any driving, 0.001 (switches it off) to 1; X lies
        between 0 and 0.5, common practice, no source.
    film_doubt : share of the wall-film correction that may be wrong, one standard deviation, 0 to 1.
    """

    huber: float = 2.0
    prior_pct: float = 20.0
    max_error_pct: float = 3.0
    min_seconds: float = 0.2
    max_iterations: int = 12
    model_error_pct: float = 0.5
    film_spread: float = 0.3
    film_doubt: float = 0.5


@dataclass(frozen=True, eq=False)
class _Normal:
    """Weighted normal equations: matrix, right side, sum of squares, total weight."""

    matrix: Floats
    right: Floats
    squares: float


def fit_surface(observations: Observations, table: Table, time_s: Floats, settings: SurfaceSettings) -> Estimate:
    """Robust surface estimate of the correction per cell.

    Raises
    ------
    LogError
        If fewer than 20 samples are left to fit.
    """
    if len(observations) < MIN_OBSERVATIONS:
        raise LogError(
            f"only {len(observations)} samples are left after sifting; at least {MIN_OBSERVATIONS} are needed. "
            "Drive longer in steady states, or look at the reasons in the sieve"
        )
    fit = _Fit(observations, table, settings)
    fit.iterate(WEAK, 3)
    for _ in range(2):
        theta = fit.prior.choose(fit.normal(), fit.unit, fit.theta)
        converged = fit.iterate(theta, settings.max_iterations)
    evidence = gather_evidence(observations, table, time_s)
    deviations = np.sqrt(np.maximum(np.diag(fit.covariance), 0.0))
    film_error = settings.film_doubt * fit.correction[-1] * film_by_cell(observations, table.size)
    error = np.sqrt(deviations[:-1] ** 2 + (settings.model_error_pct / 100) ** 2 + film_error**2).reshape(table.shape)
    supported = (evidence.seconds >= settings.min_seconds) & (100 * error <= settings.max_error_pct)
    correction, noise = fit.correction[:-1].reshape(table.shape), fit.scale * float(np.sqrt(fit.inflation))
    return Estimate(
        table, 100 * correction, 100 * error, evidence.seconds, evidence.visits, supported, 100 * noise, "surface",
        fit.iterations, converged, wall_x=float(fit.correction[-1]), wall_x_se=float(deviations[-1]),
    )  # fmt: skip


def film_by_cell(observations: Observations, size: int) -> Floats:
    """Mean wall-film excess of the samples behind each cell, flat; 0 without samples."""
    weight = observations.mesh.weights * observations.weight[:, None]
    cells = observations.mesh.cells.ravel()
    total = np.bincount(cells, weight.ravel(), size)
    film = np.bincount(cells, (weight * observations.film[:, None]).ravel(), size)
    return np.asarray(film / np.where(total > 0, total, 1.0))


class _Fit:
    """Iteratively reweighted least squares with the prior at given strengths.

    The noise and how long it stays correlated are first read from a fit that hardly smooths; read from a fit that
    smooths too much they would take its misfit for noise and confirm it.
    """

    def __init__(self, observations: Observations, table: Table, settings: SurfaceSettings) -> None:
        self.observations, self.settings = observations, settings
        self.cells, self.design = _design(observations, table)
        self.y = observations.k - 1.0
        self.prior = _Prior(table, settings.prior_pct / 100.0, settings.film_spread)
        self.robust, self.theta = np.ones(len(self.y)), WEAK
        self.correction = np.zeros(table.size + 1)
        self.covariance = np.zeros((table.size + 1, table.size + 1))
        self.scale, self.inflation, self.iterations = START_SCALE, START_INFLATION_S, 0
        self.solved: _Normal
        self.places, self.share, self.misfit = _places(observations), np.ones(len(self.y)), 0.0

    @property
    def unit(self) -> float:
        """Precision of one second of driving."""
        return 1.0 / (self.scale**2 * self.inflation)

    def normal(self) -> _Normal:
        """Normal equations with the present robust weights."""
        return self.normal_of(self.robust * self.share)

    def normal_of(self, trust: Floats) -> _Normal:
        """Normal equations with the observations' weights times ``trust``."""
        size, weight = len(self.correction) - 1, self.observations.weight * trust
        return _normal(self.cells, self.design, self.observations.film, self.y, weight, size)

    def iterate(self, theta: Floats, most: int) -> bool:
        """Fit until the correction moves less than 0.002 %, at most ``most`` times; True if it settled."""
        self.theta = theta
        for _ in range(most):
            self.iterations += 1
            self.solved = self.normal()
            new, self.covariance = self.prior.solve(self.solved, self.unit, theta)
            moved = float(np.max(np.abs(new - self.correction)))
            self.correction = new
            self._reweigh()
            if moved < 2e-5:
                return True
        return False

    def _reweigh(self) -> None:
        residual = self.y - _predict(self.cells, self.design, self.observations.film, self.correction)
        weight, seconds = self.observations.weight, self.observations.seconds
        self.scale = max(_weighted_mad(residual, weight), SMALLEST_SCALE)
        standardised = np.abs(residual) / (self.scale * np.sqrt(seconds / weight))
        self.robust = np.minimum(1.0, self.settings.huber / np.maximum(standardised, 1e-12))
        self._share_places(residual)

    def _share_places(self, residual: Floats) -> None:
        """Let each place count once for what a bilinear table cannot hold there, however long one stayed.

        The means of the residuals by place scatter more than noise explains; that excess (``misfit``) does not shrink
        with seconds, only with more places. A place's weight W becomes W / (1 + misfit² · W).
        """
        weight = self.observations.weight * self.robust
        total: Floats = np.asarray(np.bincount(self.places, weight), np.float64)
        mean: Floats = np.bincount(self.places, weight * residual) / np.where(total > 0, total, 1.0)
        free = max(len(total) - self._used_parameters(), 0.1 * len(total))
        self.misfit = _excess(mean, total * self.unit, free)
        shrink = self.misfit**2 * total * self.unit / (1.0 + self.misfit**2 * total * self.unit)
        self.inflation = _inflation(residual - (mean * shrink)[self.places], self.observations, self.scale)
        self.share = 1.0 / (1.0 + self.misfit**2 * (total * self.unit)[self.places])

    def _used_parameters(self) -> float:
        """Effective number of unknowns the data decided."""
        return float(np.sum(self.covariance * self.solved.matrix) * self.unit)


def _places(observations: Observations) -> Ints:
    """Number of the quarter-cell (sixteenth of a grid cell) each observation lies in, counted from 0 without gaps."""
    weights = observations.mesh.weights
    along = weights[:, 1] if weights.shape[1] == 2 else weights[:, 1] + weights[:, 3]
    place = observations.mesh.cells[:, 0] * PLACES + np.minimum((along * PLACES).astype(np.intp), PLACES - 1)
    if weights.shape[1] == 4:
        across = weights[:, 2] + weights[:, 3]
        place = place * PLACES + np.minimum((across * PLACES).astype(np.intp), PLACES - 1)
    return np.unique(place, return_inverse=True)[1].astype(np.intp)


def _excess(mean: Floats, precision: Floats, free: float) -> float:
    """Standard deviation of means beyond what their precision explains (Paule and Mandel 1982, from memory).

    Solves Σ min(mean² / (s² + 1/precision), 9) = free for s; the bound keeps lone wild places from deciding.
    """
    noise = 1.0 / np.maximum(precision, 1e-12)

    def chi(s2: float) -> float:
        return float(np.minimum(mean**2 / (s2 + noise), 9.0).sum())

    low, high = 0.0, 0.05**2
    if chi(low) <= free:
        return 0.0
    for _ in range(40):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if chi(middle) > free else (low, middle)
    return float(np.sqrt(high))


def _design(observations: Observations, table: Table) -> tuple[Ints, Floats]:
    """Cells and relative weights w_j V_j / Σ w V of every observation."""
    values = table.values.ravel()[observations.mesh.cells] * observations.mesh.weights
    return observations.mesh.cells, values / values.sum(axis=1, keepdims=True)


def _predict(cells: Ints, design: Floats, film: Floats, unknown: Floats) -> Floats:
    """k - 1 expected of every observation; the last unknown is the wall-film share X."""
    return np.einsum("ij,ij->i", design, unknown[cells]) + unknown[-1] * film


def _normal(cells: Ints, design: Floats, film: Floats, y: Floats, weight: Floats, size: int) -> _Normal:
    corners, whole = cells.shape[1], size + 1
    matrix = np.zeros((whole, whole))
    inner = np.zeros((size, size))
    for a in range(corners):
        left, share = cells[:, a] * size, design[:, a] * weight
        for b in range(a, corners):
            block = np.bincount(left + cells[:, b], share * design[:, b], size * size).reshape(size, size)
            inner += block if a == b else block + block.T
    matrix[:size, :size] = inner
    flat = cells.ravel()
    matrix[:size, size] = matrix[size, :size] = np.bincount(flat, (design * (weight * film)[:, None]).ravel(), size)
    matrix[size, size] = np.sum(weight * film * film)
    right = np.append(np.bincount(flat, (design * (weight * y)[:, None]).ravel(), size), np.sum(weight * film * y))
    return _Normal(matrix, np.asarray(right, np.float64), float(np.sum(weight * y * y)))


def _weighted_mad(residual: Floats, weight: Floats) -> float:
    """Robust standard deviation: weighted median of |residual| · 1.4826."""
    order = np.argsort(np.abs(residual))
    total = np.cumsum(weight[order])
    return 1.4826 * float(np.abs(residual)[order][np.searchsorted(total, total[-1] / 2)])


def _inflation(residual: Floats, observations: Observations, scale: float) -> float:
    """Seconds that neighbouring samples share: the integrated autocorrelation time of the residuals, s.

    Samples at 25 to 100 Hz are not independent; one unit of weight (a second) counts as 1/inflation samples.
    """
    clipped = np.clip(residual / scale, -3, 3)
    run, step = observations.run, float(np.median(observations.seconds))
    power = float(np.mean(clipped**2)) or 1.0
    total = 0.5
    for lag in range(1, round(6.0 / step)):
        same = run[lag:] == run[:-lag]
        if same.sum() < 50:
            break
        rho = float(np.mean((clipped[lag:] * clipped[:-lag])[same])) / power
        if rho < 0.05:
            break
        total += rho
    return 2.0 * total * step


class _Prior:
    """Gaussian prior: a wide ridge, smoothness of the correction, smoothness of the resulting table (in logs)."""

    def __init__(self, table: Table, spread: float, film_spread: float) -> None:
        size = table.size
        self.rough, self.pull = np.zeros((size + 1, size + 1)), np.zeros(size + 1)
        self.rough[:size, :size] = roughness(table)
        self.pull[:size] = -self.rough[:size, :size] @ np.log(table.values.ravel())
        self.ridge = np.diag(np.append(np.full(size, 1.0 / spread**2), 1.0 / film_spread**2))

    def precision(self, theta: Floats) -> tuple[Floats, Floats]:
        """Precision matrix and linear term for log strengths theta = (correction, table)."""
        own, result = np.exp(theta)
        return self.ridge + (own + result) * self.rough, result * self.pull

    def solve(self, normal: _Normal, unit: float, theta: Floats) -> tuple[Floats, Floats]:
        from scipy import linalg

        precision, linear = self.precision(theta)
        factor = linalg.cho_factor(precision + unit * normal.matrix, lower=True)
        return linalg.cho_solve(factor, linear + unit * normal.right), linalg.cho_solve(factor, np.eye(len(precision)))

    def evidence(self, normal: _Normal, unit: float, theta: Floats) -> float:
        """Log marginal likelihood of the data up to a constant."""
        from scipy import linalg

        precision, linear = self.precision(theta)
        before = linalg.cho_factor(precision, lower=True)
        after = linalg.cho_factor(precision + unit * normal.matrix, lower=True)
        right = linear + unit * normal.right
        determinants = np.log(np.diag(before[0])).sum() - np.log(np.diag(after[0])).sum()
        quadratic = right @ linalg.cho_solve(after, right) - linear @ linalg.cho_solve(before, linear)
        return float(determinants + 0.5 * quadratic)

    def choose(self, normal: _Normal, unit: float, start: Floats) -> Floats:
        """Strengths with the highest marginal likelihood, within 1 to 10^8."""
        from scipy import optimize

        low, high = 0.0, np.log(1e8)
        start = np.maximum(start, np.log(15.0**2))

        def cost(theta: Floats) -> float:
            return -self.evidence(normal, unit, np.clip(theta, low, high))

        found = optimize.minimize(cost, start, method="Nelder-Mead", options={"xatol": 0.3, "fatol": 0.1, "maxfev": 60})
        return np.clip(found.x, low, high)
