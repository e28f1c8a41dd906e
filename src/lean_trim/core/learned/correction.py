"""What a learned map says of the airflow table, alone or beside a drive."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.table_kinds import heavy_rows, row_pressures
from lean_trim.core.data.tables import Table
from lean_trim.core.estimation.bordered import Bordered, Factor, banded
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.surface_prior import Prior
from lean_trim.core.learned.reading import CellState, LearnedReading, check_fits, neighbours
from lean_trim.core.types import Floats, Mask

NEVER_LEANER_KPA = 80.0
"""Manifold pressure above which a learned map alone takes no fuel out (common practice, no source)."""
TRUST_PCT = 2.0
"""How far a learned cell may be off by itself, one standard deviation: delay smears it, and it was not
learned to the end (a choice)."""
OVERRUN_KPA = 30.0
OVERRUN_RPM = 1500.0
OVERRUN_TRUST_PCT = 6.0
"""Below that pressure and above that speed the engine is dragged: what is learned there is mostly fuel that
leaves the walls after the pedal was let go (common practice, no source; the trust is a choice)."""
LEAST_USED = 0.5
"""Share of believed cells around a node from which it may be changed: within half a step of one."""
AMONG = 6
"""Believed cells of the eight around from which a cell stands among them."""
SPREAD = 0.2
"""How far a cell may be off before anything is known, one standard deviation (as of the surface)."""
LEAST_ERROR = 1e-3
"""No drive knows a node better than that, as a logarithm (a choice)."""
MOST_ERROR_PCT = 5.0
"""Own error up to which a node is changed, percent points (a choice)."""


@dataclass(frozen=True, eq=False)
class LearnedCorrection:
    """Change of the airflow table by a learned map; arrays in the table's shape.

    Attributes
    ----------
    asked_pct : what the map, and the drive beside it, ask.
    error_pct : one standard error of it, percent points.
    step_pct : what may be written of it; 0 where nothing may.
    by_map : nodes the map speaks of and no drive does.
    held : of these, where it would take fuel out and must not.
    differs_pct : what the drive asks beyond the map where both speak, mean over nodes; NaN without.
    """

    asked_pct: Floats
    error_pct: Floats
    step_pct: Floats
    by_map: Mask
    held: Mask
    differs_pct: float


def correct_by(
    reading: LearnedReading,
    table: Table,
    beside: Estimate | None = None,
    most_added_pct: float = 25.0,
    most_removed_pct: float = 20.0,
) -> LearnedCorrection:
    """Work out what a learned map says of a table.

    The map's cells are points at which the table is off by their trim; the table between them bends no more
    than the surface of a drive would. Where a drive supports a node its word counts as well, by its error.

    Parameters
    ----------
    reading : the map as understood.
    table : it was learned on, under correction.
    beside : what a drive on the same table says; None for the map alone.
    most_added_pct, most_removed_pct : largest steps, percent.

    Returns
    -------
    Per node; steps only where no drive speaks.

    Raises
    ------
    BadInputError
        If the map is read by something else than the table.
    """
    check_fits(reading.table, table)
    used = np.isfinite(reading.fuel_pct)
    known = np.zeros(table.shape, bool)
    if beside is not None:
        known = beside.supported & np.isfinite(beside.correction_pct)
    asked, error_pct = _asked(reading, used, table, beside, known)
    fuel = _without_holes(reading)
    near = _near(reading.table, np.isfinite(fuel), table)
    by_map = (near >= LEAST_USED) & (error_pct <= MOST_ERROR_PCT) & ~known
    low, high = _around(reading.table, fuel, table)
    within = np.clip(asked, np.maximum(low, -most_removed_pct), np.minimum(high, most_added_pct))
    step = np.where(by_map, within, 0.0)
    # Nobody was there: what stands around may add fuel, never take it out.
    learned = _near(reading.table, used | (reading.state == CellState.FLARE), table) >= LEAST_USED
    step = np.where(learned, step, np.maximum(step, 0.0))
    held = by_map & (step < 0.0) & never_leaner(table)
    step[held] = 0.0
    return LearnedCorrection(
        asked_pct=asked,
        error_pct=error_pct,
        step_pct=step,
        by_map=by_map,
        held=held,
        differs_pct=_differs(reading, used, table, beside, known),
    )


def _asked(
    reading: LearnedReading, used: Mask, table: Table, beside: Estimate | None, known: Mask
) -> tuple[Floats, Floats]:
    """What believed cells and known nodes ask of every node, and its error; percent, in the table's shape."""
    places = _places(reading.table, used)
    weights = _weights(table, places)
    sigma = float(np.hypot(TRUST_PCT, reading.scatter_pct)) / 100.0
    wanted = np.log1p(reading.fuel_pct[used] / 100.0)
    trust = np.where(_overrun(reading.table, places), (TRUST_PCT / OVERRUN_TRUST_PCT) ** 2, 1.0)
    matrix = weights.T @ (trust[:, None] * weights)
    right = weights.T @ (trust * wanted)
    if beside is not None:
        share = (sigma / np.maximum(beside.own_error_pct.ravel() / 100.0, LEAST_ERROR)) ** 2
        share = np.where(known.ravel(), np.nan_to_num(share), 0.0)
        matrix = matrix + np.diag(share)
        right = right + share * np.log1p(np.nan_to_num(beside.correction_pct.ravel()) / 100.0)
    unknown, error = _fit(table, matrix, right, sigma)
    return (100.0 * np.expm1(unknown).reshape(table.shape), 100.0 * error.reshape(table.shape))


