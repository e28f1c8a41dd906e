"""Cautions that belong to a decision about to be made."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from .physics import Floats
from .proposal import PolicySettings, boosted
from .tables import Table

LARGE_STEP_PCT = 12.0
FULL_LOAD_KPA = 85.0


def cautions_for(table: Table, step_pct: Floats, cells: Iterable[int] | None, policy: PolicySettings) -> list[str]:
    """Sentences to show beside an accept button.

    Parameters
    ----------
    step_pct : change that would be made per cell, in the table's shape; negative takes fuel out.
    cells : the cells in question, all if None.
    """
    mask = np.zeros(table.size, bool)
    mask[list(range(table.size) if cells is None else cells)] = True
    step = np.where(mask.reshape(table.shape), step_pct, 0.0)
    out = []
    lean_boost = int((boosted(table, policy.atmospheric_kpa) & (step < -0.5)).sum())
    if lean_boost:
        out.append(
            f"{_cells(lean_boost)} above atmospheric would get less fuel. Lean under boost destroys engines: "
            "end the next run at once on lean, knock or falling fuel pressure."
        )
    elif len(table.axes) == 2:
        load = np.broadcast_to((table.axes[0].points >= FULL_LOAD_KPA)[:, None], table.shape)
        lean_load = int((load & (step < -2.0)).sum())
        if lean_load:
            out.append(f"{_cells(lean_load)} near full load would get less fuel. Approach full throttle in short runs.")
    large = int((np.abs(step) > LARGE_STEP_PCT).sum())
    if large:
        out.append(
            f"{_cells(large)} would change by more than {LARGE_STEP_PCT:g} %. Check fuel pressure and injectors first."
        )
    return out


def _cells(count: int) -> str:
    return "1 cell" if count == 1 else f"{count} cells"
