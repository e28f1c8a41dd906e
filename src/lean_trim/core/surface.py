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
START_SCALE, START_INFLATION_S, SMALLEST_SCALE = 0.02, 1.0, 1e-4


@dataclass(frozen=True)
class SurfaceSettings:
    """Settings of the surface estimate.

    huber : residual, in robust standard deviations, from which a sample loses influence, 1 to 10.
    prior_pct : how wrong a cell may be before any driving (standard deviation), 1 to 100 %.
    max_error_pct : standard error above which a cell counts as not supported, 0.2 to 20 %.
    min_seconds : driving a cell needs to be changed, 0 to 60 s.
    max_iterations : of the robust fit, 1 to 50.
    """

    huber: float = 2.0
    prior_pct: float = 20.0
    max_error_pct: float = 3.0
    min_seconds: float = 0.2
    max_iterations: int = 12


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
    error = np.sqrt(np.maximum(np.diag(fit.covariance), 0.0)).reshape(table.shape)
    supported = (evidence.seconds >= settings.min_seconds) & (100 * error <= settings.max_error_pct)
    correction, noise = fit.correction.reshape(table.shape), fit.scale * float(np.sqrt(fit.inflation))
    return Estimate(
        table, 100 * correction, 100 * error, evidence.seconds, evidence.visits, supported, 100 * noise, "surface",
        fit.iterations, converged,
    )  # fmt: skip


class _Fit:
    """Iteratively reweighted least squares with the prior at given strengths.

    The noise and how long it stays correlated are first read from a fit that hardly smooths; read from a fit that
    smooths too much they would take its misfit for noise and confirm it.
    """

    def __init__(self, observations: Observations, table: Table, settings: SurfaceSettings) -> None:
        self.observations, self.settings = observations, settings
        self.cells, self.design = _design(observations, table)
        self.y = observations.k - 1.0
        self.prior = _Prior(table, settings.prior_pct / 100.0)
        self.robust, self.theta = np.ones(len(self.y)), WEAK
        self.correction = np.zeros(table.size)
        self.covariance = np.zeros((table.size, table.size))
        self.scale, self.inflation, self.iterations = START_SCALE, START_INFLATION_S, 0

    @property
    def unit(self) -> float:
        """Precision of one second of driving."""
        return 1.0 / (self.scale**2 * self.inflation)

    def normal(self) -> _Normal:
        """Normal equations with the present robust weights."""
        size = len(self.correction)
        return _normal(self.cells, self.design, self.y, self.observations.weight * self.robust, size)

    def iterate(self, theta: Floats, most: int) -> bool:
        """Fit until the correction moves less than 0.002 %, at most ``most`` times; True if it settled."""
        self.theta = theta
        for _ in range(most):
            self.iterations += 1
            new, self.covariance = self.prior.solve(self.normal(), self.unit, theta)
            moved = float(np.max(np.abs(new - self.correction)))
            self.correction = new
            self._reweigh()
            if moved < 2e-5:
                return True
        return False

    def _reweigh(self) -> None:
        residual = self.y - _predict(self.cells, self.design, self.correction)
        weight, seconds = self.observations.weight, self.observations.seconds
        self.scale = max(_weighted_mad(residual, weight), SMALLEST_SCALE)
        standardised = np.abs(residual) / (self.scale * np.sqrt(seconds / weight))
        self.robust = np.minimum(1.0, self.settings.huber / np.maximum(standardised, 1e-12))
        self.inflation = _inflation(residual, self.observations, self.scale)


def _design(observations: Observations, table: Table) -> tuple[Ints, Floats]:
    """Cells and relative weights w_j V_j / Σ w V of every observation."""
    values = table.values.ravel()[observations.mesh.cells] * observations.mesh.weights
    return observations.mesh.cells, values / values.sum(axis=1, keepdims=True)


def _predict(cells: Ints, design: Floats, correction: Floats) -> Floats:
    return np.einsum("ij,ij->i", design, correction[cells])


def _normal(cells: Ints, design: Floats, y: Floats, weight: Floats, size: int) -> _Normal:
    corners = cells.shape[1]
    matrix = np.zeros(size * size)
    for a in range(corners):
        for b in range(corners):
            matrix += np.bincount(cells[:, a] * size + cells[:, b], design[:, a] * design[:, b] * weight, size * size)
    right: Floats = np.bincount(cells.ravel(), (design * (weight * y)[:, None]).ravel(), size).astype(float)
    return _Normal(matrix.reshape(size, size), right, float(np.sum(weight * y * y)))


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

    def __init__(self, table: Table, spread: float) -> None:
        self.rough = roughness(table)
        self.ridge = np.eye(table.size) / spread**2
        self.pull = -self.rough @ np.log(table.values.ravel())

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
