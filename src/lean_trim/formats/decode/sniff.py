"""Find out how a text log is laid out from its first lines."""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.formats.decode.columns import Column
from lean_trim.formats.meaning.names import split_unit


class Say:
    """Sentences of this module."""

    NO_ROW_OF_NUMBERS = Message(
        "sniff.no_row_of_numbers", "{source}: a header but no row of numbers below it; nothing was logged"
    )
    EMPTY = Message("sniff.empty", "{source}: the file is empty; a header and rows of numbers are needed")
    BINARY = Message(
        "sniff.binary",
        "{source}: this is a binary file of an unknown kind; allowed are text logs, MDF4, Parquet and Arrow",
    )
    NO_LINES = Message(
        "sniff.no_lines", "{source}: the first line is longer than {most} bytes, so this is not a log"
    )
    NO_COLUMNS = Message(
        "sniff.no_columns", "{source}: no columns found; allowed are comma, semicolon or tab between them"
    )
    TOO_MANY_COLUMNS = Message(
        "sniff.too_many_columns", "{source}: {width} columns; allowed are up to {most}"
    )
    NO_HEADER = Message(
        "sniff.no_header", "{source}: rows of numbers but no header; the first row must name the columns"
    )


NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?")
CLOCK = re.compile(r"(\d{4}-\d\d-\d\d[ T])?\d{1,2}:\d{2}(:\d{2}([.,]\d+)?)?")
BLANKS = ("", "nan", "na", "null", "none", "-", "inf", "-inf", "n/a")
HEAD_BYTES = 1 << 20
SNIFF_LINES = 120
MAX_COLUMNS = 5000


@dataclass(frozen=True)
class Layout:
    """Lines before the data, separators, columns, and which of them hold text (clock times, states)."""

    skip_lines: int
    delimiter: str
    decimal_comma: bool
    columns: tuple[Column, ...]
    text: frozenset[int]


def sniff(head: bytes, source: str) -> Layout:
    """Layout of a text log from its first bytes (at most about a megabyte are looked at).

    Parameters
    ----------
    head : first bytes of the unpacked file.
    source : names the file in messages.

    Returns
    -------
    Encoding, separators, header and first row of numbers.

    Raises
    ------
    LogError
        If the bytes are not a text table with a header and at least one row of numbers.
    """
    if not head.strip():
        raise LogError(Say.EMPTY(source=source))
    # No text log holds a zero byte; decoded, it would become columns of nonsense.
    if b"\x00" in head:
        raise LogError(Say.BINARY(source=source))
    lines = head.removeprefix(b"\xef\xbb\xbf").split(b"\n")
    # Else a large file without line ends would be read whole as one header.
    if len(lines) == 1 and len(head) >= HEAD_BYTES:
        raise LogError(Say.NO_LINES(source=source, most=HEAD_BYTES))
    encoding = _encoding(head)
    # The last line of a cut-off head is cut off too.
    whole = lines[:-1] if len(head) >= HEAD_BYTES else lines
    texts = [line.decode(encoding, "replace").rstrip("\r") for line in whole[:SNIFF_LINES]]
    delimiter = _delimiter(texts, source)
    rows = [_fields(t, delimiter) for t in texts]
    header = _header(rows, source)
    first = header + 1
    units = [""] * len(rows[header])
    if _is_units_row(rows, first, len(rows[header])):
        units = [u.strip() for u in rows[first]]
        first = first + 1
    columns = []
    for i, cell in enumerate(rows[header]):
        name, unit = split_unit(cell)
        columns.append(Column(i, name, units[i] or unit))
    sample = rows[first : first + 40]
    # A comma between digits is a decimal mark wherever it does not separate columns.
    comma = delimiter != "," and any(re.fullmatch(r"\s*[+-]?\d+,\d+\s*", c) for r in sample for c in r)
    return Layout(first, delimiter, comma, tuple(columns), _text_columns(sample, len(columns)))


def _encoding(head: bytes) -> str:
    # The head may end within a character, of which UTF-8 has up to four bytes.
    for end in range(len(head), max(len(head) - 4, 0), -1):
        try:
            head[:end].decode("utf-8")
        except UnicodeDecodeError:
            continue
        return "utf-8"
    # Takes any byte; names in it are legible, and numbers are the same.
    return "latin-1"


def _fields(line: str, delimiter: str) -> list[str]:
    try:
        return next(csv.reader([line], delimiter=delimiter), [])
    # A stray quote in one line must not stop the whole file.
    except csv.Error:
        return line.split(delimiter)


def _is_number(cell: str) -> bool:
    return bool(NUMBER.fullmatch(cell.strip()))


def _numeric_row(cells: list[str]) -> bool:
    filled = [c.strip() for c in cells if c.strip().lower() not in BLANKS]
    numbers = sum(bool(NUMBER.fullmatch(c) or CLOCK.fullmatch(c)) for c in filled)
    # Half, because states and notes stand between the numbers of many logs.
    return bool(filled) and numbers >= 0.5 * len(filled)


def _is_units_row(rows: list[list[str]], at: int, width: int) -> bool:
    return at + 1 < len(rows) and len(rows[at]) == width and not _numeric_row(rows[at])


def _delimiter(texts: list[str], source: str) -> str:
    best = ""
    width = 1
    for delimiter in (";", "\t", ","):
        counts = [t.count(delimiter) + 1 for t in texts if t.strip()]
        common = max(set(counts), key=counts.count, default=1)
        # Clearly more columns are asked of the later ones: decimal commas come once per number and would win.
        if common > width and (not best or common > 1.5 * width):
            best = delimiter
            width = common
    if not best:
        raise LogError(Say.NO_COLUMNS(source=source))
    if width > MAX_COLUMNS:
        raise LogError(Say.TOO_MANY_COLUMNS(source=source, width=width, most=MAX_COLUMNS))
    return best


def _header(rows: list[list[str]], source: str) -> int:
    for i, row in enumerate(rows[:-1]):
        if len(row) < 2 or _numeric_row(row) or sum(bool(c.strip()) for c in row) < 2:
            continue
        # Two rows, because a row of units may stand between header and numbers.
        for after in rows[i + 1 : i + 3]:
            # One more or less: some loggers end rows, but not headers, with a separator.
            if abs(len(after) - len(row)) <= 1 and _numeric_row(after):
                return i
    if any(_numeric_row(r) and len(r) > 1 for r in rows):
        raise LogError(Say.NO_HEADER(source=source))
    raise LogError(Say.NO_ROW_OF_NUMBERS(source=source))


def _text_columns(sample: list[list[str]], width: int) -> frozenset[int]:
    """Columns in which some sampled cell is neither a number nor blank."""
    out = set()
    for i in range(width):
        cells = [r[i].strip() for r in sample if i < len(r)]
        if any(c.lower() not in BLANKS and not _is_number(c) for c in cells):
            out.add(i)
    return frozenset(out)
