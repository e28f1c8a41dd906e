"""How far a drive was from a table that needs no correction; the figure rounds are compared by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.frame import Frame
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats, Ints

LEAST_S = 0.5
"""Driving below which a cell counts as not visited."""


@dataclass(frozen=True, eq=False)
class Residual:
    """All in percent, weighted by time over the samples used; NaN where there are none.

    Attributes
    ----------
    rms : root mean square of k - 1 by cell, so that an hour at one point does not hide the rest.
    trim_rms : root mean square of the applied trims (STFT and LTFT together).
    within_3 : share of visited cells whose mean |k - 1| is at most 3 %.
    cells : number of cells visited.
    gap_pct : k - 1 by cell, flat, percent; NaN where it was not visited.
    seconds : of used driving nearest to each cell, flat.
    """

    rms: float
    trim_rms: float
    within_3: float
    cells: int
    gap_pct: Floats
    seconds: Floats


@dataclass(frozen=True, eq=False)
class CellSums:
    """Sums over the observations nearest to each cell, flat; those of several drives add up.

    Attributes
    ----------
    seconds, weight : of driving, and of its precision.
    k, trim : weighted sums of the factor and of the applied trims; NaN trims where none was logged.
    terms : weighted sums of what shifts k beside the table, (q, cells).
    """

    seconds: Floats
    weight: Floats
    k: Floats
    trim: Floats
    terms: Floats

    def plus(self, other: CellSums) -> CellSums:
        """Sums of both.

        Parameters
        ----------
        other : on the same table with the same terms.

        Returns
        -------
        The sum.
        """
        return CellSums(
            self.seconds + other.seconds,
            self.weight + other.weight,
            self.k + other.k,
            self.trim + other.trim,
            self.terms + other.terms,
        )

    def residual(self, coefficients: Floats) -> Residual:
        """How far the driving was from a table that needs no correction.

        Parameters
        ----------
        coefficients : of the terms, (q,); what they explain is not the table's.

        Returns
        -------
        The figures rounds are compared by.
        """
        seen = self.seconds >= LEAST_S
        gaps = np.full(len(seen), np.nan)
        if not seen.any():
            return Residual(np.nan, np.nan, np.nan, 0, gaps, self.seconds)
        weight = self.weight[seen]
        gap = 100.0 * ((self.k - coefficients @ self.terms)[seen] / weight - 1.0)
        gaps[seen] = gap
        trim = 100.0 * (self.trim[seen] / weight - 1.0)
        return Residual(
            float(np.sqrt(np.mean(gap**2))),
            float(np.sqrt(np.mean(trim**2))),
            float(100.0 * np.mean(np.abs(gap) <= 3.0)),
            int(seen.sum()),
            gaps,
            self.seconds,
        )


def cell_sums(frame: Frame, observations: Observations, nearest: Ints) -> CellSums:
    """Sums by nearest cell.

    Parameters
    ----------
    frame : a log seen through its calibration.
    observations : m that the sieve let through, k still with what the terms explain.
    nearest : flat index of the cell nearest to each, shape (m,).

    Returns
    -------
    Sums that can be added to those of other drives.
    """
    size = frame.vehicle.table.size

    def total(values: Floats) -> Floats:
        return np.asarray(np.bincount(nearest, values, size), np.float64)

    weight = observations.weight
    has_trims = Role.STFT in frame.log or Role.LTFT in frame.log
    trim = total(weight * frame.trim[observations.index]) if has_trims else np.full(size, np.nan)
    terms = np.array([total(weight * course) for course in observations.terms.values])
    return CellSums(
        total(observations.seconds), total(weight), total(weight * observations.k), trim, terms
    )
