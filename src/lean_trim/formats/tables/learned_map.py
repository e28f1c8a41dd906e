"""A grid of fuel trims read out of a self-learning ECU, with its own axes or the table's."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.data.table_kinds import Holds, Rows, rows_of
from lean_trim.core.data.tables import Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.arrange import Arranged, arrange
from lean_trim.formats.tables.block import Block
from lean_trim.formats.tables.form import GridForm, grid_of
from lean_trim.formats.tables.table_units import ROW_UNITS, rows_by_unit, unit_in


class Say:
    """Sentences of this module."""

    NO_AXES = Message(
        "learned_map.no_axes",
        "{source}: {rows} × {columns} cells came without axes, and the table has {own_rows} × "
        "{own_columns}. Copy the map with its axes",
    )
    ROWS = Message(
        "learned_map.rows",
        "{source}: its rows are in {unit}, those of the table in {own_unit} ({axis}): which row stands for "
        "which, no grid tells. A log does",
    )
    ROW_UNIT = Message(
        "learned_map.row_unit",
        "{source}: its rows go from {low:g} to {high:g} without a unit; those of the table from "
        "{own_low:g} to {own_high:g} {unit}. Write the unit into the corner, as {unit}\\rpm",
    )
    SMALL = Message(
        "learned_map.small",
        "{source}: no cell is beyond ±{most:g}. Say whether the cells are percent or fractions, where "
        "0.03 is +3 %",
    )
    ABOUT = Message(
        "learned_map.about",
        "{source}: its cells go from {low:g} to {high:g}. If they are trims where {neutral} changes nothing, "
        "say that they are written as {unit}; otherwise this is another table",
    )
    NO_MAP = Message(
        "learned_map.no_map",
        "{source}: every cell is filled and all lie between {low:g} and {high:g}; a learned map has cells "
        "nobody visited, or trims both ways. If these are trims, say that they are percent",
    )
    RANGE = Message(
        "learned_map.range",
        "{source}: {value:g} in row {row}, column {column} is a trim of {trim:+.0f} %; allowed are "
        "±{most:g} %",
    )
    UNIT = Message("learned_map.unit", "{unit!r} is no unit of trims; allowed are {allowed}")


PERCENT = "percent"
FRACTION = "fraction"
FACTOR = "factor"
OF_HUNDRED = "percent of 100"
TRIM_UNITS = (PERCENT, FRACTION, FACTOR, OF_HUNDRED)
"""What cells of a learned map are written in: +3 % is 3, 0.03, 1.03 or 103."""
MOST_TRIM_PCT = 60.0
"""No ECU learns more (common practice, no source)."""
MOST_FRACTION = 0.6
"""Cells of which none is larger may be fractions."""
FACTORS = (0.4, 1.6)
HUNDREDS = (40.0, 160.0)
OVERLAP = 0.3
"""Share of the table's rows a map has to reach over where neither says its unit."""


def learned_map(block: Block, table: Table, unit: str = "") -> Table:
    """A learned map from cells.

    Parameters
    ----------
    block : cells as text, with axes or without; blank cells were not visited.
    table : under correction, whose axes count where the block brings none.
    unit : one of ``TRIM_UNITS``; "" tells it by the cells.

    Returns
    -------
    A table of fuel trims.

    Raises
    ------
    BadInputError
        If axes are missing or do not fit, or cells are no trims.
    """
    found = _with_axes(arrange(_blanks_filled(block)), block, table)
    trims = _percent(found, unit)
    assert found.rows is not None and found.columns is not None
    return grid_of(_form(found, table), found.columns, found.rows, trims)


def _blanks_filled(block: Block) -> Block:
    """Blank cells as 0, but for those that may be a corner; a cell never visited is often left empty."""
    width = block.width
    last = len(block.rows) - 1
    rows = []
    for i, row in enumerate(block.rows):
        whole = (*row, *("",) * (width - len(row) if i else 0))
        corners = {0, width - 1} if i in (0, last) else set()
        rows.append(
            tuple("0" if not c.strip() and j not in corners else c for j, c in enumerate(whole))
        )
    return replace(block, rows=tuple(rows))


