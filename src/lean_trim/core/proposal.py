"""From an estimate to the table that would be written: gain, step limits, resolution and range."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from .errors import BadInputError
from .estimate import Estimate
from .physics import Floats
from .tables import Table
from .vehicle import TableLimits


class Status(StrEnum):
    """Which rule decided a cell."""

    CORRECTED = "corrected"
    KEPT = "kept"
    LIMITED = "limited"
    RANGE = "range"
    PINNED = "pinned"


STATUS_TEXT = {
    Status.CORRECTED: "changed by what the drive says",
    Status.KEPT: "kept: not enough steady driving here",
    Status.LIMITED: "changed by the step limit, less than asked; drive again before going further",
    Status.RANGE: "stopped at the end of the table's range; the scale has to be moved, not the cell",
    Status.PINNED: "kept: pinned by hand",
}


@dataclass(frozen=True)
class PolicySettings:
    """How much of an estimate is written at once (common practice, no source).

    gain : share of the wanted correction, 0 to 1.
    add_limit_pct : largest step towards more fuel, 0 to 100.
    remove_limit_pct : largest step towards less fuel up to atmospheric, 0 to 100.
    boost_remove_limit_pct : the same above atmospheric, 0 to 100; lean there destroys engines.
    atmospheric_kpa : pressure from which a VE cell counts as boosted.
    pinned : flat indices of cells that must not change.
    """

    gain: float = 1.0
    add_limit_pct: float = 25.0
    remove_limit_pct: float = 20.0
    boost_remove_limit_pct: float = 12.0
    atmospheric_kpa: float = 101.0
    pinned: frozenset[int] = field(default_factory=frozenset)

    def __post_init__(self) -> None:
        if not 0.0 <= self.gain <= 1.0:
            raise BadInputError(f"gain is {self.gain:g}; allowed is 0 to 1")
        for name in ("add_limit_pct", "remove_limit_pct", "boost_remove_limit_pct"):
            if not 0.0 <= getattr(self, name) <= 100.0:
                raise BadInputError(f"{name} is {getattr(self, name):g}; allowed is 0 to 100 %")


@dataclass(frozen=True, eq=False)
class Proposal:
    """The table that would be written and, per cell, the step in percent and the rule that decided it."""

    table: Table
    step_pct: Floats
    status: NDArray[np.object_]


def propose(estimate: Estimate, settings: PolicySettings, limits: TableLimits) -> Proposal:
    """Apply the policy to an estimate. Cells without support keep their value."""
    wanted = settings.gain * np.nan_to_num(estimate.correction_pct)
    status = np.full(estimate.table.shape, Status.CORRECTED, object)
    remove = np.full(estimate.table.shape, settings.remove_limit_pct)
    remove[boosted(estimate.table, settings.atmospheric_kpa)] = settings.boost_remove_limit_pct
    step = np.clip(wanted, -remove, settings.add_limit_pct)
    status[np.abs(step - wanted) > 1e-9] = Status.LIMITED
    keep = ~estimate.supported
    step[keep], status[keep] = 0.0, Status.KEPT
    pinned = np.isin(np.arange(estimate.table.size), list(settings.pinned)).reshape(estimate.table.shape)
    step[pinned], status[pinned] = 0.0, Status.PINNED
    values, clipped = quantise(estimate.table.values * (1 + step / 100), limits)
    same = step == 0.0
    values[same] = estimate.table.values[same]
    status[clipped & ~same] = Status.RANGE
    return Proposal(estimate.table.with_values(values), 100 * (values / estimate.table.values - 1), status)


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
