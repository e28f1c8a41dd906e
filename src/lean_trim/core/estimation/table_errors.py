"""How alike the errors of a table's cells are: what is known of a table nobody has corrected yet."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.types import Floats, Ints

ALONG = 0.5
"""Share of the shape's variance that whole rows and columns have in common."""


def distances(table: Table, cells: Ints) -> list[Floats]:
    """Squared distances between cells along each axis, counted as 1 from end to end.

    Parameters
    ----------
    table : a grid or a curve.
    cells : flat indices, shape (c,).

    Returns
    -------
    Shape (c, c), one an axis.
    """
    at = np.meshgrid(*[np.linspace(0.0, 1.0, len(a)) for a in table.axes], indexing="ij")
    flat = [x.ravel()[cells] for x in at]
    return [(x[:, None] - x[None, :]) ** 2 for x in flat]


def alike(apart: Sequence[Floats], length: float) -> Floats:
    """How alike the errors of cells are: a bend of the surface, and of whole rows and whole columns.

    Tables come from other engines, other cams, other pressures; what is wrong with them runs along
    an axis as often as not, and an error that runs along MAP is what a dead time looks like.
    """
    bends = [np.exp(-0.5 * d / length**2) for d in apart]
    if len(bends) == 1:
        return bends[0]
    return np.asarray(ALONG * (bends[0] + bends[1]) / 2.0 + (1.0 - ALONG) * bends[0] * bends[1])
