"""How well each pattern explains what a drive needs, beside an airflow table that is wrong in its own way.

ln k = g(x) + nuisance terms + θ · course + noise. g has the Gaussian prior tables of other engines
have (a level, a smooth shape, a scatter of cells), its strengths weighed by evidence; θ has the
pattern's own prior. All is linear and Gaussian, so the Bayes factor of a pattern against none
follows in closed form from one factorisation for every strength of g (Bishop, *Pattern Recognition
and Machine Learning*, 3.5, from memory).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import Table
from lean_trim.core.estimation.places import Places, driven_cells
from lean_trim.core.estimation.table_errors import alike, distances
from lean_trim.core.types import Floats, Mask

LEVEL = 0.08
"""How far a table nobody has corrected is off on average, one standard deviation (common
practice)."""
SHAPES = (0.005, 0.015, 0.04, 0.08, 0.15)
SCATTERS = (0.002, 0.008, 0.03)
LENGTHS = (0.15, 0.35)
"""Strengths and lengths of the table's own error that are weighed."""
TREND = 0.04
TREND_LENGTH = 0.8
"""Strength of a broad trend along the axes beside that shape, whatever the rest is like, and
its length as a share of each axis (a trial on random cars)."""
CELL_MISFIT = 0.004
"""What a bilinear table cannot hold within a cell, relative (a trial on random cars)."""


@dataclass(frozen=True)
class Candidate:
    """What is known of a pattern's coefficient beforehand.

    Attributes
    ----------
    spread : standard deviation.
    sign : 1 or -1 where it has one sign only, else 0.
    in_time : whether it is learnt within places too.
    """

    spread: float
    sign: int
    in_time: bool


@dataclass(frozen=True, eq=False)
class Weight:
    """What the drive says of one pattern.

    Attributes
    ----------
    log_factor : natural logarithm of the Bayes factor against its absence.
    coefficient, std_error : of its course.
    """

    log_factor: float
    coefficient: float
    std_error: float


@dataclass(frozen=True, eq=False)
class Evidence:
    """For every strength of the table's error (h): its own evidence, and what is left for the patterns (t).

    Attributes
    ----------
    own : log evidence without any pattern, shape (h,).
    information, score : of the coefficients, shapes (h, t, t) and (h, t).
    """

    own: Floats
    information: NDArray[np.float64]
    score: Floats
    candidates: tuple[Candidate, ...]

    def weigh(self) -> tuple[Weight, ...]:
        """Every pattern by itself."""
        return tuple(self._one(j) for j in range(len(self.candidates)))

    def _one(self, j: int) -> Weight:
        candidate = self.candidates[j]
        precision = 1.0 / candidate.spread**2
        information = self.information[:, j, j]
        total = information + precision
        mean = self.score[:, j] / total
        error = 1.0 / np.sqrt(total)
        factor = 0.5 * (np.log(precision / total) + self.score[:, j] ** 2 / total)
        if candidate.sign:
            # Half of the prior lies on the wrong side.
            factor = factor + np.log(
                np.maximum(2.0 * _share_above(candidate.sign * mean / error), 1e-300)
            )
        share = _softmax(self.own + factor)
        middle = float(share @ mean)
        spread = float(np.sqrt(share @ (error**2 + (mean - middle) ** 2)))
        return Weight(_log_mean(factor, _softmax(self.own)), middle, spread)

    def together(self, which: Sequence[int]) -> Floats:
        """Coefficients if several patterns are there at once.

        Parameters
        ----------
        which : their numbers, c of them.

        Returns
        -------
        Means, shape (c,).
        """
        at = list(which)
        precision = np.diag([1.0 / self.candidates[j].spread ** 2 for j in at])
        information = self.information[:, at][:, :, at] + precision
        means = np.linalg.solve(information, self.score[:, at, None])[:, :, 0]
        return np.asarray(_softmax(self.own) @ means)

    def given(self, j: int) -> Evidence:
        """What is left for the other patterns once one is taken as there."""
        precision = 1.0 / self.candidates[j].spread ** 2
        total = self.information[:, j, j] + precision
        row = self.information[:, j, :]
        factor = 0.5 * (np.log(precision / total) + self.score[:, j] ** 2 / total)
        left = self.information - row[:, :, None] * row[:, None, :] / total[:, None, None]
        score = self.score - row * (self.score[:, j] / total)[:, None]
        return Evidence(self.own + factor, left, score, self.candidates)


