"""From what the sieve let through to an estimate: the surface, averages, and what only bounds say."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.nuisance_terms import heat_by_cell
from lean_trim.core.estimation.averages import AverageSettings, average_cells
from lean_trim.core.estimation.bounds import (
    ROUNDS,
    SETTLED_PCT,
    Bounds,
    beyond_bounds,
    bound_sums,
    joined_with,
    with_bounds,
)
from lean_trim.core.estimation.carried import Carried
from lean_trim.core.estimation.edge_nodes import edge_nodes, gaps_along, with_edge_error
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.surface import SurfaceSettings, fit_surface
from lean_trim.core.pipeline.carrying import NONE_EARLIER, EarlierDrives, gaps_with
from lean_trim.core.pipeline.layers import with_others_error
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.pipeline.too_few import MIN_OBSERVATIONS, TooFewError
from lean_trim.core.sieve.sieve import Sifted


def surface_from(
    prepared: Prepared,
    sifted: Sifted,
    observations: Observations,
    settings: SurfaceSettings,
    start: Estimate | None = None,
    before: EarlierDrives = NONE_EARLIER,
) -> Estimate:
    """Surface through what the sieve let through; LogError if too little is left.

    Parameters
    ----------
    prepared, sifted, observations : from the earlier stages.
    settings : of the fit.
    start : an earlier estimate to begin the fit from.
    before : what earlier drives say.

    Returns
    -------
    Correction per cell, and the coefficients of what all samples share.

    Raises
    ------
    TooFewError
        If fewer than ``MIN_OBSERVATIONS`` are left.
    """
    bounds = prepared.bounds(sifted)
    if len(observations) + len(bounds) < MIN_OBSERVATIONS:
        raise TooFewError(len(observations), prepared, sifted)
    found = (
        _bounded(prepared, observations, bounds, settings, start, before.readings)
        if len(bounds)
        else _fitted(prepared, observations, settings, start, before.readings)
    )
    table = prepared.frame.vehicle.table
    found = with_others_error(found, observations, settings.max_error_pct)
    gaps = gaps_with(gaps_along(prepared.frame, observations), before)
    return with_edge_error(found, edge_nodes(table, gaps))


def _fitted(
    prepared: Prepared,
    observations: Observations,
    settings: SurfaceSettings,
    start: Estimate | None,
    carried: Carried | None,
) -> Estimate:
    vehicle = prepared.frame.vehicle
    time_s = prepared.frame.log.time_s
    heat = heat_by_cell(vehicle)
    return fit_surface(observations, vehicle.table, time_s, settings, start, heat, carried)


def _bounded(
    prepared: Prepared,
    observations: Observations,
    bounds: Bounds,
    settings: SurfaceSettings,
    start: Estimate | None,
    carried: Carried | None,
) -> Estimate:
    """The surface through readings and beyond bounds."""
    both = joined_with(observations, bounds.at)
    found = start or _fitted(prepared, both, settings, None, carried)
    for _ in range(ROUNDS):
        both = with_bounds(observations, bounds, found)
        last = found.correction_pct
        found = _fitted(prepared, both, settings, found, carried)
        if np.nanmax(np.abs(found.correction_pct - last)) < SETTLED_PCT:
            break
    return beyond_bounds(found, bound_sums(observations, both, bounds, found.table.size))


def averages_from(
    frame: Frame, observations: Observations, surface: Estimate, settings: AverageSettings
) -> Estimate:
    """Cell averages of what is the table's own.

    Delay, film, warm-up and heat are no matter of methods: they are taken from the surface that was
    fitted with them.

    Parameters
    ----------
    frame : the joined log.
    observations : less what film, warm-up and heat explain.
    surface : the estimate these were taken from.
    settings : of the averages.

    Returns
    -------
    Mean per cell, with the surface's coefficients and state.
    """
    found = average_cells(
        observations, surface.table, frame.coordinates, frame.log.time_s, settings
    )
    return replace(found, shared=surface.shared, state=surface.state, converged=surface.converged)


def own_drive(frame: Frame, observations: Observations) -> Observations:
    """Observations of the logs driven on the present table.

    All of them if every log is of another revision.

    Parameters
    ----------
    frame : the joined log.
    observations : of all its logs.

    Returns
    -------
    Those a residual may be read from.
    """
    foreign = [p for p in frame.pieces if p.table is not None]
    if not foreign or len(foreign) == len(frame.pieces):
        return observations
    # A residual of another revision says nothing about how far this table is off.
    keep = np.ones(len(observations), bool)
    for piece in foreign:
        keep &= (observations.index < piece.start) | (observations.index >= piece.stop)
    return observations.only(keep)
