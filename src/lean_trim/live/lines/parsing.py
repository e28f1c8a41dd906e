"""What a line says: a JSON object, names with values, or values below a heading."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Mapping, Sequence
from functools import lru_cache

from lean_trim.formats.meaning.names import split_unit
from lean_trim.formats.recording.frames import Channel

NUMBER = re.compile(r"[-+]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+]?\d+)?")
PAIR = re.compile(r"([^\s=:;,][^=:;,]*?)\s*[=:]\s*([^\s;,=:]+)")
BLANKS = frozenset(("", "-", "--", "---", "nan", "n/a", "na", "null", "none"))
"""What stands for no reading."""
MOST_CHANNELS = 200
MOST_NAME = 80

Line = Mapping[Channel, float]


def number_of(text: str, comma: bool) -> float | None:
    """A number as it is written; NaN for a blank, None for anything else.

    Parameters
    ----------
    text : one cell.
    comma : whether a comma may be the decimal mark.

    Returns
    -------
    The number.
    """
    cell = text.strip()
    if cell.lower() in BLANKS:
        return math.nan
    if not NUMBER.fullmatch(cell) or (not comma and "," in cell):
        return None
    value = float(cell.replace(",", "."))
    return value if math.isfinite(value) else math.nan


def cells_of(line: str) -> tuple[list[str], bool]:
    """Cells of a line of values, and whether a comma in them may be the decimal mark."""
    for mark in ("\t", ";"):
        if mark in line:
            return [c.strip() for c in line.split(mark)], True
    if re.search(r",\s|,[^\d]|\d,\d+,\d|\.\d*,", line) or line.count(",") > 1:
        return [c.strip() for c in line.split(",")], False
    # A single comma between digits may be either; only a heading of two names makes it a separator.
    spaced = line.split()
    return (spaced, True) if len(spaced) > 1 else ([line.strip()], True)


class LineReader:
    """Reads lines one after the other; a heading counts for the lines behind it.

    Parameters
    ----------
    names : of the columns where no heading tells them, a unit in brackets behind each.
    """

    def __init__(self, names: Sequence[str] = ()) -> None:
        self._heading: tuple[Channel, ...] = tuple(channel_of(n) for n in names)

    def read(self, line: str) -> Line | None:
        """What a line says; None for one that says nothing: a heading, a remark, half a line.

        Parameters
        ----------
        line : without its end.

        Returns
        -------
        A reading by channel, NaN where a channel had none.
        """
        text = line.strip()
        if not text or text.startswith(("#", "//")):
            return None
        if text.startswith("{"):
            return _of_json(text)
        pairs = _pairs(text)
        return pairs if pairs is not None else self._of_values(text)

    def _of_values(self, text: str) -> Line | None:
        cells, comma = cells_of(text)
        two = text.split(",")
        if len(self._heading) == len(two) == 2 and not set(text) & set(";\t"):
            # The heading tells that this comma parts two values.
            cells, comma = [c.strip() for c in two], False
        numbers = [number_of(c, comma) for c in cells]
        if all(n is None for n in numbers) and _is_heading(cells):
            self._heading = tuple(channel_of(c) for c in cells)
            return None
        if not self._heading or len(numbers) != len(self._heading) or None in numbers:
            return None
        return dict(zip(self._heading, (n for n in numbers if n is not None), strict=True))


@lru_cache(maxsize=4096)
def channel_of(text: str) -> Channel:
    """A channel from a name with its unit in brackets, or without."""
    name, unit = split_unit(text.strip())
    return Channel(name[:MOST_NAME], unit)


def _is_heading(cells: Sequence[str]) -> bool:
    named = [c for c in cells if c]
    fits = 0 < len(named) == len(cells) <= MOST_CHANNELS and len(set(named)) == len(named)
    return fits and all(len(c) <= MOST_NAME and c.isprintable() for c in named)


def _of_json(text: str) -> Line | None:
    try:
        read = json.loads(text)
    except (ValueError, RecursionError):
        return None
    if not isinstance(read, dict) or len(read) > MOST_CHANNELS:
        return None
    out: dict[Channel, float] = {}
    for name, value in read.items():
        if value is None or isinstance(value, (bool, int, float)):
            try:
                number = math.nan if value is None else float(value)
            except OverflowError:
                number = math.nan
            out[channel_of(name)] = number if math.isfinite(number) else math.nan
    return out or None


def _pairs(text: str) -> Line | None:
    found = PAIR.findall(text)
    rest = PAIR.sub("", text).strip(" \t,;")
    if not found or rest:
        return None
    out: dict[Channel, float] = {}
    for name, value in found:
        number = number_of(value, comma=False)
        if number is None or len(out) >= MOST_CHANNELS:
            return None
        out[channel_of(name)] = number
    return out
