"""Fuel about quick changes: what steady running would take, what was injected, what was needed, what if."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.film import GAP_S
from lean_trim.core.transients.classes import TransientClass
from lean_trim.core.transients.errors import AFTER_S, BEFORE_S, GRID, Measured
from lean_trim.core.transients.quick_changes import Rows
from lean_trim.core.transients.wall_film import (
    AHEAD,
    MAP_LAG,
    WallFilm,
    cylinder_mixture,
    film_share,
    film_tau,
)
from lean_trim.core.types import Floats, Mask

RUN_IN_S = 4.0
"""Driven before a change, s, so that the film has found its level."""
MOST_EDGES = 24
"""Changes of one class that are worked through; of more, evenly spread ones."""
Extra = Callable[[slice, Floats], Floats]


@dataclass(frozen=True, eq=False)
class FuelTraces:
    """Along a drive, shape (n,): fuel for steady running, injected and needed, in one unit."""

    time_s: Floats
    steady: Floats
    given: Floats
    needed: Floats


def fuel_traces(rows: Rows, film: WallFilm) -> FuelTraces:
    """What was injected and what a mixture on target needed.

    Returns the traces; 0 in fuel cuts.
    """
    from lean_trim.core.kernels.fuel_loops import fuel_for

    steady = _steady(rows, film)
    wanted = np.where(rows.fuel > 0.0, steady, 0.0)
    needed = fuel_for(
        rows.time_s, wanted, film_share(rows, film.theta), film_tau(rows, film.theta), GAP_S
    )
    return FuelTraces(rows.time_s, steady, rows.fuel, np.asarray(needed))


def _steady(rows: Rows, film: WallFilm) -> Floats:
    """Fuel the ECU injects in steady running at that state, at once in the cylinder."""
    air = rows.air * (1.0 + np.clip(film.theta[MAP_LAG] * rows.rate, *AHEAD))
    return np.asarray(air / rows.target * rows.held)


def chosen(one: TransientClass) -> tuple[Measured, ...]:
    """Changes of a class that are reckoned with; of very many so many evenly taken, for they say the same.

    Returns at most 24.
    """
    if len(one.events) <= MOST_EDGES:
        return one.events
    return tuple(one.events[i] for i in np.linspace(0, len(one.events) - 1, MOST_EDGES).astype(int))


def rows_near(rows: Rows, edges: Floats) -> Rows:
    """Rows about some edges, with what a film remembers.

    Parameters
    ----------
    rows : every row of a drive.
    edges : s, shape (m,).

    Returns
    -------
    Fewer rows.
    """
    keep = np.zeros(len(rows.time_s), bool)
    for edge in edges:
        first, last = np.searchsorted(rows.time_s, [edge - RUN_IN_S, edge + AFTER_S + 0.3])
        keep[first:last] = True
    return rows.at(np.flatnonzero(keep))


def with_extra(traces: FuelTraces, edges: Floats, extra_of: Extra) -> Floats:
    """Fuel with something else beyond the steady amount after every edge.

    Parameters
    ----------
    traces : of a drive, shape (n,).
    edges : s, shape (m,).
    extra_of : of rows after one edge and the seconds since it; gives what is beyond the steady
        amount, in the traces' unit.

    Returns
    -------
    Shape (n,); never below 0, and 0 in fuel cuts.
    """
    out = traces.given.copy()
    for edge in edges:
        first, last = np.searchsorted(traces.time_s, [edge, edge + AFTER_S])
        part = slice(int(first), int(last))
        wanted = traces.steady[part] + np.nan_to_num(extra_of(part, traces.time_s[part] - edge))
        out[part] = np.where(traces.given[part] > 0.0, np.maximum(wanted, 0.0), 0.0)
    return out


def modelled_error(events: Sequence[Measured], rows: Rows, film: WallFilm, fuel: Floats) -> Floats:
    """Mean lambda error about some changes by the model, where it was measured.

    Parameters
    ----------
    events : changes.
    rows : about them.
    film : of the engine.
    fuel : injected, shape of the rows.

    Returns
    -------
    Percent, on the grid.
    """
    mixture = cylinder_mixture(rows, film.theta, fuel)
    with np.errstate(invalid="ignore", divide="ignore"):
        error = np.where(fuel > 0.0, 100.0 * (rows.held / (mixture * rows.target) - 1.0), np.nan)
    edges = np.array([m.event.edge_s for m in events])
    return mean_trace(
        rows.time_s, error, edges, np.array([np.isfinite(m.error_pct) for m in events])
    )


def mean_trace(time_s: Floats, values: Floats, edges: Floats, seen: Mask | None = None) -> Floats:
    """Median over some edges; single rows of single events may be wild.

    Parameters
    ----------
    time_s, values : along a drive, shape (n,).
    edges : s, shape (m,).
    seen : times of the grid that count for each, shape (m, grid); all if None.

    Returns
    -------
    On the grid; NaN where none is known.
    """
    traces = []
    for edge in edges:
        first, last = np.searchsorted(time_s, [edge - BEFORE_S - 0.2, edge + AFTER_S + 0.2])
        traces.append(
            np.interp(
                edge + GRID, time_s[first:last], values[first:last], left=np.nan, right=np.nan
            )
        )
    found = np.array(traces) if seen is None else np.where(seen, np.array(traces), np.nan)
    return _median_of_known(found)


def _median_of_known(values: Floats) -> Floats:
    """Median down the rows, NaN left out; as NumPy's own, which takes ten times as long on few rows."""
    rows = np.sort(values, axis=0)
    # NaN stand behind all numbers.
    count = np.isfinite(values).sum(axis=0)
    at = np.arange(values.shape[1])
    lower = rows[np.maximum(count - 1, 0) // 2, at]
    upper = rows[np.minimum(count // 2, len(rows) - 1), at]
    return np.where(count > 0, 0.5 * (lower + upper), np.nan)
