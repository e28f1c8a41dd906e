"""A curve, or a row or column of a grid, as a curve: driven, decided, proposed, asked, averaged, true."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.types import Floats, Ints


@dataclass(frozen=True, eq=False)
class Slice:
    """Values along one axis, shape (n,) each, in our unit; NaN where nothing is said.

    Attributes
    ----------
    axis : along which.
    unit : of the values.
    place : where the slice lies on the other axis, with its unit; "" of a curve.
    cells : flat indices in the table.
    driven, decided, proposed : values.
    asked, low, high : what the method in force asks, and one standard error to either side.
    averaged : what plain cell averages ask.
    truth : of a simulated car.
    seconds : of used driving.
    decided_here : cells that are decided.
    """

    axis: Axis
    unit: str
    place: str
    cells: Ints
    driven: Floats
    decided: Floats
    proposed: Floats
    asked: Floats
    low: Floats
    high: Floats
    averaged: Floats
    truth: Floats
    seconds: Floats
    decided_here: np.ndarray

    def in_percent(self) -> Slice:
        """The same as percent of what was driven.

        Returns a new slice; what was driven lies at 0.
        """
        return self._made("%", lambda values: 100.0 * (values / self.driven - 1.0))

    def in_own(self, table: Table) -> Slice:
        """The same in the ECU's own numbers.

        Parameters
        ----------
        table : the one that is cut.

        Returns
        -------
        A new slice.
        """
        return self._made(table.shown_unit, table.own_of)

    def _made(self, unit: str, shown: Callable[[Floats], Floats]) -> Slice:
        parts: dict[str, Any] = {name: shown(getattr(self, name)) for name in LINES}
        return replace(self, unit=unit, **parts)


LINES = ("driven", "decided", "proposed", "asked", "low", "high", "averaged", "truth")
"""Those of its parts that are values."""


def cells_along(table: Table, cell: int, along: int) -> Ints:
    """The cells of the row or column a cell lies in.

    Parameters
    ----------
    table : a grid or a curve.
    cell : flat index.
    along : the axis the slice runs along; 0 of a curve.

    Returns
    -------
    Flat indices.
    """
    index = np.arange(table.size).reshape(table.shape)
    if len(table.axes) == 1:
        return index
    row, column = np.unravel_index(cell, table.shape)
    return index[:, column] if along == 0 else index[row]


def slice_of(
    table: Table,
    cell: int,
    along: int,
    decision: Decision,
    proposal: Proposal | None = None,
    estimate: Estimate | None = None,
    averages: Estimate | None = None,
    truth: Floats | None = None,
) -> Slice:
    """Cut through a table at a cell.

    Parameters
    ----------
    table : as driven on.
    cell : flat index of one that lies on the slice.
    along : the axis it runs along.
    decision : on the table.
    proposal, estimate : of the drive; None where there is none.
    averages : plain cell averages of the same drive.
    truth : true values of every cell, in the table's shape and our unit.

    Returns
    -------
    The slice.
    """
    cells = cells_along(table, cell, along)
    axis = table.axes[along] if len(table.axes) == 2 else table.axes[0]
    blank = np.full(len(cells), np.nan)

    base = table.values.ravel()[cells]
    asked, low, high, seconds = blank, blank, blank, np.zeros(len(cells))
    if estimate is not None:
        wanted = estimate.correction_pct.ravel()[cells]
        error = estimate.own_error_pct.ravel()[cells]
        asked, low, high = (
            base * (1.0 + (wanted + sign * error) / 100.0) for sign in (0.0, -1.0, 1.0)
        )
        seconds = estimate.seconds.ravel()[cells]
    plain = blank
    if averages is not None:
        plain = base * (1.0 + averages.correction_pct.ravel()[cells] / 100.0)
    return Slice(
        axis=axis,
        unit=table.unit,
        place=_place(table, cell, along),
        cells=cells,
        driven=base,
        decided=decision.values.ravel()[cells],
        proposed=blank if proposal is None else proposal.table.values.ravel()[cells],
        asked=asked,
        low=low,
        high=high,
        averaged=plain,
        truth=blank if truth is None else truth.ravel()[cells],
        seconds=seconds,
        decided_here=decision.origin.ravel()[cells] != 0,
    )


def _place(table: Table, cell: int, along: int) -> str:
    if len(table.axes) == 1:
        return ""
    other = table.axes[1 - along]
    at = np.unravel_index(cell, table.shape)[1 - along]
    return f"{other.shown[at]:g} {other.shown_unit}"
