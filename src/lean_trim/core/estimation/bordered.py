"""Symmetric systems with a band and a dense border.

Neighbouring cells, and the few unknowns they all share.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.types import Floats

LEAST_SHARE = 1e-12
"""Least share of the corner that the band leaves over."""


@dataclass(frozen=True, eq=False)
class Bordered:
    """Symmetric matrix [[B, F'], [F, G]].

    ``lower`` (band + 1, n) holds B's diagonals from the main one down, ``border`` (q, n) is F and
    ``corner`` (q, q) is G.
    """

    lower: Floats
    border: Floats
    corner: Floats

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
        """Product with a vector of shape (n + q,).

        Parameters
        ----------
        x : shape (n + q,), the border last.

        Returns
        -------
        Shape (n + q,).
        """
        n = self.lower.shape[1]
        first = x[:n]
        inner = self.lower[0] * first
        for k in range(1, len(self.lower)):
            part = self.lower[k, : n - k]
            inner[k:] += part * first[: n - k]
            inner[: n - k] += part * first[k:]
        return np.append(inner + x[n:] @ self.border, self.border @ first + self.corner @ x[n:])

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
        outer = 2.0 * np.sum(self.border * other.border) + np.sum(self.corner * other.corner)
        return float(inner + outer)


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
        self.across = self._inner(matrix.border.T)
        left = matrix.corner - matrix.border @ self.across
        diagonal = np.diag(matrix.corner)
        if not (np.all(diagonal > 0.0) and np.isfinite(left).all()):
            raise np.linalg.LinAlgError("the border is not positive definite")
        # Where the border says the same as the band, rounding decides the sign of what is left.
        short = np.maximum(LEAST_SHARE * diagonal - np.diag(left), 0.0)
        self.left = np.linalg.cholesky(left + np.diag(short))
        self.left_inverse = np.linalg.inv(self.left @ self.left.T)

    def _inner(self, right: Floats) -> Floats:
        from scipy.linalg import cho_solve_banded

        return np.asarray(
            cho_solve_banded((self.band, True), right, check_finite=False), np.float64
        )

    @property
    def log_determinant(self) -> float:
        """Natural logarithm of the determinant."""
        return float(2.0 * (np.log(self.band[0]).sum() + np.log(np.diag(self.left)).sum()))

    def solve(self, right: Floats) -> Floats:
        """Solution for a right side of shape (n + q,).

        Parameters
        ----------
        right : shape (n + q,), the border last.

        Returns
        -------
        Shape (n + q,).
        """
        n = self.band.shape[1]
        inner = self._inner(right[:n])
        last = self.left_inverse @ (right[n:] - self.matrix.border @ inner)
        return np.append(inner - self.across @ last, last)

    def inverse(self) -> Bordered:
        """The inverse within the band and along the border; entries outside are not formed."""
        from lean_trim.core.kernels.fit_loops import inverse_band

        inner = inverse_band(np.ascontiguousarray(self.band))
        n = inner.shape[1]
        z = self.across
        mixed = z @ self.left_inverse
        for k in range(len(inner)):
            inner[k, : n - k] += np.sum(mixed[: n - k] * z[k:], axis=1)
        return Bordered(inner, -mixed.T, self.left_inverse)


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
