"""Every cell answers which seconds say so; every second answers which cells it counted for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from lean_trim.core.estimation.cell_evidence import MIN_SHARE, VISIT_GAP_S
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.types import Floats, Mask


@dataclass(frozen=True)
class Visit:
    """One stretch of time spent in the chosen cells, with its mean correction factor."""

    start_s: float
    end_s: float
    seconds: float
    k: float


def samples_of_cells(solution: Solution, cells: Iterable[int]) -> Mask:
    """Log samples, shape (n,), that were used and read any of the cells with a share of at least 20 %.

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
    hit = (wanted[mesh.cells] & (mesh.weights >= MIN_SHARE)).any(axis=1)
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
    observations = solution.observations
    time = solution.frame.log.time_s[observations.index]
    part = (time >= start_s) & (time <= end_s)
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


def visits_of_cells(solution: Solution, cells: Iterable[int]) -> list[Visit]:
    """Separate visits to a set of cells, in time order.

    Parameters
    ----------
    solution : of one round.
    cells : flat indices.

    Returns
    -------
    When each began and ended, for how long it was used, and what it asked for.
    """
    mask = samples_of_cells(solution, cells)
    index = np.flatnonzero(mask)
    if not len(index):
        return []
    log = solution.frame.log
    k = solution.k_along
    time = log.time_s[index]
    dt = log.durations_s[index]
    cuts = np.flatnonzero(np.diff(time) > VISIT_GAP_S) + 1
    groups = np.split(np.arange(len(index)), cuts)
    return [
        Visit(
            float(time[g[0]]),
            float(time[g[-1]]),
            float(dt[g].sum()),
            float(np.average(k[index][g], weights=dt[g])),
        )
        for g in groups
    ]