def gather_evidence(
    places: Places,
    courses: int,
    table: Table,
    unit: float,
    term_spreads: Floats,
    candidates: Sequence[Candidate],
) -> Evidence:
    """Factorise once for every strength of the table's own error.

    Parameters
    ----------
    places : of a drive; the last ``courses`` of its terms are the patterns' courses.
    courses : how many.
    table : the airflow table it was driven on.
    unit : precision of ln k of one second at full worth.
    term_spreads : of the nuisance terms before any driving, shape (q,).
    candidates : what is known of the patterns, in order.

    Returns
    -------
    Evidence to weigh.
    """
    from scipy.linalg import solve_triangular

    cells = np.flatnonzero(driven_cells(places, table.size))
    size = len(cells)
    shared = size + len(term_spreads)
    matrix, right = _sums(
        places, cells, table.size, unit, _learnt_within(places, courses, candidates)
    )
    inner = matrix[:shared, :shared]
    cross = matrix[:shared, shared:]
    outer = matrix[shared:, shared:]
    apart = distances(table, cells)
    own = []
    information = []
    score = []
    near = {length: alike(apart, length) for length in LENGTHS}
    unity = np.eye(shared)
    others = np.arange(size, shared)
    both = np.column_stack([right[:shared], cross])
    broad = LEVEL**2 + TREND**2 * alike(apart, TREND_LENGTH)
    for shape, scatter, length in product(SHAPES, SCATTERS, LENGTHS):
        prior = broad + shape**2 * near[length] + (scatter**2 + 1e-10) * np.eye(size)
        # In units of the prior's own spread: its determinant and the posterior's then are one.
        spread = np.zeros((shared, shared))
        spread[:size, :size] = np.linalg.cholesky(prior)
        spread[others, others] = term_spreads
        whitened = spread.T @ inner @ spread + unity
        root = np.linalg.cholesky(whitened)
        log_det = np.log(np.diag(root)).sum()
        sides = solve_triangular(root, spread.T @ both, lower=True, check_finite=False)
        own.append(float(0.5 * sides[:, 0] @ sides[:, 0] - log_det))
        information.append(outer - sides[:, 1:].T @ sides[:, 1:])
        score.append(right[shared:] - sides[:, 1:].T @ sides[:, 0])
    return Evidence(np.array(own), np.array(information), np.array(score), tuple(candidates))


def _learnt_within(places: Places, courses: int, candidates: Sequence[Candidate]) -> Mask:
    """Which terms learn something within a place: not those that only noise of a sensor moves there."""
    terms = places.terms.shape[1]
    return np.array([True] * (terms - courses) + [c.in_time for c in candidates], bool)


def _sums(
    places: Places, cells: NDArray[np.intp], table_size: int, unit: float, within: Mask
) -> tuple[Floats, Floats]:
    """Normal matrix and right side of cells, nuisance terms and courses."""
    mesh = np.zeros((len(places), table_size))
    for which, shares in zip(places.cells.T, places.shares.T, strict=True):
        np.add.at(mesh, (np.arange(len(places)), which), shares)
    _, whose, count = np.unique(places.cells[:, 0], return_inverse=True, return_counts=True)
    # Places of one cell share what a bilinear table cannot hold there; counted apart it would
    # shrink.
    variance = 1.0 / (unit * places.weight) + CELL_MISFIT**2 * count[whose]
    rows = np.hstack([mesh[:, cells], places.terms])
    matrix = rows.T @ (rows / variance[:, None])
    right = rows.T @ (places.y / variance)
    both = np.outer(within, within)
    size = len(cells)
    matrix[size:, size:] += unit * np.where(both, places.within, 0.0)
    right[size:] += unit * np.where(within, places.within_y, 0.0)
    return np.asarray(matrix), np.asarray(right)


def _softmax(values: Floats) -> Floats:
    raw = np.exp(values - values.max())
    return np.asarray(raw / raw.sum())


def _log_mean(values: Floats, share: Floats) -> float:
    return float(np.logaddexp.reduce(values + np.log(np.maximum(share, 1e-300))))


def _share_above(z: Floats) -> Floats:
    """Normal distribution above -z."""
    from math import erfc, sqrt

    return np.array([0.5 * erfc(-x / sqrt(2.0)) for x in z])
