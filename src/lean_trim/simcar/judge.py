"""How far a table is from the simulated engine; for the demo's "show truth" and for tests only."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.solve import Solution
from lean_trim.simcar.truth import Truth


def cell_error_pct(table: Table, vehicle: Vehicle, truth: Truth) -> np.ndarray:
    """Table over truth minus one at every cell, percent, in the table's shape."""
    mesh = np.meshgrid(*(a.points for a in table.axes), indexing="ij")
    real = truth.airflow_value(vehicle, tuple(m.ravel() for m in mesh)).reshape(table.shape)
    return np.asarray(100.0 * (table.values / real - 1.0))


def rms_where_driven(table: Table, solution: Solution, truth: Truth) -> float:
    """Root mean square of table over truth minus one, percent, over the cells a drive visited.

    Each nearest cell with at least half a second of used driving counts once, with the mean error
    of its samples.
    """
    observations = solution.observations
    frame = solution.frame
    at = tuple(a[observations.index] for a in frame.coordinates)
    error = table.lookup(*at) / truth.airflow_value(frame.vehicle, at) - 1.0
    cell = table.nearest(*at)
    seconds = np.bincount(cell, observations.seconds, table.size)
    squares = np.bincount(cell, observations.seconds * error**2, table.size)
    seen = seconds >= 0.5
    return float(100.0 * np.sqrt(np.mean(squares[seen] / seconds[seen])))
