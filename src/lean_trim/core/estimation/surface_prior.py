"""What is known of a correction before any driving.

How strongly it holds is read from the data's marginal likelihood.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.estimation.bordered import Bordered, Factor, banded
from lean_trim.core.estimation.searching import lowest_between
from lean_trim.core.estimation.smoothness import roughness, tilt
from lean_trim.core.types import Floats

Strengths = tuple[float, float]
"""Log strengths of the smoothness of (the correction, the resulting table)."""
HIGH = float(np.log(1e8))
"""Logarithm of the stiffest prior tried: nothing bends."""
WEAK: Strengths = (float(np.log(2.0**2)), float(np.log(2.0**2)))
TILT = 0.15
"""How much a correction may differ from end to end of an axis, one standard deviation (common
practice, no
source): what keeps a surface from running away where nobody drove.
"""
STRENGTH_WITHIN = 0.6
"""A third of a natural log in strength, to either side, moves no cell by more than its error."""
COARSE = np.linspace(np.log(2.5), HIGH, 7)
"""Log of the summed strengths at which the search begins."""


@lru_cache(maxsize=8)
def _rough_band(axes: tuple[Axis, ...], band: int) -> Floats:
    """Band of the roughness of a field over the axes; kept, because a job's tables share their axes."""
    return banded(roughness(axes), band)


@lru_cache(maxsize=8)
def _tilt_band(axes: tuple[Axis, ...], band: int) -> Floats:
    """Band of the tilt of a field over the axes: 1 for a slope of 1 from end to end along one axis."""
    return banded(tilt(axes), band)


class Prior:
    """Gaussian prior: a wide ridge, smoothness of the correction and of the resulting table in logs.

    ``spread`` is the standard deviation of a cell's correction, ``term_spreads`` (q,) are those of
    the coefficients of the terms all samples share.
    """

    def __init__(self, table: Table, spread: float, term_spreads: Floats) -> None:
        size = table.size
        self.width = 0 if len(table.axes) == 1 else len(table.axes[1])
        self.band = min(2 * max(self.width, 1), size - 1)
        shared = len(term_spreads)
        blank = np.zeros((shared, size))
        self.rough = Bordered(_rough_band(table.axes, self.band), blank, np.zeros((shared, shared)))
        self.pull = -self.rough.times(np.append(np.log(table.values.ravel()), np.zeros(shared)))
        ridge = np.zeros((self.band + 1, size))
        # Shared among the cells: on each of them in full it would hold the level of a fine table
        # fast.
        ridge[0] = 1.0 / (spread**2 * size)
        ridge += _tilt_band(table.axes, self.band) / TILT**2
        self.ridge = Bordered(ridge, blank, np.diag(1.0 / term_spreads**2))

    def precision(self, strengths: Strengths) -> Bordered:
        """Prior precision at the given strengths.

        Returns matrix over the unknowns.
        """
        return self.ridge.plus(self.rough, float(np.exp(strengths[0]) + np.exp(strengths[1])))

    def linear(self, strengths: Strengths) -> Floats:
        """Linear term: where the smooth resulting table pulls the cells.

        Returns shape (unknowns,).
        """
        return np.asarray(np.exp(strengths[1]) * self.pull)

    def choose(
        self, matrix: Bordered, right: Floats, unit: float, near: float | None = None
    ) -> Strengths:
        """Strengths of highest marginal likelihood, each within 1 to 10^8.

        Only their sum enters the matrices, so for a given sum the best split is found in closed
        form and the search is along the sum alone. ``near`` is the log of a sum the best is not far
        from.

        Parameters
        ----------
        matrix, right : normal equations of the data.
        unit : precision of one second of driving.
        near : log of the sum to search about; the whole range if None.

        Returns
        -------
        Log strengths.
        """

        def cost(log_sum: float) -> float:
            return -self._along(matrix, right, unit, log_sum)[0]

        # The likelihood has more than one hill on sparse drives; a coarse look finds the right one.
        if near is None:
            costs = [cost(s) for s in COARSE]
            near = float(COARSE[int(np.argmin(costs))])
        step = float(COARSE[1] - COARSE[0])
        bounds = max(float(COARSE[0]), near - step), min(float(np.log(2e8)), near + step)
        found = lowest_between(cost, *bounds, STRENGTH_WITHIN)
        own, result = self._along(matrix, right, unit, found)[1]
        return float(np.log(own)), float(np.log(result))

    def _along(
        self, matrix: Bordered, right: Floats, unit: float, log_sum: float
    ) -> tuple[float, Strengths]:
        """Log marginal likelihood up to a constant at a sum of strengths, and the best split of it."""
        total = float(np.exp(log_sum))
        prior = self.ridge.plus(self.rough, total)
        before = Factor(prior)
        after = Factor(prior.plus(matrix, unit))
        data = after.solve(unit * right)
        pull = after.solve(self.pull)
        stiff = float(self.pull @ before.solve(self.pull)) - float(self.pull @ pull)
        tilt = float(self.pull @ data)
        # Quadratic in the split, so its best value is known; it may not leave either prior without
        # weight.
        result = float(np.clip(tilt / stiff if stiff > 0.0 else total, 1.0, max(total - 1.0, 1.0)))
        quadratic = -stiff * result**2 + 2.0 * result * tilt + float(unit * right @ data)
        value = 0.5 * (before.log_determinant - after.log_determinant + quadratic)
        return value, (max(total - result, 1.0), result)
