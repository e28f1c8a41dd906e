"""A decided table as it is handed over: which cells, in which numbers, in which dress."""

from __future__ import annotations

import io
import json
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.text import evenly_written
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    NO_CELLS = Message("handing.no_cells", "Choose the cells first: none is chosen.")
    COMMA_TWICE = Message(
        "handing.comma_twice",
        "A comma cannot be both decimal mark and separator; take semicolons or tabs.",
    )


class What(StrEnum):
    """What is written of each cell."""

    VALUE = "value"
    FACTOR = "factor"
    PERCENT = "percent"
    DIFFERENCE = "difference"


WHAT_WORDS = {
    What.VALUE: "the decided values",
    What.PERCENT: "the change in percent",
    What.FACTOR: "the change as a multiplier in percent (100 = as it is)",
    What.DIFFERENCE: "the difference in the table's unit",
}
SEPARATORS = {"tab": "\t", "semicolon": ";", "comma": ","}
"""By what people call them."""
PERCENT_DIGITS = 2
VALUE_DIGITS = 3


@dataclass(frozen=True)
class Dress:
    """How a table is handed over.

    Attributes
    ----------
    what : of each cell.
    axes : with its axes.
    decimal : "." or ",".
    separator : between cells: tab, semicolon or comma.
    told : a line about where it comes from, outside the cells; "" for none.
    """

    what: What = What.VALUE
    axes: bool = True
    decimal: str = "."
    separator: str = "\t"
    told: str = ""

    def __post_init__(self) -> None:
        if self.decimal == self.separator:
            raise BadInputError(Say.COMMA_TWICE())


@dataclass(frozen=True, eq=False)
class Handed:
    """Numbers ready to be written: a rectangle of cells, blank where one is not among them.

    Attributes
    ----------
    cells : shape (rows, columns), in the ECU's numbers; NaN is left blank. A curve is one column.
    digits : of the cells.
    rows, columns : axis points as text; a curve has no columns.
    corner : units of rows and columns, for the corner; of a curve those of its two columns.
    unit : of the cells.
    """

    cells: Floats
    digits: int
    rows: tuple[str, ...]
    columns: tuple[str, ...]
    corner: tuple[str, str]
    unit: str


def handed(result: Table, driven: Table, what: What, chosen: Mask | None = None) -> Handed:
    """The numbers of a table as they are handed over.

    Parameters
    ----------
    result : as decided.
    driven : what a change is counted from, on the same axes.
    what : of each cell.
    chosen : only these cells, in the rectangle around them; None for all.

    Returns
    -------
    Numbers and axes.

    Raises
    ------
    BadInputError
        If no cell is chosen.
    """
    shown = result.shown
    ratio = result.values / driven.values
    numbers = {
        What.VALUE: shown,
        What.PERCENT: 100.0 * (ratio - 1.0),
        What.FACTOR: 100.0 * ratio,
        What.DIFFERENCE: shown - driven.shown,
    }[what]
    is_percent = what in (What.PERCENT, What.FACTOR)
    digits = PERCENT_DIGITS if is_percent else _digits(result)
    axes = [tuple(evenly_written(a.shown.tolist())) for a in result.axes]
    units = [a.shown_unit for a in result.axes]
    unit = "%" if is_percent else result.shown_unit
    if chosen is not None:
        if not chosen.any():
            raise BadInputError(Say.NO_CELLS())
        numbers = np.where(chosen, numbers, np.nan)
        place = tuple(slice(int(at.min()), int(at.max()) + 1) for at in np.nonzero(chosen))
        numbers = numbers[place]
        axes = [axis[part] for axis, part in zip(axes, place, strict=True)]
    if len(axes) == 1:
        return Handed(numbers[:, None], digits, axes[0], (), (units[0], unit), unit)
    return Handed(numbers, digits, axes[0], axes[1], (units[0], units[1]), unit)


def _digits(table: Table) -> int:
    # A fraction of 0.853 needs two digits more than 85.3 %.
    return VALUE_DIGITS + 2 * int(table.own is not None and table.own.scale < 1.0)


def _rows_of(of: Handed, axes: bool, decimal: str) -> list[list[str]]:
    """Every row as text, with its axes or without."""

    def number(value: float) -> str:
        if not np.isfinite(value):
            return ""
        text = f"{value:.{of.digits}f}".rstrip("0").rstrip(".") if of.digits else f"{value:.0f}"
        return ("0" if text in ("-0", "") else text).replace(".", decimal)

    cells = [[number(v) for v in row] for row in of.cells.tolist()]
    if not axes:
        return cells
    ends = [end.replace(".", decimal) for end in of.rows]
    body = [[end, *row] for end, row in zip(ends, cells, strict=True)]
    if not of.columns:
        return [list(of.corner), *body]
    head = [column.replace(".", decimal) for column in of.columns]
    return [["\\".join(of.corner), *head], *body]


def handed_text(of: Handed, dress: Dress) -> str:
    """A table as text.

    Parameters
    ----------
    of : its numbers.
    dress : how they are written.

    Returns
    -------
    A line per row with its end; where it comes from follows after an empty line.
    """
    lines = [dress.separator.join(row) for row in _rows_of(of, dress.axes, dress.decimal)]
    told = ["", f"# {dress.told}"] if dress.told else []
    return "\n".join([*lines, *told]) + "\n"


def handed_json(of: Handed, dress: Dress) -> str:
    """A table as JSON: numbers, axes with their units, and where it comes from.

    Parameters
    ----------
    of : its numbers.
    dress : ``what`` and ``told`` of it count.

    Returns
    -------
    The text.
    """

    def plain(row: Sequence[float]) -> list[float | None]:
        return [round(v, of.digits) if np.isfinite(v) else None for v in row]

    cells = [plain(row) for row in of.cells.tolist()]
    out: dict[str, object] = {"what": dress.what.value, "unit": of.unit}
    out["rows"] = {"unit": of.corner[0], "points": [float(x) for x in of.rows]}
    if of.columns:
        out["columns"] = {"unit": of.corner[1], "points": [float(x) for x in of.columns]}
    out["cells"] = cells if of.columns else [row[0] for row in cells]
    if dress.told:
        out["from"] = dress.told
    return json.dumps(out, ensure_ascii=False, indent=1) + "\n"


def handed_workbook(of: Handed, dress: Dress) -> bytes:
    """A table as a workbook: its cells on the first sheet, where it comes from on the second.

    Parameters
    ----------
    of : its numbers.
    dress : ``axes`` and ``told`` of it count; numbers are numbers there.

    Returns
    -------
    The bytes of an .xlsx file.
    """
    # Loaded when it is wanted: it takes a quarter of a second.
    from openpyxl import Workbook

    book = Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "table"
    for row in _rows_of(of, dress.axes, "."):
        sheet.append([_as_number(cell) for cell in row])
    if dress.told:
        about = book.create_sheet("about")
        about.append([dress.told])
        about.append([f"{WHAT_WORDS[dress.what]}, {of.unit}"])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _as_number(text: str) -> float | str | None:
    if not text:
        return None
    try:
        return float(text)
    except ValueError:
        return text
