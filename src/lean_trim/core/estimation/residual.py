"""How far a drive was from a table that needs no correction; the figure rounds are compared by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.frame import Frame
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats, Ints


@dataclass(frozen=True)
class Residual:
    """All in percent, weighted by time over the samples used; NaN where there are none.

    Attributes
    ----------
    rms : root mean square of k - 1 by cell, so that an hour at one point does not hide the rest.
    trim_rms : root mean square of the applied trims (STFT and LTFT together).
    within_3 : share of visited cells whose mean |k - 1| is at most 3 %.
    cells : number of cells visited.
    """

    rms: float
    trim_rms: float
    within_3: float
    cells: int


def residual_of(frame: Frame, observations: Observations, nearest: Ints) -> Residual:
    """Measure a drive against its own table. ``nearest`` is the cell of each observation, (m,).

    Parameters
    ----------
    frame : a log seen through its calibration.
    observations : what the sieve let through.
    nearest : flat index of the cell nearest to each observation, shape (m,).

    Returns
    -------
    The figures rounds are compared by.
    """
    if not len(observations):
        return Residual(np.nan, np.nan, np.nan, 0)
    size = frame.vehicle.table.size
    mean = cell_means(observations, nearest, size, observations.k)
    trims = cell_means(observations, nearest, size, frame.trim[observations.index])
    seen = np.isfinite(mean)
    if not seen.any():
        return Residual(np.nan, np.nan, np.nan, 0)
    gap = 100.0 * (mean[seen] - 1.0)
    has_trims = Role.STFT in frame.log or Role.LTFT in frame.log
    return Residual(
        float(np.sqrt(np.mean(gap**2))),
        float(100.0 * np.sqrt(np.mean((trims[seen] - 1.0) ** 2))) if has_trims else np.nan,
        float(100.0 * np.mean(np.abs(gap) <= 3.0)),
        int(seen.sum()),
    )


def cell_means(
    observations: Observations, cell: Ints, size: int, values: Floats, min_seconds: float = 0.5
) -> Floats:
    """Precision-weighted mean of a per-observation value in each nearest cell, flat.

    NaN below ``min_seconds``.

    Parameters
    ----------
    observations : m of them.
    cell : flat index of the cell of each, shape (m,).
    size : cells of the table.
    values : what is averaged, shape (m,).
    min_seconds : least driving in a cell, s.

    Returns
    -------
    Shape (size,).
    """
    weight = np.bincount(cell, observations.weight, minlength=size)
    seconds = np.bincount(cell, observations.seconds, minlength=size)
    total = np.bincount(cell, observations.weight * values, minlength=size)
    return np.where(seconds >= min_seconds, total / np.where(weight > 0, weight, 1.0), np.nan)
