"""Find out how a text log is laid out from its first lines."""

from __future__ import annotations

import csv
import re
from collections import Counter
from dataclasses import dataclass, replace

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.formats.decode.columns import MOST_COLUMNS, Column
from lean_trim.formats.decode.text.cells import Way, is_blank, looks_numeric, marks_of, way_of
from lean_trim.formats.decode.text.preamble import stated_rate_hz
from lean_trim.formats.meaning.names import role_of, split_unit
from lean_trim.formats.meaning.units import is_unit


class Say:
    """Sentences of this module."""

    NO_ROW_OF_NUMBERS = Message(
        "layout.no_row_of_numbers",
        "{source}: a header but no row of numbers below it; nothing was logged",
    )
    EMPTY = Message(
        "layout.empty", "{source}: the file is empty; a header and rows of numbers are needed"
    )
    NO_LINES = Message(
        "layout.no_lines",
        "{source}: the first line is longer than {most} bytes, so this is not a log",
    )
    NO_COLUMNS = Message(
        "layout.no_columns",
        "{source}: no columns found; allowed are comma, semicolon, tab, pipe or blanks between "
        "them",
    )
    TOO_MANY_COLUMNS = Message(
        "layout.too_many_columns", "{source}: {width} columns; allowed are up to {most}"
    )
    NO_HEADER = Message(
        "layout.no_header",
        "{source}: rows of numbers but no header; the first row must name the columns",
    )
    TWO_COMMAS = Message(
        "layout.two_commas",
        "{source}: rows have {found} cells where the header names {width} columns. Are commas "
        "both decimal marks and separators? Export it again with semicolons between the columns",
    )


HEAD_BYTES = 1 << 20
SNIFF_LINES = 300
SAMPLE = 200
HEAD_LINES = 40
FEW = 6
BLANK_RUNS = " "
WIDE_BLANKS = "  "
DELIMITERS = (";", "\t", "|", ",", WIDE_BLANKS, BLANK_RUNS)
MOST_LONG_COLUMNS = 6
LEAST_REPEATS = 4


@dataclass(frozen=True)
class LongForm:
    """Columns of a table that has a row per reading: which holds the name, the value, perhaps the unit."""

    name: int
    value: int
    unit: int | None


@dataclass(frozen=True)
class Layout:
    """How a text log is laid out.

    Attributes
    ----------
    skip_lines : before the first row of numbers.
    delimiter : between columns; one or two blanks mean runs of blanks.
    decimal : the decimal mark of the file.
    columns : in their order.
    ways : how each column's cells are read.
    header : the cells that name the columns, as they stand in the file.
    quoted : whether cells stand in quotes; else a stray quote is a sign like any other.
    long : where a row is one reading of one channel.
    rate_hz : rows a second, as a line above the header says; 0 where none does.
    """

    skip_lines: int
    delimiter: str
    decimal: str
    columns: tuple[Column, ...]
    ways: tuple[Way, ...]
    header: tuple[str, ...]
    quoted: bool = False
    long: LongForm | None = None
    rate_hz: float = 0.0


