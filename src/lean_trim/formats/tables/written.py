"""Tables as text, in the ECU's own numbers and units."""

from __future__ import annotations

from pathlib import Path

from lean_trim.core.data.fuel_corrections import RATES
from lean_trim.core.data.tables import Table
from lean_trim.formats.whole_files import write_whole


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

    # A fraction of 0.853 needs two digits more than 85.3 %.
    if table.own is not None and table.own.scale < 1.0:
        decimals += 2
    cells = table.shown
    lines = []
    if len(table.axes) == 1:
        axis = table.axes[0]
        lines.append(delimiter.join([axis.shown_unit, table.shown_unit]))
        for x, v in zip(axis.shown, cells, strict=True):
            lines.append(delimiter.join([f"{x:g}", show(v, decimals)]))
    else:
        rows, columns = table.axes
        corner = f"{rows.shown_unit}\\{columns.shown_unit}"
        # The cells of an airflow grid are named by the vehicle sheet, these by nothing else.
        if rows.name in RATES:
            corner += f" [{table.shown_unit}]"
        lines.append(delimiter.join([corner, *(f"{x:g}" for x in columns.shown)]))
        for y, row in zip(rows.shown, cells, strict=True):
            lines.append(delimiter.join([f"{y:g}", *(show(v, decimals) for v in row)]))
    return "\n".join(lines) + "\n"


def write_table(table: Table, path: Path) -> None:
    """Write a table as CSV, replacing the file only when all of it is written.

    Parameters
    ----------
    table : a grid or a curve.
    path : replaced if it exists.
    """
    write_whole(path, table_text(table))
