"""Table files by contract: grids with their axes, curves with two columns; nothing is turned or guessed."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lean_trim.core.data.tables import MAF_RANGES, Table, maf_curve
from lean_trim.core.errors import BadInputError, TableError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.block import Block, block_of_file, block_of_text
from lean_trim.formats.tables.form import TARGET, GridForm, grid_of
from lean_trim.formats.tables.table_units import FLOWS, SIGNALS, unit_in


class Say:
    """Sentences of this module."""

    TOO_FEW_ROWS = Message(
        "tables.too_few_rows", "{source}: {count} rows; a table needs a header and at least 2 rows"
    )
    CURVE_HEADER = Message(
        "tables.curve_header",
        "{source}, line {line}: header is {header!r}; allowed is 'Hz,g/s' or 'V,g/s', or another "
        "unit of flow",
    )
    OF_TABLE = Message("tables.of_table", "{source}: {reason}")
    NOT_A_NUMBER = Message(
        "tables.not_a_number", "{source}, line {line}, column {column}: {text!r} is not a number"
    )
    ROW_LENGTH = Message(
        "tables.row_length",
        "{source}, line {line}: {count} cells, the header has {expected} columns",
    )
    CURVE_ROW_LENGTH = Message(
        "tables.curve_row_length", "{source}, line {line}: {count} cells; a curve has 2"
    )
    CURVE_RANGE = Message(
        "tables.curve_range",
        "{source}, line {line}, column {column}: {value:g}; allowed are {low:g} to {high:g} {unit}",
    )


def read_table(path: Path, kind: str, form: GridForm | None = None, sheet: str = "") -> Table:
    """Read a "ve", "target_lambda" or "maf" table from text, packed text or a workbook.

    Parameters
    ----------
    path : the file.
    kind : "ve" (any grid of airflow), "target_lambda" or "maf".
    form : what a grid is read by and holds; VE over MAP if None.
    sheet : of a workbook with several.

    Returns
    -------
    The table.

    Raises
    ------
    BadInputError
        Naming file, line and column of the first thing that cannot be used.
    """
    return _table(block_of_file(path, sheet), kind, form)


def parse_table(text: str, kind: str, source: str, form: GridForm | None = None) -> Table:
    """The same from text; ``source`` names it in messages.

    Parameters
    ----------
    text : cells.
    kind : "ve", "target_lambda" or "maf".
    source : names the text in messages.
    form : what a grid is read by and holds; VE over MAP if None.

    Returns
    -------
    The table.
    """
    return _table(block_of_text(text, source), kind, form)


def _table(block: Block, kind: str, form: GridForm | None) -> Table:
    if len(block.rows) < 3:
        raise BadInputError(Say.TOO_FEW_ROWS(source=block.source, count=len(block.rows)))
    try:
        if kind == "maf":
            return _curve(block)
        return _grid(block, TARGET if kind == "target_lambda" else form or GridForm())
    except TableError as error:
        raise BadInputError(Say.OF_TABLE(source=block.source, reason=error)) from error


def _grid(block: Block, form: GridForm) -> Table:
    rows = block.rows
    # Without the corner label the first row is a cell shorter.
    if len(rows[0]) == len(rows[1]) - 1:
        rows = (("", *rows[0]), *rows[1:])
    columns = len(rows[0]) - 1
    for line, row in zip(block.lines[1:], rows[1:], strict=True):
        # A short row shifted by one cell would be a wrong table that looks right.
        if len(row) != columns + 1:
            count = len(row) - 1
            raise BadInputError(
                Say.ROW_LENGTH(source=block.source, line=line, count=count, expected=columns)
            )
    squared = Block(rows, block.lines, block.source)
    numbers = squared.numbers
    _refuse_words(squared, numbers, skip=(0, 0))
    corner = rows[0][0] if np.isnan(numbers[0, 0]) else ""
    label = corner.replace("|", "\\").split("\\")[0]
    return grid_of(form, numbers[0, 1:], numbers[1:, 0], numbers[1:, 1:], unit_in(label))


def _refuse_words(block: Block, numbers: Floats, skip: tuple[int, int]) -> None:
    for i, j in np.argwhere(np.isnan(numbers)):
        text = block.rows[i][j]
        # "nan" is a number to everything that writes tables; the table itself refuses it by its
        # place.
        if (int(i), int(j)) != skip and text.lower() not in ("nan", "-nan"):
            raise BadInputError(
                Say.NOT_A_NUMBER(
                    source=block.source, line=block.lines[i], column=int(j) + 1, text=text
                )
            )


def _curve(block: Block) -> Table:
    head = block.rows[0]
    signal = next((s for s in SIGNALS if s.lower() == head[0].lower()), "")
    flow = (
        (unit_in(head[1]) or next((f for f in FLOWS if f == head[1].lower()), ""))
        if len(head) > 1
        else ""
    )
    # Flow in a unit that was guessed would be off by a factor that closed loop might half hide.
    if len(head) != 2 or not signal or flow not in FLOWS:
        raise BadInputError(
            Say.CURVE_HEADER(source=block.source, line=block.lines[0], header=",".join(head))
        )
    for line, row in zip(block.lines[1:], block.rows[1:], strict=True):
        if len(row) != 2:
            raise BadInputError(
                Say.CURVE_ROW_LENGTH(source=block.source, line=line, count=len(row))
            )
    body = Block(block.rows[1:], block.lines[1:], block.source)
    numbers = body.numbers
    _refuse_words(body, numbers, skip=(-1, -1))
    unit, own_signal = SIGNALS[signal]
    own_flow = FLOWS[flow]
    ours = np.column_stack([own_signal.ours(numbers[:, 0]), own_flow.ours(numbers[:, 1])])
    for column, what in enumerate((unit, "g/s")):
        low, high = MAF_RANGES[what]
        bad = np.flatnonzero((ours[:, column] < low) | (ours[:, column] > high))
        if len(bad):
            value = float(ours[bad[0], column])
            place = {"line": body.lines[bad[0]], "column": column + 1}
            raise BadInputError(
                Say.CURVE_RANGE(
                    source=block.source, value=value, low=low, high=high, unit=what, **place
                )
            )
    return maf_curve(
        ours[:, 0],
        ours[:, 1],
        unit,
        signal_own=own_signal if own_signal.unit != unit else None,
        flow_own=own_flow if own_flow.unit != "g/s" else None,
    )