def sniff(head: str, source: str, whole: bool) -> Layout:
    """Layout of a text log from its first lines.

    Parameters
    ----------
    head : the text's beginning.
    source : names the file in messages.
    whole : whether that is all of it; else the last line is cut off.

    Returns
    -------
    Separators, header, first row of numbers, and how cells are read.

    Raises
    ------
    LogError
        If it is not a table with a header and at least one row of numbers.
    """
    if not head.strip():
        raise LogError(Say.EMPTY(source=source))
    lines = head.split("\n")
    # Else a large file without line ends would be read whole as one header.
    if len(lines) == 1 and not whole:
        raise LogError(Say.NO_LINES(source=source, most=HEAD_BYTES))
    texts = [line.rstrip("\r") for line in (lines if whole else lines[:-1])[:SNIFF_LINES]]
    delimiter, rows = _delimited(texts, source)
    first = _first_numbers(rows, source)
    width = _width(rows[first:])
    header = _header_rows(rows, first, width)
    if not header:
        raise LogError(Say.NO_HEADER(source=source))
    names, units, said = _names_and_units([rows[i] for i in header], width)
    if width > len(said) + 1 and width >= 1.5 * len(said):
        raise LogError(Say.TWO_COMMAS(source=source, found=width, width=len(said)))
    if len(names) > MOST_COLUMNS:
        raise LogError(Say.TOO_MANY_COLUMNS(source=source, width=len(names), most=MOST_COLUMNS))
    sample = rows[first : first + SAMPLE]
    cells = [[r[i] for r in sample if i < len(r)] for i in range(len(names))]
    shown = Counter(m for c in cells if (m := marks_of(c)))
    decimal = shown.most_common(1)[0][0] if shown else "."
    ways = tuple(way_of(c, decimal) for c in cells)
    # Whole numbers among decimal commas may have points between their thousands further down, and
    # the parser would take such a point for a decimal mark.
    if decimal == ",":
        bare = [
            i
            for i, c in enumerate(cells)
            if ways[i].kind == "number" and not any("," in x for x in c)
        ]
        ways = tuple(replace(w, kind="cells") if i in bare else w for i, w in enumerate(ways))
    # Within quotes; the parser takes a comma for a decimal mark only where it separates nothing.
    if decimal == "," == delimiter:
        ways = tuple(replace(w, kind="cells") if w.kind == "number" else w for w in ways)
    columns = [
        Column(i, *_named(n, u, w))
        for i, (n, u, w) in enumerate(zip(names, units, ways, strict=True))
    ]
    quoted = any('"' in t for t in texts[first:])
    layout = Layout(first, delimiter, decimal, tuple(columns), ways, tuple(said), quoted)
    rate = stated_rate_hz(texts[: header[0]])
    return replace(layout, long=_long_form(layout, cells), rate_hz=rate)


def split_line(line: str, delimiter: str) -> list[str]:
    """The cells of one line.

    Parameters
    ----------
    line : without its end.
    delimiter : as in ``Layout``.

    Returns
    -------
    Cells as they stand, quotes taken off.
    """
    if delimiter in (BLANK_RUNS, WIDE_BLANKS):
        return re.split(r"\s{2,}|\t" if delimiter == WIDE_BLANKS else r"\s+", line.strip())
    try:
        return next(csv.reader([line], delimiter=delimiter), [])
    # A stray quote in one line must not stop the whole file.
    except csv.Error:
        return line.split(delimiter)


_ONLY_DIGITS = re.compile(r"[\d.+\-\s]*\d[\d.+\-\s]*")


def _numeric_row(cells: list[str]) -> bool:
    # What holds nothing but digits needs no look at every cell, and most rows of most logs do.
    if _ONLY_DIGITS.fullmatch("".join(cells)):
        return True
    filled = [c for c in cells if not is_blank(c)]
    # Half, because states and notes stand between the numbers of many logs.
    return bool(filled) and sum(map(looks_numeric, filled)) >= 0.5 * len(filled)


def _delimited(texts: list[str], source: str) -> tuple[str, list[list[str]]]:
    """The separator under which most rows are numbers of one width, and the lines cut by it."""
    best: tuple[float, str, list[list[str]]] = (0.0, "", [])
    for delimiter in DELIMITERS:
        # Most lines behind the first hundred are alike; looking at some spares cutting all of them.
        rows = [split_line(t, delimiter) for t in [*texts[:HEAD_LINES], *texts[HEAD_LINES::FEW]]]
        counts = Counter(len(r) for r in rows if len(r) > 1 and _numeric_row(r))
        heads = Counter(len(r) for r in rows if len(r) > 1)
        if not counts and not heads:
            continue
        width, hits = counts.most_common(1)[0] if counts else (heads.most_common(1)[0][0], 0)
        # The header has to have the same columns; that is what tells decimal commas from
        # separators.
        named = any(abs(len(r) - width) <= 1 and not _numeric_row(r) for r in rows)
        score = hits * (3.0 if named else 1.0) * (1.0 + 0.02 * min(width, 20)) or 1e-3 * len(heads)
        # What is separated by a sign of its own is not separated by the blanks within its names.
        if score > best[0] * (1.5 if delimiter in (WIDE_BLANKS, BLANK_RUNS) else 1.0):
            best = (score, delimiter, rows)
    score, delimiter, rows = best
    if not delimiter:
        raise LogError(Say.NO_COLUMNS(source=source))
    if score < 1.0 and not any(len(r) > 1 and not _numeric_row(r) for r in rows):
        raise LogError(Say.NO_COLUMNS(source=source))
    return delimiter, [split_line(t, delimiter) for t in texts]


