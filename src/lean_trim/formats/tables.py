"""Tables as CSV: grids with a corner label, curves with two columns."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import numpy as np

from lean_trim.core.data.tables import Axis, Table, maf_curve, ve_table
from lean_trim.core.errors import BadInputError, TableError
from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    TOO_FEW_ROWS = Message(
        "tables.too_few_rows", "{source}: {count} rows; a table needs a header and at least 2 rows"
    )
    CURVE_HEADER = Message(
        "tables.curve_header", "{source}, line {line}: header is {allowed!r}; allowed is 'Hz,g/s' or 'V,g/s'"
    )
    UNREADABLE = Message("tables.unreadable", "{path}: cannot be read as a table ({reason})")
    OF_TABLE = Message("tables.of_table", "{source}: {reason}")
    NOT_A_NUMBER = Message(
        "tables.not_a_number", "{source}, line {line}, column {column}: {text!r} is not a number"
    )
    ROW_LENGTH = Message(
        "tables.row_length", "{source}, line {line}: {count} cells, the header has {expected} columns"
    )
    CURVE_ROW_LENGTH = Message(
        "tables.curve_row_length", "{source}, line {line}: {count} cells; a curve has 2"
    )


def read_table(path: Path, kind: str) -> Table:
    """Read a "ve", "target_lambda" or "maf" table.

    Parameters
    ----------
    path : a CSV file.
    kind : "ve", "target_lambda" or "maf".

    Returns
    -------
    The table.

    Raises
    ------
    BadInputError
        Naming file, line and column of the first thing that cannot be used.
    """
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "it is not text"
        raise BadInputError(Say.UNREADABLE(path=path, reason=reason)) from error
    return parse_table(text, kind, str(path))


def parse_table(text: str, kind: str, source: str) -> Table:
    """The same from text; ``source`` names it in messages.

    Parameters
    ----------
    text : CSV.
    kind : "ve", "target_lambda" or "maf".
    source : names the text in messages.

    Returns
    -------
    The table.
    """
    # The clipboard of a spreadsheet brings tabs, its files commas or semicolons.
    delimiter = max(",;\t", key=lambda d: text.split("\n", 1)[0].count(d))
    rows = [
        (n, r)
        for n, r in enumerate(csv.reader(io.StringIO(text), delimiter=delimiter), 1)
        if any(c.strip() for c in r)
    ]
    if len(rows) < 3:
        raise BadInputError(Say.TOO_FEW_ROWS(source=source, count=len(rows)))
    try:
        return _curve(rows, source) if kind == "maf" else _grid(rows, kind, source)
    except TableError as error:
        raise BadInputError(Say.OF_TABLE(source=source, reason=error)) from error


def _number(text: str, source: str, line: int, column: int) -> float:
    try:
        return float(text.strip())
    except ValueError:
        raise BadInputError(
            Say.NOT_A_NUMBER(source=source, line=line, column=column, text=text.strip())
        ) from None


def _grid(rows: list[tuple[int, list[str]]], kind: str, source: str) -> Table:
    line, head = rows[0]
    columns = [
        _number(c, source, line, i) for i, c in enumerate(head[1:], 2) if c.strip() or i <= len(head) - 1
    ]
    y = []
    cells = []
    for n, row in rows[1:]:
        # A short row shifted by one cell would be a wrong table that looks right.
        if len(row) != len(columns) + 1:
            raise BadInputError(
                Say.ROW_LENGTH(source=source, line=n, count=len(row) - 1, expected=len(columns))
            )
        y.append(_number(row[0], source, n, 1))
        cells.append([_number(c, source, n, i) for i, c in enumerate(row[1:], 2)])
    if kind == "ve":
        return ve_table(columns, y, cells, "VE")
    axes = (Axis("MAP", "kPa", np.array(y)), Axis("engine speed", "rpm", np.array(columns)))
    return Table(axes, np.array(cells), "λ", "target lambda")


def _curve(rows: list[tuple[int, list[str]]], source: str) -> Table:
    line, head = rows[0]
    unit = head[0].strip()
    # Flow in another unit would be off by a factor that closed loop might half hide.
    if len(head) != 2 or unit not in ("Hz", "V") or head[1].strip() != "g/s":
        raise BadInputError(Say.CURVE_HEADER(source=source, line=line, allowed=",".join(head)))
    pairs = []
    for n, row in rows[1:]:
        if len(row) != 2:
            raise BadInputError(Say.CURVE_ROW_LENGTH(source=source, line=n, count=len(row)))
        pairs.append([_number(c, source, n, i) for i, c in enumerate(row, 1)])
    data = np.array(pairs)
    return maf_curve(data[:, 0], data[:, 1], unit)


def table_text(table: Table, delimiter: str = ",", decimals: int = 3) -> str:
    """A table in the shape ``parse_table`` reads back.

    Parameters
    ----------
    table : a grid or a curve.
    delimiter : between cells.
    decimals : most that are written.

    Returns
    -------
    One line per row with its end.
    """

    def show(value: float, digits: int) -> str:
        return f"{value:.{digits}f}".rstrip("0").rstrip(".") if digits else f"{value:.0f}"

    lines = []
    if len(table.axes) == 1:
        lines.append(delimiter.join([table.axes[0].unit, table.unit]))
        for x, v in zip(table.axes[0].points, table.values, strict=True):
            lines.append(delimiter.join([f"{x:g}", show(v, decimals)]))
    else:
        rows, columns = table.axes
        lines.append(delimiter.join([f"{rows.unit}\\{columns.unit}", *(f"{x:g}" for x in columns.points)]))
        for y, row in zip(rows.points, table.values, strict=True):
            lines.append(delimiter.join([f"{y:g}", *(show(v, decimals) for v in row)]))
    return "\n".join(lines) + "\n"


def write_table(table: Table, path: Path) -> None:
    """Write a table as CSV, replacing the file only when all of it is written.

    Parameters
    ----------
    table : a grid or a curve.
    path : replaced if it exists.
    """
    # The old table stays whole if the disk is full.
    part = path.with_suffix(path.suffix + ".part")
    part.write_text(table_text(table), encoding="utf-8")
    part.replace(path)
