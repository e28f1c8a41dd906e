"""How much of a need that grows with flow is written while nobody logged the fuel pressure.

A pump that sags needs fuel as an airflow table that lacks it does, more and more with flow. What
full throttle needs beyond what the same engine speed needs at little flow is therefore in question
without a pressure channel: a part of it is written, and the rest waits for one deliberate word.
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.table_kinds import row_pressures
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.types import Floats

LITTLE = 0.6
"""Share of the largest flow driven below which no pump falls behind (common practice, no
source)."""
LOADED_KPA = 85.0
"""Manifold pressure from which a row is full throttle or boost, kPa."""
WRITTEN_PCT = 8.0
"""Most that is written beyond what the same speed needs at little flow, percent (common practice,
no source)."""


def supply_ceiling_pct(vehicle: Vehicle, estimate: Estimate) -> Floats:
    """Largest step of each cell until the fuel supply is known to be sound.

    Parameters
    ----------
    vehicle : with its table.
    estimate : of that table.

    Returns
    -------
    Percent, in the table's shape; infinite where nothing is in question.
    """
    table = estimate.table
    out = np.full(table.shape, np.inf)
    pressures = row_pressures(table)
    supported = estimate.supported
    if pressures is None or not vehicle.is_speed_density or not supported.any():
        return out
    pressure, rpm = np.meshgrid(pressures, table.axes[1].points, indexing="ij")
    flow = table.values * pressure * rpm
    little = supported & (flow <= LITTLE * flow[supported].max())
    if not little.any():
        return out
    asked = np.nan_to_num(estimate.correction_pct)
    weight = np.where(little, np.maximum(estimate.seconds, 1e-3), 0.0)
    overall = float((weight * asked).sum() / weight.sum())
    columns = weight.sum(axis=0)
    mean = np.where(
        columns > 0.0, (weight * asked).sum(axis=0) / np.maximum(columns, 1e-12), overall
    )
    in_question = (pressure >= LOADED_KPA) & (flow > LITTLE * flow[supported].max())
    ceiling = np.maximum(0.0, mean + WRITTEN_PCT)
    out[in_question] = np.broadcast_to(ceiling, table.shape)[in_question]
    return out