def _with_axes(found: Arranged, block: Block, table: Table) -> Arranged:
    if not found.needs_axes:
        return found
    height, width = table.shape if len(table.axes) == 2 else (0, 0)
    if found.cells.shape == (height + 1, width + 1):
        return arrange(_blanks_filled(block), first_are_axes=True)
    if found.cells.shape != (height, width):
        rows, columns = found.cells.shape
        raise BadInputError(
            Say.NO_AXES(
                source=block.source, rows=rows, columns=columns, own_rows=height, own_columns=width
            )
        )
    rows_axis, columns_axis = table.axes
    return replace(
        found, rows=rows_axis.shown, columns=columns_axis.shown, row_label=rows_axis.shown_unit
    )


def _form(found: Arranged, table: Table) -> GridForm:
    """What the rows are: by the corner, else as the table's where they can be the same."""
    kind = rows_of(table) or Rows.MAP
    unit = unit_in(found.row_label)
    if unit:
        said = kind if unit in ROW_UNITS[kind] else rows_by_unit(unit)
        if said is None:
            axis = table.axes[0]
            raise BadInputError(
                Say.ROWS(source=found.source, unit=unit, axis=axis.name, own_unit=axis.shown_unit)
            )
        return GridForm(rows=said, row_unit=unit, holds=Holds.FUEL_TRIM)
    own = table.axes[0].shown
    assert found.rows is not None
    low, high = float(found.rows[0]), float(found.rows[-1])
    reach = min(high, float(own[-1])) - max(low, float(own[0]))
    # Bars or inches of mercury over a table in kPa would be read without a word.
    if reach < OVERLAP * float(own[-1] - own[0]):
        raise BadInputError(
            Say.ROW_UNIT(
                source=found.source,
                low=low,
                high=high,
                own_low=float(own[0]),
                own_high=float(own[-1]),
                unit=table.axes[0].shown_unit,
            )
        )
    return GridForm(rows=kind, row_unit=table.axes[0].shown_unit, holds=Holds.FUEL_TRIM)


def _percent(found: Arranged, unit: str) -> Floats:
    """The trims in percent."""
    cells = found.cells
    unit = unit or _unit_of(found)
    if unit not in TRIM_UNITS:
        raise BadInputError(Say.UNIT(unit=unit, allowed=", ".join(TRIM_UNITS)))
    neutral = {PERCENT: 0.0, FRACTION: 0.0, FACTOR: 1.0, OF_HUNDRED: 100.0}[unit]
    scale = 1.0 if unit in (PERCENT, OF_HUNDRED) else 100.0
    # A blank cell of a map of factors was filled with 0 and means what 1 means.
    read = np.where((cells == 0.0) & (neutral != 0.0), neutral, cells)
    trims = np.round((read - neutral) * scale, 6)
    bad = np.argwhere(np.abs(trims) > MOST_TRIM_PCT)
    if len(bad):
        i, j = (int(x) for x in bad[0])
        raise BadInputError(
            Say.RANGE(
                source=found.source,
                value=float(cells[i, j]),
                row=i + 1,
                column=j + 1,
                trim=float(trims[i, j]),
                most=MOST_TRIM_PCT,
            )
        )
    return np.asarray(trims)


def _unit_of(found: Arranged) -> str:
    """Percent, where the cells leave no doubt of it.

    Factors about 1 are what a table of target lambda holds as well, numbers about 100 what a VE table does,
    so that neither is read without a word.
    """
    filled = found.cells[found.cells != 0.0]
    if not len(filled):
        return PERCENT
    largest = float(np.abs(filled).max())
    if largest <= FACTORS[1] and (filled.min() < 0.0 or largest <= MOST_FRACTION):
        raise BadInputError(Say.SMALL(source=found.source, most=largest))
    low, high = float(filled.min()), float(filled.max())
    for unit, (least, most), neutral in ((FACTOR, FACTORS, "1"), (OF_HUNDRED, HUNDREDS, "100")):
        if low >= least and high <= most:
            raise BadInputError(
                Say.ABOUT(source=found.source, low=low, high=high, unit=unit, neutral=neutral)
            )
    one_sided = low > 0.0 or high < 0.0
    if one_sided and len(filled) == found.cells.size:
        raise BadInputError(Say.NO_MAP(source=found.source, low=low, high=high))
    return PERCENT
