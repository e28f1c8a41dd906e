"""What the drive before said where the next one was as well, place by place.

A surface smooths over places, and its errors go together; two drives over one place tell of the same bend
of the engine.
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.tables import Interpolation, Table
from lean_trim.core.estimation.carried import BETWEEN_DRIVES, PlaceMeans
from lean_trim.core.types import Floats

REACH_CELLS = 0.25
"""Two places are one within this part of a cell, along every axis (by a trial on simulated cars)."""
LEAST_S = 0.3
"""Driving of the drive before at a place that says something."""


def beside_surface(
    table: Table, surface: Floats, means: PlaceMeans, at: Floats
) -> tuple[Floats, Floats]:
    """How far the drive before lay off its own surface at places of the next one.

    Parameters
    ----------
    table : whose axes the places lie on.
    surface : natural logarithm of what that drive said the table has to hold, in its shape; NaN where it
        said nothing.
    means : of that drive, by place.
    at : coordinates, (axes, p).

    Returns
    -------
    Difference of natural logarithms, and its variance, (p,); NaN where that drive was not.
    """
    off = np.log(means.wanted) - read_known(table.interpolate(*means.at), surface)
    noise = np.maximum(means.noise - BETWEEN_DRIVES**2, 1e-12)
    known = np.isfinite(off) & np.isfinite(noise)
    here = _in_cells(table, at)
    there = _in_cells(table, means.at[:, known])
    near = (np.abs(here[:, :, None] - there[:, None, :]) <= REACH_CELLS).all(axis=0)
    precision = near / noise[known]
    whole = precision.sum(axis=1)
    lasted = (near * means.seconds[known]).sum(axis=1)
    told = (whole > 0.0) & (lasted >= LEAST_S)
    safe = np.where(told, whole, 1.0)
    mean = np.where(told, precision @ off[known] / safe, np.nan)
    return mean, np.where(told, 1.0 / safe + BETWEEN_DRIVES**2, np.nan)


def _in_cells(table: Table, at: Floats) -> Floats:
    """Coordinates counted in cells, (axes, p)."""
    return np.array(
        [
            np.interp(x, axis.points, np.arange(len(axis.points)))
            for axis, x in zip(table.axes, at, strict=True)
        ]
    )


def read_known(mesh: Interpolation, values: Floats) -> Floats:
    """Read a table in which cells may be unknown.

    Parameters
    ----------
    mesh : cells and weights, (p, corners).
    values : of the table.

    Returns
    -------
    Shape (p,); NaN only where an unknown cell has a part in the reading.
    """
    used = np.where(mesh.weights > 1e-6, values.ravel()[mesh.cells], 0.0)
    return np.asarray((used * mesh.weights).sum(axis=1))
