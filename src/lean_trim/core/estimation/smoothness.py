"""Second-difference operators on tables with unevenly spaced axes."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.tables import Axis
from lean_trim.core.types import Floats


def second_difference(axis: Axis) -> Floats:
    """Matrix (n-2, n) of second derivatives times the mean step squared; zero on any straight line.

    Parameters
    ----------
    axis : n points, in any unit.

    Returns
    -------
    Differences are formed by matrix times values at the points.
    """
    x = axis.points
    n = len(x)
    out = np.zeros((max(n - 2, 0), n))
    step = (x[-1] - x[0]) / (n - 1)
    for i in range(n - 2):
        a = x[i + 1] - x[i]
        b = x[i + 2] - x[i + 1]
        out[i, i : i + 3] = np.array([2 / (a * (a + b)), -2 / (a * b), 2 / (b * (a + b))]) * step**2
    return out


def first_difference(axis: Axis) -> Floats:
    """Matrix (n-1, n) of slopes times the mean step.

    Parameters
    ----------
    axis : n points, in any unit.

    Returns
    -------
    Differences are formed by matrix times values at the points.
    """
    x = axis.points
    step = (x[-1] - x[0]) / (len(x) - 1)
    return np.asarray((np.eye(len(x), k=1)[:-1] - np.eye(len(x))[:-1]) / np.diff(x)[:, None] * step)


def roughness(axes: tuple[Axis, ...]) -> Floats:
    """Symmetric matrix R (cells, cells): x·R·x is the summed squared curvature of a field x over the axes.

    Curvature along each axis plus, for a grid, twice the squared twist. R is zero on planes.

    Parameters
    ----------
    axes : one for a curve, two for a grid.

    Returns
    -------
    Positive semi-definite, (cells, cells).
    """
    if len(axes) == 1:
        d = second_difference(axes[0])
        return d.T @ d
    rows, columns = axes
    along_rows = np.kron(second_difference(rows), np.eye(len(columns)))
    along_columns = np.kron(np.eye(len(rows)), second_difference(columns))
    twist = np.kron(first_difference(rows), first_difference(columns))
    return along_rows.T @ along_rows + along_columns.T @ along_columns + 2 * twist.T @ twist


def tilt(axes: tuple[Axis, ...]) -> Floats:
    """Symmetric matrix T (cells, cells): x·T·x is the mean squared slope of a field x times the axis' length.

    Summed over the axes; 1 for a plane that rises by 1 from end to end of one axis, 0 for a level
    one.

    Parameters
    ----------
    axes : one for a curve, two for a grid.

    Returns
    -------
    Positive semi-definite, (cells, cells).
    """
    parts = []
    for axis in axes:
        # A short interval counts by its length, or a finely cut part would count for more than it
        # is.
        steps = np.diff(axis.points) / (axis.points[-1] - axis.points[0])
        slope = (np.eye(len(axis), k=1)[:-1] - np.eye(len(axis))[:-1]) / np.sqrt(steps)[:, None]
        parts.append(slope.T @ slope)
    if len(axes) == 1:
        return np.asarray(parts[0])
    rows, columns = (len(a) for a in axes)
    return np.asarray(
        np.kron(parts[0], np.eye(columns)) / columns + np.kron(np.eye(rows), parts[1]) / rows
    )
