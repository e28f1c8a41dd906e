"""Bordered band matrices against NumPy's dense linear algebra."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.estimation.bordered import Bordered, Factor, banded

N = 12
BAND = 3
Q = 2


def example(seed: int) -> tuple[Bordered, np.ndarray]:
    """A positive definite matrix in both forms."""
    rng = np.random.default_rng(seed)
    dense = np.zeros((N + Q, N + Q))
    for _ in range(60):
        row = np.zeros(N + Q)
        start = rng.integers(0, N - BAND)
        row[start : start + BAND + 1], row[N:] = (
            rng.standard_normal(BAND + 1),
            rng.standard_normal(Q),
        )
        dense += np.outer(row, row)
    return Bordered(banded(dense[:N, :N], BAND), dense[N:, :N].copy(), dense[N:, N:].copy()), dense


def test_solutions_determinant_and_products_are_those_of_the_dense_matrix() -> None:
    matrix, dense = example(1)
    right = np.random.default_rng(2).standard_normal(N + Q)
    factor = Factor(matrix)
    np.testing.assert_allclose(factor.solve(right), np.linalg.solve(dense, right), rtol=1e-9)
    np.testing.assert_allclose(matrix.times(right), dense @ right, rtol=1e-10)
    assert factor.log_determinant == pytest.approx(np.linalg.slogdet(dense)[1])


def test_inverse_is_right_within_the_band_and_along_the_border() -> None:
    matrix, dense = example(3)
    inverse = Factor(matrix).inverse()
    expected = np.linalg.inv(dense)
    np.testing.assert_allclose(inverse.lower, banded(expected[:N, :N], BAND), atol=1e-10)
    np.testing.assert_allclose(inverse.border, expected[N:, :N], atol=1e-10)
    np.testing.assert_allclose(inverse.corner, expected[N:, N:], atol=1e-10)


def test_trace_of_a_product() -> None:
    (a, dense_a) = example(4)
    (b, dense_b) = example(5)
    assert a.dot(b) == pytest.approx(np.trace(dense_a @ dense_b))
    both = a.plus(b, 2.0)
    assert both.dot(b) == pytest.approx(np.trace((dense_a + 2 * dense_b) @ dense_b))


def test_a_matrix_that_is_not_positive_definite_is_refused() -> None:
    matrix, _ = example(6)
    with pytest.raises(np.linalg.LinAlgError):
        Factor(Bordered(matrix.lower, matrix.border, -np.eye(Q)))
