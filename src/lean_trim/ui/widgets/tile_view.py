"""What each tile of a table shows, as arrays computed once per change: the same for every table."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Origin
from lean_trim.core.estimation.cell_evidence import SEEN_S
from lean_trim.core.text import fixed
from lean_trim.core.types import Floats

CURVE_COLUMNS = 12
SCALES_PCT = (5.0, 10.0, 15.0, 20.0, 30.0)
LARGEST_SCALE_PCT = 50.0


@dataclass(frozen=True, eq=False)
class TileView:
    """Flat arrays over the table's cells, plus the layout in rows and columns."""

    table: Table
    rows: int
    columns: int
    text: tuple[str, ...]
    bar_pct: Floats
    error_pct: Floats
    seconds: Floats
    solidity: Floats
    origin: NDArray[np.int8]
    pinned: NDArray[np.bool_]
    scale_pct: float
    values: Floats
    decimals: int
    filled: NDArray[np.bool_]
    """Cells nobody drove whose proposed value is the surface's; no evidence, and never painted as
    such."""
    warned: NDArray[np.bool_]
    """Cells whose change needs a deliberate word, given or not."""
    timed: bool = True
    """Whether seconds stand behind the cells; their margins then have bars."""

    def value_text(self, cell: int) -> str:
        """The value of a cell as it is decided now."""
        return fixed(float(self.values[cell]), self.decimals)

    def only(self, cells: Sequence[int]) -> TileView:
        """The same of some cells; layout, table and scale are those of the whole.

        Parameters
        ----------
        cells : flat indices.

        Returns
        -------
        A view whose arrays are as long as ``cells``.
        """
        take = np.asarray(cells, int)
        parts = {name: getattr(self, name)[take] for name in BY_CELL}
        return replace(self, text=tuple(self.text[c] for c in take.tolist()), **parts)

    def apart(self, other: TileView) -> list[int] | None:
        """Cells that look different in another view.

        Parameters
        ----------
        other : as it was painted.

        Returns
        -------
        Flat indices; None where more than cells is different: axes, scale, or the size of figures.
        """
        same_frame = (
            self.table.same_axes(other.table)
            and self.scale_pct == other.scale_pct
            and np.array_equal(self.seconds, other.seconds)
            and len(max(self.text, key=len, default=""))
            == len(max(other.text, key=len, default=""))
            and np.isfinite(self.bar_pct).any() == np.isfinite(other.bar_pct).any()
        )
        if not same_frame:
            return None
        differs = np.zeros(self.table.size, bool)
        for name in BY_CELL:
            mine, theirs = getattr(self, name), getattr(other, name)
            differs |= (mine != theirs) & ~((mine != mine) & (theirs != theirs))
        differs |= np.array([a != b for a, b in zip(self.text, other.text, strict=True)], bool)
        return [int(cell) for cell in np.flatnonzero(differs)]

    @property
    def is_seen(self) -> NDArray[np.bool_]:
        """Cells used driving came near, flat."""
        return self.seconds > SEEN_S

    @property
    def is_hollow(self) -> NDArray[np.bool_]:
        """Cells whose bar stands for no driving: filled, or carried there by the policy; flat."""
        open_ = ~self.is_seen & (self.origin == Origin.UNTOUCHED)
        moved = np.nan_to_num(self.bar_pct) != 0.0
        return np.asarray(moved & (open_ | (self.filled & (self.origin != Origin.BY_HAND))))


BY_CELL = (
    *("bar_pct", "error_pct", "seconds", "solidity"),
    *("origin", "pinned", "values", "filled", "warned"),
)
"""Parts of a view that have an entry a cell."""


def solidity_of(seconds: Floats) -> Floats:
    """How solid the ink is: 0 without driving, rising with the logarithm of seconds to 1 at 20 s."""
    return np.asarray(np.clip(np.log1p(seconds) / np.log1p(20.0), 0.0, 1.0))


def layout_of(table: Table) -> tuple[int, int]:
    """Rows and columns of tiles: the grid itself, or a curve wrapped into lines."""
    if len(table.axes) == 2:
        return table.shape[0], table.shape[1]
    # A short curve takes the whole width.
    columns = min(table.size, CURVE_COLUMNS)
    return -(-table.size // columns), columns


def scale_for(step_pct: Floats) -> float:
    """The least scale that holds nearly all bars; a few may reach past the edge."""
    moved = np.abs(step_pct[np.isfinite(step_pct) & (step_pct != 0.0)])
    largest = float(np.percentile(moved, 95)) if len(moved) else 0.0
    return next((s for s in SCALES_PCT if largest <= s), LARGEST_SCALE_PCT)
