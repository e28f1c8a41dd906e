"""The many ways people and loggers write a number in a cell, and the cells of a column as numbers."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import Unread
from lean_trim.formats.decode.text import clock
from lean_trim.formats.decode.text.words import state_value

if TYPE_CHECKING:
    import polars as pl

Kind = Literal["number", "cells", "clock", "words", "text"]
"""number: plain, parsed at once. cells: a number with something around it. clock: a time of day.
words:
states such as on and off. text: kept as it is, for names in a column."""
BLANKS = frozenset(
    (
        *("", "nan", "na", "n/a", "#n/a", "null", "none", "nil", "-", "--", "---"),
        *("inf", "-inf", "+inf", "#value!", "#div/0!", "#ref!", "#num!", "#null!"),
        # As some compilers write what is no number.
        *(f"{sign}1.#{kind}" for sign in ("", "-") for kind in ("ind", "inf", "qnan", "snan")),
        *(f"{sign}1.#{kind}00" for sign in ("", "-") for kind in ("ind", "inf")),
    )
)
"""Cells that say that there is nothing to say."""
MINUS_SIGNS = "−–‒﹣－‐"
BLANK_SIGNS = "\u00a0\u202f\u2009\u2007"
PLAIN = re.compile(r"[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?")
PLAIN_COMMA = re.compile(r"[+-]?(\d+(,\d*)?|,\d+)([eE][+-]?\d+)?")
LOOSE = re.compile(
    rf"(?P<number>[+\-{MINUS_SIGNS}]?\s?(?:\d[\d.,'’ {BLANK_SIGNS}]*|[.,]\d+)(?:[eE][+-]?\d+)?)"
    r"\s*(?P<suffix>[^\d\s.,'’+\-][^\d]{0,11}\d?)?"
)
"""A number with signs, separators and perhaps a unit behind it."""
NUMERIC_SHARE = 0.5
"""Share of a column's filled cells from which on it is one of numbers."""
LEAST_GROUPED = 3


@dataclass(frozen=True)
class Way:
    """How the cells of one column are read.

    Attributes
    ----------
    kind : see ``Kind``.
    decimal : the decimal mark, "." or ",".
    thousands : what stands between thousands, "" for nothing.
    suffix : the unit that stands in the cells, "" for none.
    """

    kind: Kind = "number"
    decimal: str = "."
    thousands: str = ""
    suffix: str = ""


_NOTHING = f" \t{BLANK_SIGNS}"


def is_blank(cell: str) -> bool:
    """True if a cell says nothing."""
    return cell.strip(_NOTHING).lower() in BLANKS


NUMBERED = re.compile(r"\d+_[^\W\d]")


def looks_numeric(cell: str) -> bool:
    """True if a cell can be a number, a clock time included.

    Parameters
    ----------
    cell : as it stands, not blank.

    Returns
    -------
    Whether some way reads it.
    """
    text = cell.strip()
    # A numbered name, such as 01_speed.
    if NUMBERED.match(text):
        return False
    return bool(LOOSE.fullmatch(text)) or clock.is_clock(text)


def marks_of(cells: Sequence[str]) -> str:
    """The decimal mark that some cell shows beyond doubt, "" if none does.

    Returns ".", "," or "".
    """
    # Nearly every column shows it in its first cell, and cutting up the others takes longest of
    # all.
    for cell in cells:
        if (found := PLAIN.fullmatch(cell.strip())) and found[2] and len(found[2]) != 4:
            return "."
    decimal, _ = _marks([m["number"] for c in cells if (m := LOOSE.fullmatch(c.strip()))], "")
    return decimal


def way_of(cells: Sequence[str], decimal: str) -> Way:
    """How a column is best read.

    Parameters
    ----------
    cells : some of its cells.
    decimal : the decimal mark of the file as a whole.

    Returns
    -------
    The way that reads most of them.
    """
    filled = [c.strip() for c in cells if not is_blank(c)]
    plain = PLAIN_COMMA if decimal == "," else PLAIN
    if all(plain.fullmatch(c) for c in filled):
        if any(len(c.partition(decimal)[2].rstrip()) not in (0, 3) for c in filled):
            return Way("number", decimal)
        numbers = [LOOSE.fullmatch(c) for c in filled]
        mark, thousands = _marks([m["number"] for m in numbers if m], decimal)
        return Way("cells", mark or decimal, thousands) if thousands else Way("number", decimal)
    clocks = sum(clock.is_clock(c) for c in filled)
    found = [m for c in filled if (m := LOOSE.fullmatch(c))]
    if clocks > max(NUMERIC_SHARE * len(filled), len(found) / 2):
        return Way("clock")
    if len(found) <= NUMERIC_SHARE * len(filled):
        known = sum(state_value(c) is not None for c in filled)
        return Way("words" if known > NUMERIC_SHARE * len(filled) else "text")
    mark, thousands = _marks([m["number"] for m in found], decimal)
    suffixes = [(m["suffix"] or "").strip() for m in found]
    common = max(set(suffixes), key=suffixes.count)
    way = Way("cells", mark or decimal, thousands, common)
    odd = sum(not plain.fullmatch(c) for c in filled)
    # A stray word does not make a column one of words; the plain way is quicker and counts it.
    return (
        Way("number", decimal) if not thousands and not common and odd < 0.2 * len(filled) else way
    )