def never_leaner(table: Table) -> Mask:
    """Cells out of which a learned map alone takes no fuel.

    Parameters
    ----------
    table : a grid.

    Returns
    -------
    In its shape.
    """
    pressures = row_pressures(table)
    rows = heavy_rows(table) if pressures is None else pressures > NEVER_LEANER_KPA
    return np.broadcast_to(rows[:, None], table.shape).copy()


def _overrun(learned: Table, places: tuple[Floats, Floats]) -> Mask:
    """Places at which the engine is dragged; none where rows are no pressure."""
    pressures = row_pressures(learned)
    if pressures is None:
        return np.zeros(len(places[0]), bool)
    kpa = np.interp(places[0], learned.axes[0].points, pressures)
    return (kpa < OVERRUN_KPA) & (places[1] > OVERRUN_RPM)


def _places(learned: Table, used: Mask) -> tuple[Floats, Floats]:
    """Coordinates of the believed cells, along both axes."""
    rows, columns = np.nonzero(used)
    return learned.axes[0].points[rows], learned.axes[1].points[columns]


def _weights(table: Table, places: tuple[Floats, Floats]) -> Floats:
    """What each place reads of the table, shape (places, cells)."""
    mesh = table.interpolate(*places)
    out = np.zeros((len(places[0]), table.size))
    for corner in range(mesh.cells.shape[1]):
        out[np.arange(len(out)), mesh.cells[:, corner]] += mesh.weights[:, corner]
    return out


def _fit(table: Table, matrix: Floats, right: Floats, sigma: float) -> tuple[Floats, Floats]:
    """Logarithm of the correction per cell and its error, with the prior of the surface."""
    none = np.zeros((0,))
    prior = Prior(table, SPREAD, none)
    # Places of a grid coarser than the table read cells that stand next to each other, so the band
    # holds them.
    data = Bordered(banded(matrix, prior.band), np.zeros((0, table.size)), np.zeros((0, 0)))
    unit = 1.0 / sigma**2
    strengths = prior.choose(data, right, unit)
    factor = Factor(prior.precision(strengths).plus(data, unit))
    unknown = factor.solve(unit * right + prior.linear(strengths))
    return unknown, np.sqrt(np.maximum(factor.inverse().lower[0], 0.0))


def _near(learned: Table, used: Mask, table: Table) -> Floats:
    """Share of believed cells among those the map holds around each node of the table; 0 outside it."""
    rows, columns = np.meshgrid(*(a.points for a in table.axes), indexing="ij")
    at = (rows.ravel(), columns.ravel())
    mesh = learned.interpolate(*at)
    share = np.einsum("ij,ij->i", mesh.weights, used.ravel()[mesh.cells].astype(float))
    inside = np.ones(len(share), bool)
    for axis, x in zip(learned.axes, at, strict=True):
        # A cell of the map stands for half a step around it, at its ends as well.
        half = np.diff(axis.points)[[0, -1]] / 2.0
        inside &= (x >= axis.points[0] - half[0]) & (x <= axis.points[-1] + half[1])
    return np.where(inside, share, 0.0).reshape(table.shape)


def _without_holes(reading: LearnedReading) -> Floats:
    """Fuel of the believed cells, and of such as are not but stand among them, percent; NaN elsewhere.

    A cell left alone between corrected neighbours would be a hole in the mixture.
    """
    fuel = reading.fuel_pct
    around = neighbours(fuel, beyond=np.nan)
    among = np.isnan(fuel) & (np.isfinite(around).sum(axis=0) >= AMONG)
    out = fuel.copy()
    out[among] = np.nanmedian(around[:, among], axis=0)
    return out


def _around(learned: Table, fuel: Floats, table: Table) -> tuple[Floats, Floats]:
    """Least and most the believed cells around each node learned, 0 among them, percent.

    The surface goes on past the last of them; what is written does not.
    """
    rows, columns = np.meshgrid(*(a.points for a in table.axes), indexing="ij")
    mesh = learned.interpolate(rows.ravel(), columns.ravel())
    known = np.where(mesh.weights > 0.0, np.nan_to_num(fuel).ravel()[mesh.cells], 0.0)
    low = np.minimum(known.min(axis=1), 0.0)
    high = np.maximum(known.max(axis=1), 0.0)
    return low.reshape(table.shape), high.reshape(table.shape)


def _differs(
    reading: LearnedReading, used: Mask, table: Table, beside: Estimate | None, known: Mask
) -> float:
    """What a drive asks beyond the map where both speak, percent."""
    if beside is None:
        return float("nan")
    mesh = table.interpolate(*_places(reading.table, used))
    sure = (known.ravel()[mesh.cells] | (mesh.weights < 1e-9)).all(axis=1)
    if not sure.any():
        return float("nan")
    driven = np.einsum(
        "ij,ij->i", mesh.weights, np.nan_to_num(beside.correction_pct).ravel()[mesh.cells]
    )
    return float(np.mean((driven - reading.fuel_pct[used])[sure]))
