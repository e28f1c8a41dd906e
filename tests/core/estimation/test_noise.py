"""Noise of a second against the textbook variance of the mean of a first-order autoregression."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.estimation.noise import noise_of_a_second

STEP_S = 0.05


@pytest.mark.parametrize("alike", [0.0, 0.8])
def test_correlated_residuals_count_for_less(alike: float) -> None:
    rng = np.random.default_rng(1)
    residual = np.zeros(40_000)
    for i in range(1, len(residual)):
        residual[i] = alike * residual[i - 1] + rng.standard_normal()
    scatter = residual.std()
    # Var(mean of n) = σ²/n · (1 + ρ) / (1 − ρ) for long n (Priestley 1981, from memory).
    wanted = scatter**2 * STEP_S * (1.0 + alike) / (1.0 - alike)
    run = np.repeat(np.arange(4), 10_000)
    assert noise_of_a_second(residual, run, STEP_S) == pytest.approx(wanted, rel=0.12)


def test_what_does_not_scatter_has_no_noise() -> None:
    assert noise_of_a_second(np.zeros(100), np.zeros(100, int), STEP_S) == 0.0
    assert noise_of_a_second(np.empty(0), np.empty(0, int), STEP_S) == 0.0
