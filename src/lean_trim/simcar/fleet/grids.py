"""Axes of random tables, tables that are wrong, and what a table can hold of a surface at best.

Written apart from the computation's own tables, so that an error there shows here.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

Array = np.ndarray
COARSE_STEPS_PER_CELL = 6
"""Points along each side of a grid square at which a surface is compared with its table."""


@dataclass(frozen=True)
class GridKind:
    """How finely a table is cut."""

    name: str
    rows: int
    columns: int


KINDS = (GridKind("coarse", 5, 8), GridKind("mid", 10, 16), GridKind("fine", 20, 27))


def axes_for(
    rng: np.random.Generator, kind: GridKind, redline_rpm: float, top_kpa: float
) -> tuple[Array, Array]:
    """Points of (MAP, engine speed), closer where an engine idles, as tables usually are."""
    rows = kind.rows + (round(kind.rows * 0.4) if top_kpa > 120.0 else 0)
    bend = float(rng.uniform(1.0, 1.5))
    low = float(rng.choice([12.0, 15.0, 20.0]))
    map_kpa = low + (top_kpa - low) * np.linspace(0.0, 1.0, rows) ** float(rng.uniform(1.0, 1.15))
    rpm = 500.0 + (redline_rpm - 500.0) * np.linspace(0.0, 1.0, kind.columns) ** bend
    return np.round(map_kpa), np.round(rpm / 50.0) * 50.0


def locate(points: Array, x: Array) -> tuple[Array, Array]:
    """Interval of each value and its fraction, clamped to the ends."""
    x = np.clip(x, points[0], points[-1])
    i = np.clip(np.searchsorted(points, x, side="right") - 1, 0, len(points) - 2)
    return i, (x - points[i]) / (points[i + 1] - points[i])


def corners(map_axis: Array, rpm_axis: Array, map_kpa: Array, rpm: Array) -> tuple[Array, Array]:
    """Flat cells (n, 4) an ECU reads and their weights (n, 4)."""
    j, v = locate(map_axis, map_kpa)
    i, u = locate(rpm_axis, rpm)
    width = len(rpm_axis)
    first = j * width + i
    cells = np.stack([first, first + 1, first + width, first + width + 1], axis=1)
    weights = np.stack([(1 - v) * (1 - u), (1 - v) * u, v * (1 - u), v * u], axis=1)
    return cells, weights


def best_table(
    map_axis: Array, rpm_axis: Array, surface: Array, map_kpa: Array, rpm: Array
) -> Array:
    """The table whose interpolation comes closest to a surface, by least squares of relative errors.

    ``surface``, ``map_kpa`` and ``rpm`` are values at points all over the table. The surface's own
    value at a node is another thing: on a coarse table it misses by percents.
    """
    from scipy.sparse import csr_array
    from scipy.sparse.linalg import spsolve

    cells, weights = corners(map_axis, rpm_axis, map_kpa, rpm)
    size = len(map_axis) * len(rpm_axis)
    row = np.repeat(np.arange(len(surface)), cells.shape[1])
    share = (weights / surface[:, None]).ravel()
    matrix = csr_array((share, (row, cells.ravel())), shape=(len(surface), size))
    # Every cell is read by points on all its sides, so the normal equations are sound.
    found = spsolve((matrix.T @ matrix).tocsc(), matrix.T @ np.ones(len(surface)))
    return np.asarray(found.reshape(len(map_axis), len(rpm_axis)))


def between_points(axis: Array, per_cell: int = COARSE_STEPS_PER_CELL) -> Array:
    """Points in the middle of equal parts of every interval."""
    parts = (np.arange(per_cell) + 0.5) / per_cell
    return np.asarray((axis[:-1, None] + parts * np.diff(axis)[:, None]).ravel())


def wrong_by(rng: np.random.Generator, map_axis: Array, rpm_axis: Array) -> Array:
    """Relative error of a table that came from another engine: a level, broad hills, and jitter by hand."""
    x, y = np.meshgrid(rpm_axis / rpm_axis[-1], map_axis / 100.0)
    level = float(rng.choice([0.0, 0.03, 0.08, 0.16])) * float(rng.choice([-1.0, 1.0]))
    hills = sum(
        float(rng.normal(0.0, 0.04))
        * np.sin(float(rng.uniform(1.5, 5.0)) * x + float(rng.uniform(0, 6)))
        * np.cos(float(rng.uniform(1.0, 3.5)) * y + float(rng.uniform(0, 6)))
        for _ in range(3)
    )
    jitter = float(rng.choice([0.0, 0.008, 0.015])) * rng.standard_normal(x.shape)
    return np.asarray(np.clip(level + hills + jitter, -0.3, 0.3))
