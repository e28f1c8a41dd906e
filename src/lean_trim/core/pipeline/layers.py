"""Several VE tables blended over a position: what a drive says of one of them, the others being wrong too.

A sample between two positions tells of both tables at once. They are told apart by going round: each
is fitted to what the others, as they are known so far, leave of every sample it had part in, which
ends where a fit of all tables at once would. The error of the others goes into each.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.tables import Interpolation
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import coordinates
from lean_trim.core.drive.frame import mesh_along, read_along
from lean_trim.core.drive.layers import layer_shares, layer_values
from lean_trim.core.drive.nuisance_terms import heat_by_cell
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.surface import SurfaceSettings, fit_surface
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.sieve.rules_limits import LEAST_LAYER_SHARE
from lean_trim.core.types import Floats, Mask

ROUNDS = 6
"""Times all tables are gone round."""
SETTLED = 5e-4
"""Change of a factor along the drive below which going round has ended, rms."""
LEAST_SAMPLES = 30
"""Samples a table needs to be told at all; else it is taken to be right."""
UNKNOWN_PCT = 3.0
"""How far a table is off that the drive never used by itself, percent, standard deviation (a choice)."""
K_RANGE = (0.3, 3.0)
"""What is left of a sample for one table is kept within this."""


@dataclass(frozen=True, eq=False)
class Part:
    """One of the tables along the used samples.

    Attributes
    ----------
    vehicle : as seen by it.
    mesh : cells and weights the ECU read of it.
    share : of the believed air that came from it, shape (m,).
    told : samples that tell of it.
    """

    vehicle: Vehicle
    mesh: Interpolation
    share: Floats
    told: Mask


def told_of_layer(
    prepared: Prepared, observations: Observations, settings: SurfaceSettings
) -> Observations:
    """Take the other VE tables' part off every used sample.

    Parameters
    ----------
    prepared : of a vehicle, as seen by the table under correction.
    observations : of all tables together.
    settings : of the fit.

    Returns
    -------
    With k of that table alone, its part of every sample's weight, and what the others' errors may make of
    it; unchanged of a vehicle with one VE table.
    """
    vehicle = prepared.frame.vehicle
    if not vehicle.layers or not len(observations):
        return observations
    parts = _parts(prepared, observations)
    own = parts[vehicle.table_name]
    time_s = prepared.frame.log.time_s
    start = fit_surface(
        _weighted(observations, own), vehicle.table, time_s, settings, heat=heat_by_cell(vehicle)
    )
    # What film, warm-up and heat make of a sample is not the others' part of it.
    coefficients = np.array([c.value for c in start.shared])
    beside = coefficients @ observations.terms.values if len(coefficients) else 0.0
    plain = observations.k - beside
    factors, errors = _gone_round(parts, observations, plain, time_s, settings)
    left = _left_for(vehicle.table_name, parts, plain, factors)
    others = sum(
        (part.share * errors[name] for name, part in parts.items() if part is not own),
        np.zeros(len(observations)),
    )
    return replace(
        observations,
        k=left + beside,
        weight=observations.weight * own.share**2,
        others_pct=others / np.maximum(own.share, LEAST_LAYER_SHARE),
    )


def _parts(prepared: Prepared, observations: Observations) -> dict[str, Part]:
    frame = prepared.frame
    shares = layer_shares(frame.log, frame.vehicle)
    values = layer_values(frame.log, frame.vehicle)
    at = observations.index
    whole = sum(shares[name][at] * values[name][at] for name in shares)
    out = {}
    for name in frame.vehicle.airflow_tables:
        seen = frame.vehicle.seen_by(name)
        mesh = (
            observations.mesh
            if name == frame.vehicle.table_name
            else mesh_along(seen.table, tuple(x[at] for x in coordinates(frame.log, seen)))
        )
        with np.errstate(divide="ignore", invalid="ignore"):
            share = np.nan_to_num(shares[name][at] * values[name][at] / whole)
        out[name] = Part(seen, mesh, share, share >= LEAST_LAYER_SHARE)
    return out


def _weighted(observations: Observations, part: Part) -> Observations:
    """The samples that tell of a table, each by the part it had."""
    mine = replace(
        observations, mesh=part.mesh, weight=observations.weight * np.maximum(part.share, 0.0) ** 2
    )
    return mine.only(part.told)


def _gone_round(
    parts: dict[str, Part],
    observations: Observations,
    plain: Floats,
    time_s: Floats,
    settings: SurfaceSettings,
) -> tuple[dict[str, Floats], dict[str, Floats]]:
    """Factor by which every table is wrong at the used samples, and its error there, percent."""
    # What all samples share was taken off before.
    nothing = replace(observations.terms, values=np.zeros_like(observations.terms.values))
    fitted: dict[str, Estimate] = {}
    # At first all are taken to be wrong alike.
    factors = dict.fromkeys(parts, plain)
    errors = {name: np.full(len(plain), UNKNOWN_PCT) for name in parts}
    for turn in range(ROUNDS):
        moved = 0.0
        for name, part in parts.items():
            if part.told.sum() < LEAST_SAMPLES:
                factors[name] = np.ones(len(plain))
                continue
            left = plain if turn == 0 else _left_for(name, parts, plain, factors)
            mine = _weighted(replace(observations, k=left, terms=nothing), part)
            table = part.vehicle.table
            found = fit_surface(mine, table, time_s, settings, start=fitted.get(name))
            fitted[name] = found
            along = 1.0 + np.nan_to_num(found.correction_pct) / 100.0
            after = read_along(part.mesh, table.values * along) / read_along(
                part.mesh, table.values
            )
            on = part.told
            moved = max(moved, float(np.sqrt(np.mean((after[on] - factors[name][on]) ** 2))))
            factors[name] = after
            unknown = np.nan_to_num(found.own_error_pct, nan=UNKNOWN_PCT)
            errors[name] = read_along(part.mesh, unknown)
        if turn and moved < SETTLED:
            break
    return factors, errors


def _left_for(
    name: str, parts: dict[str, Part], plain: Floats, factors: dict[str, Floats]
) -> Floats:
    """What is left of k for one table when the others' part is taken off."""
    others = sum(
        (parts[other].share * factors[other] for other in parts if other != name),
        np.zeros(len(plain)),
    )
    share = np.maximum(parts[name].share, LEAST_LAYER_SHARE)
    return np.asarray(np.clip((plain - others) / share, *K_RANGE))


def with_others_error(estimate: Estimate, observations: Observations, most_pct: float) -> Estimate:
    """An estimate with what the other tables' errors may make of its cells.

    Parameters
    ----------
    estimate : of the table under correction.
    observations : it was fitted to.
    most_pct : error above which a cell does not count as supported.

    Returns
    -------
    The same correction with larger errors and fewer cells supported; unchanged where there is one VE table.
    """
    if observations.others_pct is None:
        return estimate
    mesh = observations.mesh
    weight = (mesh.weights * observations.weight[:, None]).ravel()
    cells = estimate.table.size
    sums = np.zeros(cells)
    weighed = np.zeros(cells)
    np.add.at(sums, mesh.cells.ravel(), weight)
    others = np.repeat(observations.others_pct, mesh.cells.shape[1])
    np.add.at(weighed, mesh.cells.ravel(), weight * others)
    mean = np.divide(weighed, sums, out=np.zeros(cells), where=sums > 0.0)
    error = np.hypot(estimate.own_error_pct, mean.reshape(estimate.table.shape))
    # Whoever accepts by the error has to see all of it.
    return replace(
        estimate, own_error_pct=error, supported=estimate.supported & (error <= most_pct)
    )
