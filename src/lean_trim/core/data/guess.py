"""An airflow table from first principles, for a car of which none is at hand: a guess, and called one."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from lean_trim.core.data.table_kinds import airflow_grid
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import COMPRESSION
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.types import Floats

EXPANSION = 1.3
"""Polytropic exponent of the burnt gas left in the cylinder."""
PEAK_AT = 0.65
"""Share of the highest engine speed at which filling is best (common practice, no source)."""
FALL = 0.30
"""How much filling falls from its best to standstill (common practice, no source)."""
NAME = "VE, a guess"


def guessed_ve(
    rpm: ArrayLike, map_kpa: ArrayLike, peak_pct: float = 92.0, exhaust_kpa: float = STANDARD_KPA
) -> Floats:
    """Volumetric efficiency relative to manifold pressure.

    Burnt gas left at exhaust pressure takes room from the charge: VE ∝ [r - (p_exh/MAP)^(1/γ)]/(r -
    1), a textbook result quoted from memory. Over engine speed a parabola stands for the tuning of
    the ducts.

    Parameters
    ----------
    rpm : 1/min, shape (n,), rising; the last one is the highest.
    map_kpa : kPa absolute, shape (m,).
    peak_pct : at 100 kPa and the best engine speed, percent.
    exhaust_kpa : behind the valves.

    Returns
    -------
    Percent, shape (m, n).
    """
    speed = np.asarray(rpm, float)
    pressure = np.asarray(map_kpa, float)

    def room(kpa: Floats) -> Floats:
        left = (exhaust_kpa / np.maximum(kpa, 1.0)) ** (1.0 / EXPANSION)
        return np.asarray(np.maximum((COMPRESSION - left) / (COMPRESSION - 1.0), 0.2))

    filling = room(pressure) / room(np.array([100.0]))
    x = speed / speed[-1]
    width = np.maximum(PEAK_AT, 1.0 - PEAK_AT)
    shape = 1.0 - FALL * ((x - PEAK_AT) / width) ** 2
    return np.asarray(np.round(peak_pct * np.outer(filling, shape), 1))


def guessed_table(
    highest_rpm: float,
    highest_kpa: float,
    peak_pct: float = 92.0,
    rows: int = 16,
    columns: int = 16,
) -> Table:
    """A whole VE table on axes that fit the engine.

    Parameters
    ----------
    highest_rpm : last column, 1/min.
    highest_kpa : last row, kPa absolute.
    peak_pct : VE at its best, percent.
    rows, columns : how many.

    Returns
    -------
    The table, named a guess.
    """
    rpm = _even(500.0, highest_rpm, columns, 50.0)
    kpa = _even(20.0, highest_kpa, rows, 1.0)
    grid = airflow_grid(rpm, kpa, guessed_ve(rpm, kpa, peak_pct))
    return Table(grid.axes, grid.values, grid.unit, NAME)


def _even(first: float, last: float, count: int, step: float) -> Floats:
    points = np.round(np.linspace(first, last, count) / step) * step
    return np.asarray(np.unique(points))
