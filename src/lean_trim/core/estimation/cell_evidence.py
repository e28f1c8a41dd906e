"""How much driving stands behind each cell: seconds of steady running and separate visits, never rows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats, Ints

SEEN_S = 0.05
"""Seconds of used driving from which a cell counts as visited."""
VISIT_GAP_S = 2.0
"""Time away from a cell after which coming back is a new visit."""
MIN_SHARE = 0.2
"""Share of the interpolation a cell needs for a sample to count as a visit to it."""


@dataclass(frozen=True, eq=False)
class Evidence:
    """Per cell, in the table's shape.

    seconds : of used driving, weighted by the cell's share of the interpolation.
    visits : number of separate ones.
    square_s : used driving in the square of the grid (interval of a curve) whose first corner the
        cell is.
    """

    seconds: Floats
    visits: Ints
    square_s: Floats

    @property
    def near_s(self) -> Floats:
        """Used driving in that square beside each cell that had most of it.

        A point of the grid is known by what was driven around it, seldom by what was driven on it:
        on a fine table a second in a square is a quarter of a second at each of its corners.
        """
        near = self.square_s
        # A square is named by its first corner, so the last row and column name none and stay 0.
        for axis in range(near.ndim):
            near = np.maximum(near, np.roll(near, 1, axis))
        return near

    def plus(self, other: Evidence) -> Evidence:
        """Evidence of both, of other drives on the same table.

        Parameters
        ----------
        other : of the same shape.

        Returns
        -------
        The sum.
        """
        return Evidence(
            self.seconds + other.seconds, self.visits + other.visits, self.square_s + other.square_s
        )


def gather_evidence(observations: Observations, table: Table, time_s: Floats) -> Evidence:
    """Count seconds (by interpolation weight) and visits per cell. ``time_s`` is the log's time base.

    Parameters
    ----------
    observations : what the sieve let through.
    table : whose cells are counted.
    time_s : of the whole log, s, shape (n,).

    Returns
    -------
    Seconds and visits, in the table's shape.
    """
    from lean_trim.core.kernels.mesh_loops import count_evidence

    mesh = observations.mesh
    time = time_s[observations.index]
    seconds, visits = count_evidence(
        mesh.cells, mesh.weights, observations.seconds, time, table.size, MIN_SHARE, VISIT_GAP_S
    )
    square_s: Floats = np.asarray(
        np.bincount(mesh.cells[:, 0], observations.seconds, table.size), np.float64
    )
    shape = table.shape
    return Evidence(seconds.reshape(shape), visits.reshape(shape), square_s.reshape(shape))


def seconds_in_nearest_cell(table: Table, at: tuple[Floats, ...], seconds: Floats) -> Floats:
    """Seconds per cell when every sample belongs to its nearest cell, in the table's shape.

    Parameters
    ----------
    table : whose cells are counted.
    at : coordinates, one array per axis, each of shape (n,).
    seconds : time each sample stands for, s, shape (n,).

    Returns
    -------
    Seconds.
    """
    total: Floats = np.bincount(table.nearest(*at), seconds, minlength=table.size).astype(float)
    return total.reshape(table.shape)
