"""From an estimate to the table that would be written: gain, step limits, resolution and range."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .errors import BadInputError
from .estimate import Estimate
from .physics import Floats
from .tables import Table
from .vehicle import TableLimits

Unvisited = Literal["keep", "carry", "taper"]


class Status(StrEnum):
    """Which rule decided a cell."""

    CORRECTED = "corrected"
    KEPT = "kept"
    LIMITED = "limited"
    RANGE = "range"
    PINNED = "pinned"
    KNOCK = "knock"
    CARRIED = "carried"
    RISING = "rising"


STATUS_TEXT = {
    Status.CORRECTED: "changed by what the drive says",
    Status.KEPT: "kept: not enough steady driving here",
    Status.LIMITED: "changed by the step limit, less than asked; drive again before going further",
    Status.RANGE: "stopped at the end of the table's range; the scale has to be moved, not the cell",
    Status.PINNED: "kept: pinned by hand",
    Status.KNOCK: "kept: knock was seen here, so no fuel is taken out",
    Status.CARRIED: "not driven: enriched as its nearest driven neighbour was",
    Status.RISING: "raised so that the curve never falls",
}


@dataclass(frozen=True)
class PolicySettings:
    """How much of an estimate is written at once (common practice, no source).

    gain : share of the wanted correction, 0 to 1.
    add_limit_pct : largest step towards more fuel, 0 to 100.
    remove_limit_pct : largest step towards less fuel up to atmospheric, 0 to 100.
    boost_remove_limit_pct : the same above atmospheric, 0 to 100; lean there destroys engines.
    atmospheric_kpa : pressure from which a VE cell counts as boosted.
    rich_bias_pct : extra fuel in every corrected cell, so that a failed sensor leaves the engine safe, 0 to 5.
    unvisited : what happens to cells without support: "keep" their value; "carry" the enrichment of the nearest driven
        cell, never a leaning; "taper" the same, halved with every cell of distance.
    pinned : flat indices of cells that must not change.
    """

    gain: float = 1.0
    add_limit_pct: float = 25.0
    remove_limit_pct: float = 20.0
    boost_remove_limit_pct: float = 12.0
    atmospheric_kpa: float = 101.0
    rich_bias_pct: float = 0.0
    unvisited: Unvisited = "keep"
    pinned: frozenset[int] = field(default_factory=frozenset)

    def __post_init__(self) -> None:
        if not 0.0 <= self.gain <= 1.0:
            raise BadInputError(f"gain is {self.gain:g}; allowed is 0 to 1")
        if not 0.0 <= self.rich_bias_pct <= 5.0:
            raise BadInputError(f"rich_bias_pct is {self.rich_bias_pct:g}; allowed is 0 to 5 %")
        for name in ("add_limit_pct", "remove_limit_pct", "boost_remove_limit_pct"):
            if not 0.0 <= getattr(self, name) <= 100.0:
                raise BadInputError(f"{name} is {getattr(self, name):g}; allowed is 0 to 100 %")


@dataclass(frozen=True, eq=False)
class Proposal:
    """The table that would be written and, per cell, the step in percent and the rule that decided it."""

    table: Table
    step_pct: Floats
    status: NDArray[np.object_]


def propose(
    estimate: Estimate, settings: PolicySettings, limits: TableLimits, no_leaner: NDArray[np.bool_] | None = None
) -> Proposal:
    """Apply the policy to an estimate.

    Parameters
    ----------
    no_leaner : cells from which no fuel may be taken (knock was seen there), in the table's shape.
    """
    table = estimate.table
    wanted = settings.gain * (np.nan_to_num(estimate.correction_pct) + settings.rich_bias_pct)
    status = np.full(table.shape, Status.CORRECTED, object)
    remove = np.full(table.shape, settings.remove_limit_pct)
    remove[boosted(table, settings.atmospheric_kpa)] = settings.boost_remove_limit_pct
    step = np.clip(wanted, -remove, settings.add_limit_pct)
    status[np.abs(step - wanted) > 1e-9] = Status.LIMITED
    if no_leaner is not None:
        held = no_leaner & (step < 0.0)
        step[held], status[held] = 0.0, Status.KNOCK
    keep = ~estimate.supported
    step[keep], status[keep] = 0.0, Status.KEPT
    if settings.unvisited != "keep":
        carried = _carried(step, estimate.supported, settings.unvisited == "taper")
        status[keep & (carried > 0)] = Status.CARRIED
        step = np.where(keep, carried, step)
    pinned = np.isin(np.arange(table.size), list(settings.pinned)).reshape(table.shape)
    step[pinned], status[pinned] = 0.0, Status.PINNED
    return _written(table, step, status, limits)


def _carried(step: Floats, supported: NDArray[np.bool_], taper: bool) -> Floats:
    """Enrichment of the nearest supported cell, in cells without support; distances in cells."""
    if not supported.any():
        return np.zeros_like(step)
    from scipy.ndimage import distance_transform_edt

    distance, nearest = distance_transform_edt(~supported, return_indices=True)
    source = np.maximum(step[tuple(nearest)], 0.0)
    return np.asarray(source * 0.5**distance if taper else source)


def _written(table: Table, step: Floats, status: NDArray[np.object_], limits: TableLimits) -> Proposal:
    """Round to the field, keep untouched cells exactly, keep a curve rising."""
    values, clipped = quantise(table.values * (1 + step / 100), limits)
    same = step == 0.0
    values[same] = table.values[same]
    status[clipped & ~same] = Status.RANGE
    if len(table.axes) == 1:
        rising = np.maximum.accumulate(values)
        status[rising > values] = Status.RISING
        values = rising
    return Proposal(table.with_values(values), 100 * (values / table.values - 1), status)


def quantise(values: Floats, limits: TableLimits) -> tuple[Floats, NDArray[np.bool_]]:
    """Round to the field's resolution and clip to its range; also tells which cells were clipped."""
    rounded: Floats = np.round(np.asarray(values, float) / limits.resolution) * limits.resolution
    decimals = max(0, int(np.ceil(-np.log10(limits.resolution))) + 2)
    lowest = max(limits.lowest, limits.resolution)
    clipped = (rounded < lowest) | (rounded > limits.highest)
    return np.asarray(np.round(np.clip(rounded, lowest, limits.highest), decimals), np.float64), clipped


def boosted(table: Table, atmospheric_kpa: float) -> NDArray[np.bool_]:
    """Cells above atmospheric pressure, in the table's shape; none for a curve."""
    if len(table.axes) == 1:
        return np.zeros(table.shape, bool)
    return np.broadcast_to((table.axes[0].points > atmospheric_kpa)[:, None], table.shape).copy()
