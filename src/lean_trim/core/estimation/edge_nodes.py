"""Nodes that every sample reads from one side: what lies at the node itself is an extrapolation.

On a coarse table an engine that idles between two nodes reads both, and driving tells only the line
between them. A table that is bent there is wrong at the far node by half its curvature times the
distances from it to the nearest driven state and to the node beyond.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.drive.frame import Frame
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats, Ints

LEAST_SHARE = 0.02
"""Weight from which a sample reads a cell."""
MOST_SAMPLES = 40_000
"""Samples looked at; of more only every second, third … counts."""
AT_NODE = 0.1
"""Share of the step between nodes within which a sample is at the node itself."""
FAR_PCT = 1.0
"""Error from which a node counts as one that nobody can drive, percent; less is in the fit's
own."""
CURVATURE = (0.2, 0.2)
"""Curvature of ln VE in units of the axis over 100 kPa and over 1000 rpm, each squared, that a
table may have where it is drawn straight (a choice: the bend of a usual filling curve)."""
UNITS = (100.0, 1000.0)
SPEED_AXIS = 1


@dataclass(frozen=True, eq=False)
class Gaps:
    """Distance from each cell to the nearest driven state, flat, infinite for none.

    Attributes
    ----------
    above, below : by axis, (axes, cells), in the unit of the axis.
    """

    above: Floats
    below: Floats

    def plus(self, other: Gaps) -> Gaps:
        """The nearest of two drives."""
        return Gaps(np.minimum(self.above, other.above), np.minimum(self.below, other.below))


@dataclass(frozen=True, eq=False)
class EdgeNodes:
    """Cells read from one side only; both in the table's shape.

    Attributes
    ----------
    error_pct : what the curvature may make of the cell, percent; 0 where it is read from both sides.
    beside : flat index of the node on the driven side, along engine speed first; -1 for none.
    """

    error_pct: Floats
    beside: Ints


def gaps_of(table: Table, coordinates: tuple[Floats, ...], cells: Ints, weights: Floats) -> Gaps:
    """How near driving came to each node, on either side.

    Parameters
    ----------
    table : a grid or a curve.
    coordinates : of the used samples along its axes, (m,) each.
    cells, weights : the nodes they read, (m, corners).

    Returns
    -------
    By axis.
    """
    from lean_trim.core.kernels.mesh_loops import nearest

    some = slice(None, None, max(1, len(cells) // MOST_SAMPLES))
    read = np.ascontiguousarray(cells[some])
    share = np.ascontiguousarray(weights[some])
    above = np.full((len(table.axes), table.size), np.inf)
    below = above.copy()
    node = np.unravel_index(np.arange(table.size), table.shape)
    for i, (axis, at) in enumerate(zip(table.axes, coordinates, strict=True)):
        points = np.asarray(axis.points, float)[node[i]]
        here = np.ascontiguousarray(at[some], np.float64)
        nearest(read, share, here, points, LEAST_SHARE, above[i], below[i])
    return Gaps(above, below)


def gaps_along(frame: Frame, observations: Observations) -> Gaps:
    """How near driving came to each node of the table.

    Parameters
    ----------
    frame : a log seen through its calibration.
    observations : its used samples.

    Returns
    -------
    By axis.
    """
    at = tuple(a[observations.index] for a in frame.coordinates)
    mesh = observations.mesh
    return gaps_of(frame.vehicle.table, at, mesh.cells, mesh.weights)


def edge_nodes(table: Table, gaps: Gaps) -> EdgeNodes:
    """The nodes that driving reads from one side.

    Parameters
    ----------
    table : a grid; of a curve none is told.
    gaps : of the whole driving.

    Returns
    -------
    In the table's shape.
    """
    error = np.zeros(table.shape)
    beside = np.full(table.shape, -1, np.int64)
    for axis in range(len(table.axes)) if len(table.axes) == 2 else ():
        along, next_to = _along(table, axis, gaps)
        error = np.hypot(error, along)
        # Along engine speed, the second axis, where a node is past the driving on both.
        beside = np.where(next_to >= 0, next_to, beside)
    far = 100.0 * error >= FAR_PCT
    return EdgeNodes(np.where(far, 100.0 * error, 0.0), np.where(far, beside, -1))


def nearest_speeds(table: Table, gaps: Gaps) -> Floats:
    """Engine speed at which driving came nearest to columns it reads from one side only, at any load.

    Parameters
    ----------
    table : a grid; of a curve none is told.
    gaps : of the whole driving.

    Returns
    -------
    rpm in the table's shape, NaN at all other nodes.
    """
    out = np.full(table.shape, np.nan)
    if len(table.axes) != 2:
        return out
    error, next_to = _along(table, SPEED_AXIS, gaps)
    above = gaps.above[SPEED_AXIS].reshape(table.shape)
    below = gaps.below[SPEED_AXIS].reshape(table.shape)
    at = np.broadcast_to(table.axes[SPEED_AXIS].points, table.shape)
    past = np.isinf(below).all(axis=0) | np.isinf(above).all(axis=0)
    told = (100.0 * error >= FAR_PCT) & (next_to >= 0) & past
    return np.where(told, np.where(np.isfinite(above), at + above, at - below), out)


def _along(table: Table, axis: int, gaps: Gaps) -> tuple[Floats, Ints]:
    points = table.axes[axis].points
    shape = table.shape
    above = gaps.above[axis].reshape(shape)
    below = gaps.below[axis].reshape(shape)
    index = np.indices(shape)[axis]
    # Past the last node nothing lies beyond, and no sample is read from there.
    step_up = np.append(np.diff(points), 0.0)[index]
    step_down = np.append(0.0, np.diff(points))[index]
    # Read from one side only, and never near the node itself.
    from_above = np.isinf(below) & np.isfinite(above) & (above > AT_NODE * step_up)
    from_below = np.isinf(above) & np.isfinite(below) & (below > AT_NODE * step_down)
    bend = CURVATURE[axis] / UNITS[axis] ** 2
    error = np.zeros(shape)
    error[from_above] = 0.5 * bend * above[from_above] * step_up[from_above]
    error[from_below] = 0.5 * bend * below[from_below] * step_down[from_below]
    numbers = np.arange(table.size).reshape(shape)
    stride = shape[1] if axis == 0 else 1
    next_to = np.where(from_above, numbers + stride, np.where(from_below, numbers - stride, -1))
    return error, next_to


def with_edge_error(estimate: Estimate, nodes: EdgeNodes) -> Estimate:
    """An estimate that knows what it extrapolates.

    Parameters
    ----------
    estimate : of a table.
    nodes : read from one side.

    Returns
    -------
    The same with larger own errors there.
    """
    return replace(estimate, own_error_pct=np.hypot(estimate.own_error_pct, nodes.error_pct))
