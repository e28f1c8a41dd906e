"""The strengths the prior chooses are where the marginal likelihood is highest."""

from __future__ import annotations

import numpy as np
from scipy import stats

from lean_trim.core.data.tables import maf_curve
from lean_trim.core.estimation.bordered import Bordered, banded
from lean_trim.core.estimation.smoothness import roughness
from lean_trim.core.estimation.surface_prior import Prior

CURVE = maf_curve(np.arange(1.0, 13.0), 2.0 + np.arange(1.0, 13.0) ** 1.7)
SPREAD = 0.2
SIGMA = 0.01


def log_evidence(y: np.ndarray, own: float, result: float) -> float:
    """The same model written as one multivariate normal: every cell seen once with noise sigma."""
    rough = roughness(CURVE.axes)
    precision = np.eye(12) / SPREAD**2 + (own + result) * rough
    covariance = np.linalg.inv(precision)
    mean = -covariance @ (result * rough @ np.log(CURVE.values))
    return float(stats.multivariate_normal(mean, covariance + SIGMA**2 * np.eye(12)).logpdf(y))


def test_no_other_pair_of_strengths_explains_the_data_better() -> None:
    rng = np.random.default_rng(8)
    y = 0.05 * np.sin(np.arange(12) / 3.0) + SIGMA * rng.standard_normal(12)
    matrix = Bordered(banded(np.eye(12), 2), np.zeros((1, 12)), np.zeros((1, 1)))
    own, result = Prior(CURVE, SPREAD, np.array([0.3])).choose(
        matrix, np.append(y, 0.0), 1.0 / SIGMA**2
    )
    best = log_evidence(y, np.exp(own), np.exp(result))
    tried = [
        log_evidence(y, np.exp(a), np.exp(b))
        for a in np.linspace(0, 16, 17)
        for b in np.linspace(0, 16, 17)
    ]
    assert best > max(tried) - 0.15
