"""Coefficients cut off where nature ends, against SciPy's truncated normal and against drawing."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import truncnorm

from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.bordered import Bordered
from lean_trim.core.estimation.limits_of_terms import truncated, within_limits


@pytest.mark.parametrize("mean", [-0.4, -0.1, 0.0, 0.3, 0.9, 1.2, 1.5])
@pytest.mark.parametrize(("low", "high"), [(0.0, np.inf), (0.0, 1.0)])
def test_what_is_left_has_the_moments_scipy_gives(mean: float, low: float, high: float) -> None:
    std = 0.12
    reference = truncnorm((low - mean) / std, (high - mean) / std, loc=mean, scale=std)
    assert truncated(mean, std, low, high) == pytest.approx(
        (reference.mean(), reference.std()), rel=1e-6, abs=1e-9
    )


@pytest.mark.parametrize("off", [7.0, 40.0, 1e4])
def test_what_lies_far_outside_is_at_the_end(off: float) -> None:
    for mean, end in ((-off, 0.0), (1.0 + off, 1.0)):
        value, std = truncated(mean, 1.0, 0.0, 1.0)
        assert value == pytest.approx(end, abs=0.2) and 0.0 < std < 0.3


def test_nothing_jumps_where_the_mean_passes_a_limit() -> None:
    means = np.linspace(-1.5, 2.5, 4001)
    spread = np.array([truncated(m, 0.1, 0.0, 1.0)[1] for m in means])
    assert np.abs(np.diff(spread)).max() < 1.1 * (means[1] - means[0])
    found = np.array([truncated(m, 0.1, 0.0, 1.0)[0] for m in means])
    assert np.abs(np.diff(found)).max() < 1.1 * (means[1] - means[0])
    assert (np.diff(found) > -1e-9).all()


def test_cells_move_as_far_as_they_depend_on_the_coefficient() -> None:
    """Against the mean and scatter of draws that keep the limit."""
    covariance = np.array([[0.04, 0.01, -0.012], [0.01, 0.09, 0.02], [-0.012, 0.02, 0.01]])
    mean = np.array([0.5, -0.2, -0.05])
    draws = np.random.default_rng(3).multivariate_normal(mean, covariance, 400_000)
    kept = draws[draws[:, 2] >= 0.0]
    lower = np.array([[0.04, 0.09], [0.01, 0.0]])
    inverse = Bordered(lower, covariance[2:, :2], covariance[2:, 2:])
    found = within_limits((Term.HEAT,), mean, inverse)
    # Most likely at the limit itself, and the cells as they are where the coefficient lies there.
    near = kept[kept[:, 2] < 0.004]
    np.testing.assert_allclose(found.unknown, near.mean(axis=0), atol=8e-3)
    left = np.diag(covariance)[:2] - found.less
    np.testing.assert_allclose(np.sqrt(left), kept[:, :2].std(axis=0), rtol=0.01)
    assert found.std_error[0] == pytest.approx(kept[:, 2].std(), rel=0.01)


def test_a_film_has_no_limit() -> None:
    inverse = Bordered(np.array([[0.04]]), np.array([[0.01]]), np.array([[0.01]]))
    found = within_limits((Term.FILM,), np.array([0.5, -0.3]), inverse)
    np.testing.assert_array_equal(found.unknown, [0.5, -0.3])
    assert not found.less.any()