def _marks(numbers: Sequence[str], file_decimal: str) -> tuple[str, str]:
    """Decimal mark ("" if none shows) and thousands separator of numbers as they are written."""
    bare = [re.split("[eE]", n.strip("+-" + MINUS_SIGNS))[0].strip() for n in numbers]
    spaced = next((s for s in f"'’ {BLANK_SIGNS}" if any(s in b for b in bare)), "")
    for text in bare:
        if "." in text and "," in text:
            decimal = "." if text.rfind(".") > text.rfind(",") else ","
            return decimal, spaced or ("," if decimal == "." else ".")
    for mark in ".,":
        marked = [b for b in bare if mark in b]
        if not marked:
            continue
        if any(b.count(mark) > 1 for b in marked):
            return ("," if mark == "." else "."), mark
        halves = [b.split(mark) for b in marked]
        # Three digits behind it and one to three before, without a leading zero, may group
        # thousands.
        if spaced or any(
            len(b) != 3 or not 1 <= len(a) <= 3 or a.startswith("0") for a, b in halves
        ):
            return mark, spaced
        lone = [b for b in bare if mark not in b]
        grouped = len(marked) >= LEAST_GROUPED and lone and all(len(b) <= 3 for b in lone)
        if (file_decimal and mark != file_decimal) or grouped:
            return ("," if mark == "." else "."), mark
        # With nothing to tell it by, the mark that is a decimal mark elsewhere is one here.
        return "", ""
    return "", spaced


def numbers_of(series: pl.Series, way: Way) -> tuple[Floats, Unread]:
    """The cells of a column as numbers, NaN where there is none.

    Returns numbers, and the filled cells that are none.
    """
    if way.kind == "clock":
        values = clock.seconds_of(series)
    elif way.kind == "words":
        values = _states(series)
    else:
        values = _loose_numbers(series, way)
    return values, unread_of(series, np.isnan(values))


def unread_of(series: pl.Series, missing: np.ndarray) -> Unread:
    """Cells that are filled although no number came out of them.

    Parameters
    ----------
    series : of strings.
    missing : where no number came out, same length.

    Returns
    -------
    How many of how many, and one of them.
    """
    import polars as pl

    rows = len(series)
    if not missing.any():
        return Unread(0, rows, "")
    odd = unread_cells(series.filter(pl.Series(missing)))
    return Unread(len(odd), rows, str(odd[0])[:40] if len(odd) else "")


def unread_cells(series: pl.Series) -> pl.Series:
    """The filled ones of cells that gave no number.

    Returns those that are neither blank nor a word for it.
    """
    return series.filter(is_filled(series))


def is_filled(series: pl.Series) -> pl.Series:
    """Which cells say something.

    Returns false where a cell is blank or a word for it.
    """
    return ~_stripped(series.fill_null("")).str.to_lowercase().is_in(list(BLANKS))


def _stripped(series: pl.Series) -> pl.Series:
    return series.str.strip_chars(f' \t\r"{BLANK_SIGNS}')


def _loose_numbers(series: pl.Series, way: Way) -> Floats:
    import polars as pl

    text = _stripped(series)
    wide = (
        {chr(0xFF10 + d): str(d) for d in range(10)} | dict.fromkeys(MINUS_SIGNS, "-") | {"．": "."}
    )
    text = text.str.replace_many(list(wide), list(wide.values()))
    if way.suffix:
        text = text.str.strip_suffix(way.suffix).str.strip_chars(f" {BLANK_SIGNS}")
    # A cell that is grouped otherwise than by threes is another number than it seems, so it stays
    # unread.
    if way.thousands:
        mark = re.escape(way.thousands)
        shape = rf"^[+-]?\d{{1,3}}(?:{mark}\d{{3}})*(?:[.,]\d*)?(?:[eE][+-]?\d+)?$|^[+-]?\d+(?:[.,]\d*)?$"
        fits = text.str.contains(shape)
        text = pl.select(
            pl.when(fits).then(text.str.replace_all(way.thousands, "", literal=True))
        ).to_series()
    if way.decimal == ",":
        # A point has no place in such a number; read as one it would make another of it.
        text = pl.select(pl.when(~text.str.contains(".", literal=True)).then(text)).to_series()
        text = text.str.replace(",", ".", literal=True)
    values = text.str.replace(r"^([+-])\s+", "$1").cast(pl.Float64, strict=False)
    return values.fill_null(float("nan")).to_numpy(writable=True)


def _states(series: pl.Series) -> Floats:
    import polars as pl

    words = [w for w in series.unique().to_list() if w is not None]
    known = {w: v for w in words if (v := state_value(w)) is not None}
    values = (
        series.replace_strict(
            list(known), list(known.values()), default=None, return_dtype=pl.Float64
        )
        if known
        else pl.Series([None] * len(series), dtype=pl.Float64)
    )
    return values.fill_null(float("nan")).to_numpy(writable=True)


def other_way(way: Way, examples: Sequence[str], decimal: str) -> Way | None:
    """A way that reads the cells the present one does not, None if there is none.

    Parameters
    ----------
    way : the present one.
    examples : filled cells it gave no number for, and some it did.
    decimal : the decimal mark of the file.

    Returns
    -------
    Another way or None.
    """
    found = way_of(examples, decimal)
    if found.kind == "number":
        found = replace(found, kind="cells")
    return None if found == way or found.kind == "text" else found
