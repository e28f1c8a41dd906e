"""Symmetric systems with a band and one dense border.

Neighbouring cells, and the one unknown they all share.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.types import Floats

LEAST_SHARE = 1e-12
"""Least share of the corner that the band leaves over."""


@dataclass(frozen=True, eq=False)
class Bordered:
    """Symmetric matrix [[B, f], [f', g]].

    ``lower`` (band + 1, n) holds B's diagonals from the main one down.
    """

    lower: Floats
    border: Floats
    corner: float

    def plus(self, other: Bordered, times: float = 1.0) -> Bordered:
        """Sum with a multiple of another matrix of the same shape.

        Parameters
        ----------
        other : of the same shape.
        times : factor on the other.

        Returns
        -------
        The sum.
        """
        return Bordered(
            self.lower + times * other.lower,
            self.border + times * other.border,
            self.corner + times * other.corner,
        )

    def times(self, x: Floats) -> Floats:
        """Product with a vector of shape (n + 1,).

        Parameters
        ----------
        x : shape (n + 1,), the border last.

        Returns
        -------
        Shape (n + 1,).
        """
        inner = self.lower[0] * x[:-1]
        n = len(self.border)
        for k in range(1, len(self.lower)):
            part = self.lower[k, : n - k]
            inner[k:] += part * x[: n - k]
            inner[: n - k] += part * x[k:n]
        return np.append(inner + self.border * x[-1], self.border @ x[:-1] + self.corner * x[-1])

    def dot(self, other: Bordered) -> float:
        """Trace of the product with another symmetric matrix of this kind.

        Parameters
        ----------
        other : of the same shape.

        Returns
        -------
        The trace.
        """
        inner = 2.0 * np.sum(self.lower * other.lower) - np.sum(self.lower[0] * other.lower[0])
        return float(inner + 2.0 * self.border @ other.border + self.corner * other.corner)


class Factor:
    """Cholesky factor of a positive definite bordered matrix.

    Raises
    ------
    numpy.linalg.LinAlgError
        If the matrix is not positive definite.
    """

    def __init__(self, matrix: Bordered) -> None:
        from scipy.linalg import cholesky_banded

        self.matrix = matrix
        self.band = cholesky_banded(matrix.lower, lower=True, check_finite=False)
        self.across = self._inner(matrix.border)
        left = matrix.corner - float(matrix.border @ self.across)
        # Where the border says the same as the band, rounding decides the sign of what is left.
        self.left = max(left, LEAST_SHARE * matrix.corner)
        if not (self.left > 0.0 and np.isfinite(left)):
            raise np.linalg.LinAlgError("the border is not positive definite")

    def _inner(self, right: Floats) -> Floats:
        from scipy.linalg import cho_solve_banded

        return np.asarray(cho_solve_banded((self.band, True), right, check_finite=False), np.float64)

    @property
    def log_determinant(self) -> float:
        """Natural logarithm of the determinant."""
        return float(2.0 * np.log(self.band[0]).sum() + np.log(self.left))

    def solve(self, right: Floats) -> Floats:
        """Solution for a right side of shape (n + 1,).

        Parameters
        ----------
        right : shape (n + 1,), the border last.

        Returns
        -------
        Shape (n + 1,).
        """
        inner = self._inner(right[:-1])
        last = (right[-1] - float(self.matrix.border @ inner)) / self.left
        return np.append(inner - self.across * last, last)

    def inverse(self) -> Bordered:
        """The inverse within the band and along the border; entries outside are not formed."""
        from lean_trim.core.kernels.fit_loops import inverse_band

        inner = inverse_band(np.ascontiguousarray(self.band))
        n = len(self.across)
        z = self.across
        for k in range(len(inner)):
            inner[k, : n - k] += z[: n - k] * z[k:] / self.left
        return Bordered(inner, -z / self.left, 1.0 / self.left)


def banded(matrix: Floats, band: int) -> Floats:
    """Lower band storage (band + 1, n) of a dense symmetric matrix.

    Parameters
    ----------
    matrix : symmetric, (n, n); entries beyond the band are not looked at.
    band : diagonals below the main one.

    Returns
    -------
    The lower band.
    """
    n = len(matrix)
    out = np.zeros((band + 1, n))
    for k in range(min(band + 1, n)):
        out[k, : n - k] = np.diagonal(matrix, -k)
    return out
