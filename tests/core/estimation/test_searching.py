"""Searches against those of SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import optimize

from lean_trim.core.estimation.searching import lowest_between, lowest_near


@pytest.mark.parametrize("dip", [-1.7, 0.3, 2.9])
def test_along_a_line_it_ends_where_scipy_does(dip: float) -> None:
    def cost(x: float) -> float:
        return abs(x - dip) ** 1.5 + 0.1 * x

    theirs = optimize.minimize_scalar(
        cost, bounds=(-2.0, 3.0), method="bounded", options={"xatol": 1e-6}
    ).x
    assert lowest_between(cost, -2.0, 3.0, 1e-5) == pytest.approx(theirs, abs=1e-4)


def test_over_two_and_three_parameters_it_ends_where_scipy_does() -> None:
    for start in (np.array([-1.2, 1.0]), np.array([0.5, -0.4, 1.3])):
        corners = np.vstack([start, start + 0.15 * np.eye(len(start))])
        options = {"xatol": 1e-4, "fatol": 1e-8, "maxfev": 2000, "initial_simplex": corners}
        theirs = optimize.minimize(optimize.rosen, start, method="Nelder-Mead", options=options).x
        ours = lowest_near(optimize.rosen, corners, 1e-4, 1e-8, 2000)
        np.testing.assert_allclose(ours, theirs, atol=1e-3)


def test_it_ends_when_told_to() -> None:
    calls: list[np.ndarray] = []

    def cost(point: np.ndarray) -> float:
        calls.append(point)
        return float(np.sum(point**2))

    lowest_near(cost, np.vstack([np.ones(2), 9.0 * np.eye(2)]), 0.0, 0.0, 30)
    assert 30 <= len(calls) <= 33