def _first_numbers(rows: list[list[str]], source: str) -> int:
    counts = Counter(len(r) for r in rows if len(r) > 1 and _numeric_row(r))
    if not counts:
        named = any(sum(not is_blank(c) for c in r) > 1 for r in rows)
        raise LogError((Say.NO_ROW_OF_NUMBERS if named else Say.NO_COLUMNS)(source=source))
    common = counts.most_common(1)[0][0]
    for i, row in enumerate(rows):
        # A preamble may hold a line such as "Interval, 40 ms"; the table's rows are as wide as
        # most.
        if len(row) > 1 and abs(len(row) - common) <= 1 and _numeric_row(row):
            return i
    raise LogError(Say.NO_ROW_OF_NUMBERS(source=source))


def _width(rows: list[list[str]]) -> int:
    return Counter(len(r) for r in rows if len(r) > 1).most_common(1)[0][0]


def _header_rows(rows: list[list[str]], first: int, width: int) -> list[int]:
    """Up to three rows above the numbers that name columns or units, from the top."""
    found: list[int] = []
    for i in range(first - 1, max(first - 6, -1), -1):
        filled = sum(not is_blank(c) for c in rows[i])
        if filled == 0 and not found:
            continue
        # Rows end, but headers do not, with a separator in some files, and the other way round.
        alike = abs(len(rows[i]) - width) <= 1 or (not found and len(rows[i]) > 1)
        if filled < 2 or not alike or len(found) == 3:
            break
        found.insert(0, i)
    return found


def _names_and_units(header: list[list[str]], width: int) -> tuple[list[str], list[str], list[str]]:
    """Names, units and the row that names; two rows of names are joined where one does not suffice."""
    rows = [[c.strip() for c in r] for r in header]
    units: list[str] = []
    at = next((i for i, r in enumerate(rows) if i > 0 and is_units_row(r)), None)
    if at is not None:
        units = rows.pop(at)
    names = rows[-1]
    if len(rows) > 1 and len(names) >= len(rows[-2]) - 1:
        upper = rows[-2]
        twice = [n for n, count in Counter(names).items() if count > 1 and n]
        sparse = sum(bool(c) for c in upper) < 0.6 * len(names)
        # Over names that stand for themselves a sparse row is a preamble, not a heading.
        if twice or not sparse:
            last = ""
            joined = []
            for i, name in enumerate(names):
                own = upper[i] if i < len(upper) else ""
                last = own or (last if twice else "")
                joined.append(f"{last} {name}".strip() if last != name else name)
            names = joined
    count = len(names)
    # A separator at the end of rows and header alike makes a column of nothing.
    while count > 2 and not names[count - 1] and (count > width or count - 1 >= width - 1):
        count -= 1
    units = (units + [""] * count)[:count]
    return names[:count], units, rows[-1]


def is_units_row(row: list[str]) -> bool:
    """True if most of a row's filled cells are units."""
    filled = [c for c in row if not is_blank(c)]
    return bool(filled) and sum(is_unit(c) for c in filled) >= 0.5 * len(filled)


def _named(text: str, unit: str, way: Way) -> tuple[str, str]:
    name, own = split_unit(text)
    return name, unit.strip("[]() ") or own or way.suffix


def _long_form(layout: Layout, cells: list[list[str]]) -> LongForm | None:
    """Tell a table with a row per reading: few columns, one of them with a few names again and again."""
    if not 3 <= len(layout.columns) <= MOST_LONG_COLUMNS:
        return None
    texts = [i for i, way in enumerate(layout.ways) if way.kind == "text"]
    names = [i for i in texts if _repeats(cells[i]) and not all(map(is_unit, set(cells[i])))]
    numbers = [i for i, way in enumerate(layout.ways) if way.kind in ("number", "cells")]
    if len(names) != 1 or not numbers:
        return None
    unit = next(
        (i for i in texts if i != names[0] and all(is_unit(c) or is_blank(c) for c in cells[i])),
        None,
    )
    # The value stands behind the name, the time before it or in a column that says so.
    behind = [i for i in numbers if i > names[0]]
    return LongForm(names[0], (behind or numbers)[-1 if not behind else 0], unit)


def _repeats(cells: list[str]) -> bool:
    filled = [c for c in cells if not is_blank(c)]
    kinds = set(filled)
    if len(kinds) < 2 or len(filled) < LEAST_REPEATS * min(len(kinds), 20):
        return False
    # States repeat as well; only names of channels are names of channels.
    return len({role for k in kinds if (role := role_of(k)) is not None}) >= 2
