"""Bounds in the fit against the censored likelihood of a reference library."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import CensoredData, norm

from lean_trim.core.estimation.bounds import as_readings


def newton(known: np.ndarray, bound: np.ndarray, side: int, noise: float) -> float:
    """The mean of readings and bounds by readings that stand for the bounds, again and again."""
    mean = float(np.mean(np.concatenate([known, bound])))
    for _ in range(60):
        sides = np.full(len(bound), side, np.int8)
        value, weight = as_readings(bound, sides, np.full(len(bound), mean), noise)
        mean = float((known.sum() + (weight * value).sum()) / (len(known) + weight.sum()))
    return mean


@pytest.mark.parametrize("side", [1, -1])
@pytest.mark.parametrize(("true", "stop"), [(1.20, 1.15), (1.10, 1.15), (1.15, 1.16)])
def test_readings_that_stand_for_bounds_end_at_the_censored_likelihood(
    side: int, true: float, stop: float
) -> None:
    """SciPy's own maximum likelihood of right- and left-censored normal data, scale known."""
    rng = np.random.default_rng(7)
    noise = 0.02
    k = true + noise * rng.standard_normal(40)
    beyond = side * (k - stop) > 0.0
    known, bound = k[~beyond], np.full(int(beyond.sum()), stop)
    if not len(known) or not len(bound):
        known = np.append(known, stop - side * 0.01)
    data = CensoredData(
        uncensored=known, right=bound if side > 0 else [], left=bound if side < 0 else []
    )
    expected = norm.fit(data, fscale=noise)[0]
    assert newton(known, bound, side, noise) == pytest.approx(expected, abs=1e-4)


def test_a_bound_far_away_says_nothing_and_one_that_is_broken_counts_whole() -> None:
    bound = np.array([1.0, 1.0])
    sides = np.ones(2, np.int8)
    value, weight = as_readings(bound, sides, np.array([1.2, 0.8]))
    assert weight[0] == 0.0
    assert weight[1] > 0.9
    assert value[1] > 0.99
