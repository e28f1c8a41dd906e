"""Every cell answers which seconds say so; every second answers which cells it counted for."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from lean_trim.core.explore.adding_up import LEAST_SHARE
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.types import Floats, Mask


def samples_of_cells(solution: Solution, cells: Iterable[int]) -> Mask:
    """Log samples, shape (n,), that were used and read any of the cells.

    Parameters
    ----------
    solution : of one round.
    cells : flat indices.

    Returns
    -------
    True for samples that are evidence on one of them.
    """
    wanted = np.zeros(solution.estimate.table.size, bool)
    wanted[list(cells)] = True
    mesh = solution.observations.mesh
    hit = (wanted[mesh.cells] & (mesh.weights > LEAST_SHARE)).any(axis=1)
    mask = np.zeros(len(solution.frame.log), bool)
    mask[solution.observations.index[hit]] = True
    return mask


def seconds_by_cell(solution: Solution, start_s: float, end_s: float) -> Floats:
    """Used seconds each cell got between two times, in the table's shape.

    Parameters
    ----------
    solution : of one round.
    start_s, end_s : on the joined log, s.

    Returns
    -------
    Seconds by interpolation weight.
    """
    time = solution.frame.log.time_s
    return _seconds_of(solution, (time >= start_s) & (time <= end_s))


def _seconds_of(solution: Solution, samples: Mask) -> Floats:
    """Used seconds each cell got of some samples, shape (n,) of the joined log."""
    observations = solution.observations
    part = samples[observations.index]
    mesh = observations.mesh
    size = solution.estimate.table.size
    share = mesh.weights[part] * observations.seconds[part][:, None]
    total: Floats = np.bincount(mesh.cells[part].ravel(), share.ravel(), size).astype(float)
    return total.reshape(solution.estimate.table.shape)


def cells_of_span(
    solution: Solution, start_s: float, end_s: float, min_seconds: float = 0.1
) -> frozenset[int]:
    """Cells that got at least ``min_seconds`` of used driving between two times.

    Parameters
    ----------
    solution : of one round.
    start_s, end_s : on the joined log, s.
    min_seconds : least driving, s.

    Returns
    -------
    Flat indices.
    """
    return frozenset(
        np.flatnonzero(seconds_by_cell(solution, start_s, end_s).ravel() >= min_seconds).tolist()
    )


def cells_of_samples(solution: Solution, samples: Mask, min_seconds: float = 0.1) -> frozenset[int]:
    """Cells that got at least ``min_seconds`` of used driving of some samples.

    Parameters
    ----------
    solution : of one round.
    samples : shape (n,) of the joined log.
    min_seconds : least driving, s.

    Returns
    -------
    Flat indices; none where the sieve took all of the samples out.
    """
    seconds = _seconds_of(solution, samples)
    return frozenset(np.flatnonzero(seconds.ravel() >= min_seconds).tolist())
