"""Cells of a table as they stand in a file, on the clipboard or in a workbook, and the numbers they hold."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

import numpy as np

from lean_trim.core.errors import BadInputError, LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    NOTHING = Message(
        "block.nothing", "{source}: holds no table; copy its cells, with their axes if you can"
    )
    TOO_LARGE = Message("block.too_large", "{source}: is larger than {most} MB, which no table is")
    TOO_MANY = Message("block.too_many", "{source}: {count} cells; a table has at most {most}")
    UNREADABLE = Message("block.unreadable", "{path}: cannot be read as a table ({reason})")
    THOUSANDS = Message(
        "block.thousands",
        "{source}: {text!r} may be a thousand or a decimal; write the cells without thousands "
        "separators",
    )
    NO_SHEET = Message("block.no_sheet", "{path}: no sheet {name!r}; allowed are {names}")
    WHICH_SHEET = Message("block.which_sheet", "{path}: has several sheets; name one of {names}")


MOST_BYTES = 16 << 20
MOST_CELLS = 200_000
DELIMITERS = "\t;,|"
_GROUPED = re.compile(r"[-+]?[1-9]\d{0,2}(,\d{3})+")
_COMMA = re.compile(r"[-+]?\d*,\d+(e[-+]?\d+)?", re.IGNORECASE)


@dataclass(frozen=True)
class Block:
    """Rows of cells as text.

    Attributes
    ----------
    rows : every row as it stands, without empty rows around them.
    lines : number of the line each row stood in, from 1.
    source : what it is called in messages.
    """

    rows: tuple[tuple[str, ...], ...]
    lines: tuple[int, ...]
    source: str

    @property
    def width(self) -> int:
        """Cells of the longest row."""
        return max(len(row) for row in self.rows)

    @cached_property
    def numbers(self) -> Floats:
        """The number every cell holds, NaN where it holds none or is missing, shape (rows, width)."""
        decimal = _decimal_of([c for row in self.rows for c in row], self.source)
        out = np.full((len(self.rows), self.width), np.nan)
        for i, row in enumerate(self.rows):
            for j, cell in enumerate(row):
                out[i, j] = number_in(cell, decimal)
        return out


def number_in(text: str, decimal: str = ".") -> float:
    """The number a cell holds.

    Parameters
    ----------
    text : perhaps with a percent sign, a Unicode minus, or thousands by the other mark.
    decimal : "." or ",".

    Returns
    -------
    NaN if it holds none.
    """
    plain = text.strip().removesuffix("%").strip().replace("\u2212", "-").replace("\u00a0", "")
    if decimal == ",":
        plain = plain.replace(".", "").replace(",", ".") if "," in plain else plain
    elif _GROUPED.fullmatch(plain.split(".")[0]):
        plain = plain.replace(",", "")
    try:
        # Python takes 1_000 for a number; no table is written so.
        return float(plain) if "_" not in plain else float("nan")
    except ValueError:
        return float("nan")


def _decimal_of(cells: list[str], source: str) -> str:
    """What stands for the decimal point."""
    with_comma = [c.strip() for c in cells if "," in c]
    if not with_comma:
        return "."
    if any("." in c and number_in(c) == number_in(c) for c in cells):
        return "."
    commas = [c for c in with_comma if _COMMA.fullmatch(c)]
    if any(not _GROUPED.fullmatch(c) for c in commas):
        return ","
    if commas:
        # Three digits behind every comma, and nothing else to tell by.
        raise BadInputError(Say.THOUSANDS(source=source, text=commas[0]))
    return "."


def block_of_text(text: str, source: str) -> Block:
    """The cells of a text: a clipboard, or what a file holds.

    Parameters
    ----------
    text : separated by tabs, semicolons, commas, bars or white space.
    source : what it is called in messages.

    Returns
    -------
    Its cells.

    Raises
    ------
    BadInputError
        If there are none, or more than a table has.
    """
    lines = text.lstrip("\ufeff").splitlines()
    # What somebody wrote about the table stands outside its cells.
    said = [(n, line) for n, line in enumerate(lines, 1) if not line.lstrip().startswith("#")]
    filled = [(n, line) for n, line in said if line.strip(" \t;,|")]
    if not filled:
        raise BadInputError(Say.NOTHING(source=source))
    delimiter = _delimiter([line for _, line in filled])
    rows = []
    for _, line in filled:
        cells = (
            line.split()
            if delimiter == " "
            else next(csv.reader(io.StringIO(line), delimiter=delimiter))
        )
        rows.append(tuple(c.strip() for c in cells))
    return _trimmed(rows, [n for n, _ in filled], source)


def block_of_json(text: str, source: str) -> Block:
    """The cells of a table that was handed over as JSON.

    Parameters
    ----------
    text : with "rows", "cells" and, of a grid, "columns".
    source : what it is called in messages.

    Returns
    -------
    Its cells with their axes.

    Raises
    ------
    BadInputError
        If it holds no such table.
    """
    try:
        data = json.loads(text)
        points = data["rows"]["points"]
        cells = data["cells"]
        if "columns" in data:
            corner = f"{data['rows']['unit']}\\{data['columns']['unit']}"
            head = [corner, *data["columns"]["points"]]
            rows = [head, *([y, *row] for y, row in zip(points, cells, strict=True))]
        else:
            rows = [[data["rows"]["unit"], data["unit"]]]
            rows += [[x, v] for x, v in zip(points, cells, strict=True)]
        texts = [tuple("" if c is None else str(c) for c in row) for row in rows]
    except (KeyError, TypeError, ValueError, RecursionError) as error:
        raise BadInputError(Say.NOTHING(source=source)) from error
    return _trimmed(texts, list(range(1, len(texts) + 1)), source)


def _delimiter(lines: list[str]) -> str:
    for mark in DELIMITERS:
        if all(mark in line for line in lines):
            return mark
    # A corner or a last row may lack it.
    counts = {mark: sum(mark in line for line in lines) for mark in DELIMITERS}
    best = max(counts, key=lambda m: counts[m])
    return best if counts[best] > len(lines) / 2 else " "


def _trimmed(rows: list[tuple[str, ...]], lines: list[int], source: str) -> Block:
    """Without columns that are empty in every row at the right, as spreadsheets leave them."""
    width = max((i + 1 for row in rows for i, c in enumerate(row) if c), default=0)
    if not width:
        raise BadInputError(Say.NOTHING(source=source))
    if width * len(rows) > MOST_CELLS:
        raise BadInputError(Say.TOO_MANY(source=source, count=width * len(rows), most=MOST_CELLS))
    return Block(tuple(row[:width] for row in rows), tuple(lines), source)


def sheets_of(path: Path) -> tuple[str, ...]:
    """Names of the sheets of a workbook; none if the file is no workbook.

    Returns names in their order. Raises BadInputError if it cannot be read.
    """
    if path.suffix.lower() not in (".xlsx", ".xlsm", ".xls", ".ods"):
        return ()
    from lean_trim.formats.decode.apart.limited import unpacked

    with _as_table_error(path), unpacked("names", path, path, "a workbook") as book:
        return book.names


@contextmanager
def _as_table_error(path: Path) -> Iterator[None]:
    """What a reader says of a log, said of a table."""
    try:
        yield
    except LogError as error:
        raise BadInputError(str(error)) from error
    except OSError as error:
        raise BadInputError(Say.UNREADABLE(path=path, reason=error.strerror)) from error


def block_of_file(path: Path, sheet: str = "") -> Block:
    """The cells of a file: text, packed text or a sheet of a workbook.

    Parameters
    ----------
    path : the file.
    sheet : of a workbook; needed where it has several.

    Returns
    -------
    Its cells.

    Raises
    ------
    BadInputError
        Naming the file and why it cannot be used.
    """
    names = sheets_of(path)
    if names:
        return _block_of_sheet(path, names, sheet)
    from lean_trim.formats.decode.containers import opened
    from lean_trim.formats.decode.encodings import encoding_of

    try:
        with opened(path) as source, source.as_path() as plain:
            if plain.stat().st_size > MOST_BYTES:
                raise BadInputError(Say.TOO_LARGE(source=path, most=MOST_BYTES >> 20))
            raw = plain.read_bytes()
    except OSError as error:
        raise BadInputError(Say.UNREADABLE(path=path, reason=error.strerror)) from error
    except LogError as error:
        raise BadInputError(str(error)) from error
    # Labels are all the words a table has, so that none of them tells encodings apart.
    encoding, mark = encoding_of(raw, lambda text: 0)
    if not encoding:
        raise BadInputError(Say.UNREADABLE(path=path, reason="it is not text"))
    text = raw[mark:].decode(encoding, errors="replace")
    if path.suffix.lower() == ".json":
        return block_of_json(text, str(path))
    return block_of_text(text, str(path))


def _block_of_sheet(path: Path, names: tuple[str, ...], sheet: str) -> Block:
    if sheet and sheet not in names:
        raise BadInputError(Say.NO_SHEET(path=path, name=sheet, names=", ".join(names)))
    if not sheet and len(names) > 1:
        raise BadInputError(Say.WHICH_SHEET(path=path, names=", ".join(names)))
    from lean_trim.formats.decode.apart.limited import unpacked
    from lean_trim.formats.decode.workbook import refuse_bombs

    with _as_table_error(path):
        if path.suffix.lower() != ".xls":
            refuse_bombs(path, path)
        with unpacked("sheets", path, path, "a workbook") as book:
            lines = book.text(sheet or names[0]).splitlines()
    texts = [(n, tuple(line.split("\t"))) for n, line in enumerate(lines, 1)]
    filled = [(n, row) for n, row in texts if any(row)]
    return _trimmed(
        [row for _, row in filled], [n for n, _ in filled], f"{path}, sheet {sheet or names[0]!r}"
    )
