"""What a grid is read by and holds, in which units: everything its numbers do not say themselves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.table_kinds import Holds, Rows, airflow_grid, holds_of, rows_of
from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.errors import TableError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.table_units import ROW_UNITS, cell_unit, row_unit


class Say:
    """Sentences of this module."""

    LAMBDA_RANGE = Message(
        "form.lambda_range",
        "{value:g} at {row:g} / engine speed {column:g} is no target lambda; allowed are {low:g} "
        "to {high:g}",
    )


TARGET_RANGE = (0.4, 3.0)
"""Any target an engine burns or an ECU commands on overrun (common practice, no source)."""


@dataclass(frozen=True)
class GridForm:
    """What the numbers of a grid mean.

    Attributes
    ----------
    rows, holds : what rows and cells are.
    row_unit, cell_unit : as the ECU counts them; "" for what the table's label says, else ours.
    dead_time_ms : part of every injection time during which no fuel flows, where the table includes
        it.
    target : it is a table of target lambda, whose cells are not airflow.
    stoich_afr : what a target in AFR is divided by; 0 for one in lambda.
    """

    rows: Rows = Rows.MAP
    row_unit: str = ""
    holds: Holds = Holds.VE
    cell_unit: str = ""
    dead_time_ms: float = 0.0
    target: bool = False
    stoich_afr: float = 0.0


TARGET = GridForm(target=True)


def form_of(table: Table) -> GridForm | None:
    """What the numbers of a table mean, so that another one like it can be read.

    Parameters
    ----------
    table : any table.

    Returns
    -------
    None for a curve.
    """
    rows = rows_of(table)
    holds = holds_of(table)
    if rows is None or holds is None:
        return None
    times = holds is Holds.FUEL_TIME and table.own is not None
    return GridForm(
        rows=rows,
        row_unit=table.axes[0].shown_unit,
        holds=holds,
        cell_unit="%" if holds is Holds.FUEL_TRIM else table.shown_unit,
        dead_time_ms=table.own.offset / table.own.scale if times and table.own is not None else 0.0,
    )


def grid_of(
    form: GridForm, rpm: Floats, rows: Floats, cells: Floats, label_unit: str = ""
) -> Table:
    """A table from numbers as they are written.

    Parameters
    ----------
    form : what they mean.
    rpm : columns, 1/min.
    rows : in their own unit.
    cells : in their own unit, shape (rows, columns).
    label_unit : unit of the rows that the table's label named, "" if none.

    Returns
    -------
    The table.

    Raises
    ------
    TableError
        If axes or cells are impossible.
    """
    named = form.row_unit or (label_unit if label_unit in ROW_UNITS[form.rows] else "")
    own_rows = row_unit(form.rows, named)
    points = np.asarray(rows, float) if own_rows is None else own_rows.ours(rows)
    if form.target:
        own_target = OwnUnit("AFR", form.stoich_afr) if form.stoich_afr else None
        cells = np.asarray(cells, float) if own_target is None else own_target.ours(cells)
        _refuse_no_target(rpm, rows, cells)
        shape = airflow_grid(
            rpm, points, np.full(np.shape(cells), 80.0), form.rows, row_own=own_rows
        )
        # The cells are lambda; only the axes are those of an airflow grid.
        axes: tuple[Axis, ...] = shape.axes
        return Table(axes, cells, "λ", "target lambda", own_target)
    own_cells = cell_unit(form.holds, form.cell_unit)
    values = np.asarray(cells, float) if own_cells is None else own_cells.ours(cells)
    return airflow_grid(
        rpm,
        points,
        values,
        form.rows,
        form.holds,
        dead_time_ms=form.dead_time_ms,
        row_own=own_rows,
        cell_own=own_cells,
    )


def _refuse_no_target(rpm: Floats, rows: Floats, cells: Floats) -> None:
    low, high = TARGET_RANGE
    bad = np.argwhere((np.asarray(cells) < low) | (np.asarray(cells) > high))
    if len(bad):
        i, j = (int(x) for x in bad[0])
        value = float(cells[i, j])
        raise TableError(
            Say.LAMBDA_RANGE(
                value=value, row=float(rows[i]), column=float(rpm[j]), low=low, high=high
            )
        )
