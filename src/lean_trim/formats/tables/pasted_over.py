"""Cells that were copied elsewhere, to be put over a table that is there: the same cells, or a refusal."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.arrange import arrange, arrange_curve
from lean_trim.formats.tables.block import Block


class Say:
    """Sentences of this module."""

    OTHER_SHAPE = Message(
        "pasted_over.other_shape",
        "{source}: {rows} × {columns} cells; this table has {own_rows} × {own_columns}. Copy the whole "
        "table, with its axes or without",
    )
    OTHER_AXIS = Message(
        "pasted_over.other_axis",
        "{source}: its {name} goes from {low:g} to {high:g}; that of this table from {own_low:g} to "
        "{own_high:g} {unit}, in other steps or another unit",
    )
    NO_POINTS = Message(
        "pasted_over.no_points", "{source}: {count} points; this curve has {own} of them"
    )


SAME_POINT = 2e-3
"""Share by which a point may differ and still be the same: editors round what they show."""


def values_over(block: Block, table: Table) -> Floats:
    """The values of a pasted table, where it is the same table.

    Parameters
    ----------
    block : cells as text, with axes or without; either way round.
    table : they are put over, in whose own unit they are read.

    Returns
    -------
    In our unit, in the table's shape.

    Raises
    ------
    BadInputError
        If cells are missing, or the axes are not the table's.
    """
    cells = _curve(block, table) if len(table.axes) == 1 else _grid(block, table)
    return cells if table.own is None else table.own.ours(cells)


def _curve(block: Block, table: Table) -> Floats:
    found = arrange_curve(block)
    own = table.axes[0].shown
    if len(found.signal) != len(own):
        raise BadInputError(
            Say.NO_POINTS(source=block.source, count=len(found.signal), own=len(own))
        )
    _same(block, table.axes[0], found.signal)
    return np.asarray(found.flow, float)


def _grid(block: Block, table: Table) -> Floats:
    found = arrange(block)
    if found.needs_axes:
        # Bare cells, or axes without a corner; the second are told by the one row and column more.
        height, width = table.shape
        if found.cells.shape == (height + 1, width + 1):
            found = arrange(block, first_are_axes=True)
    cells = found.cells
    rows, columns = found.rows, found.columns
    if rows is not None and columns is not None and _is_turned(table, rows, columns):
        cells, rows, columns = cells.T, columns, rows
    if cells.shape != table.shape:
        count_rows, count_columns = cells.shape
        own_rows, own_columns = table.shape
        raise BadInputError(
            Say.OTHER_SHAPE(
                source=block.source,
                rows=count_rows,
                columns=count_columns,
                own_rows=own_rows,
                own_columns=own_columns,
            )
        )
    if rows is not None and columns is not None:
        for axis, points in zip(table.axes, (rows, columns), strict=True):
            _same(block, axis, points)
    return cells


def _is_turned(table: Table, rows: Floats, columns: Floats) -> bool:
    """Whether rows and columns changed places on the way, as in a sheet that was transposed."""
    return _matches(table.axes[0], columns) and _matches(table.axes[1], rows)


def _matches(axis: Axis, points: Floats) -> bool:
    own = axis.shown
    near = SAME_POINT * np.maximum(np.abs(own), np.ptp(own) / len(own))
    return len(points) == len(own) and bool((np.abs(points - own) <= near).all())


def _same(block: Block, axis: Axis, points: Floats) -> None:
    own = axis.shown
    if not _matches(axis, points):
        raise BadInputError(
            Say.OTHER_AXIS(
                source=block.source,
                name=axis.name,
                low=points[0],
                high=points[-1],
                own_low=own[0],
                own_high=own[-1],
                unit=axis.shown_unit,
            )
        )
