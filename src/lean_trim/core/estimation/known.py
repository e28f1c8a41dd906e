"""What is known of a table before a drive: readings of earlier ones, as a Gaussian prior over the cells."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.estimation.bordered import Bordered
from lean_trim.core.estimation.carried import Carried
from lean_trim.core.types import Floats


@dataclass(frozen=True, eq=False)
class Known:
    """Normal equations of earlier readings, in units of their own precision.

    Attributes
    ----------
    matrix, right : over the cells and the terms all samples share, which earlier readings say nothing of.
    first, second : sum of the readings' weights around each cell, and of their squares, flat.
    """

    matrix: Bordered
    right: Floats
    first: Floats
    second: Floats


def known_of(carried: Carried, table: Table, band: int, shared: int) -> Known:
    """Earlier readings as normal equations.

    A reading says Σ d_j c_j = k - 1, where d_j is a cell's share of the value that was read.

    Parameters
    ----------
    carried : readings.
    table : the present one.
    band : diagonals of the matrix below the main one.
    shared : number of terms all samples share.

    Returns
    -------
    Zeros where nothing is carried.
    """
    size = table.size
    cells = carried.mesh.cells
    share = carried.mesh.weights * table.values.ravel()[cells]
    share = share / np.maximum(share.sum(axis=1, keepdims=True), 1e-300)
    lower = np.zeros((band + 1, size))
    right = np.zeros(size + shared)
    first = np.zeros(size)
    second = np.zeros(size)
    precision = carried.precision
    for a in range(cells.shape[1]):
        np.add.at(right, cells[:, a], precision * share[:, a] * (carried.k - 1.0))
        np.add.at(first, cells[:, a], precision)
        np.add.at(second, cells[:, a], precision**2)
        for e in range(cells.shape[1]):
            below = cells[:, e] - cells[:, a]
            # The lower half only; a pair of cells meets in either order.
            at = below >= 0
            product = precision[at] * share[at, a] * share[at, e]
            np.add.at(lower, (below[at], cells[at, a]), product)
    matrix = Bordered(lower, np.zeros((shared, size)), np.zeros((shared, shared)))
    return Known(matrix, right, first, second)
