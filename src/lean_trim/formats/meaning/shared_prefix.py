"""What all names of a file begin with says nothing of any of them: ``ecu.``, ``OBD: ``, ``log/``, ``01_``."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from lean_trim.formats.decode.columns import Column

FEWEST = 5
"""Columns from which a beginning can be one that all share."""
MOSTLY = {" ": 0.8, "_": 0.6, "-": 0.6}
NESTED = 0.3
"""Share of the names that begin alike, by what parts the words; a point, a colon or a slash parts a
device from its channels, and other columns may come from another one."""
_BEGINNING = re.compile(r"(?:[^\W\d_]+|\d{1,3})(?:[._:/>|\-]\s?|\s)")
_DIGITS = re.compile(r"\d+")


def without_shared(columns: Sequence[Column]) -> tuple[Column, ...]:
    """The columns, each with what its name shares with most others.

    Parameters
    ----------
    columns : of one file.

    Returns
    -------
    The same, in their order.
    """
    out = list(columns)
    # Names may be nested: device, group, channel.
    while len(out) >= FEWEST:
        begins = [_beginning(c) for c in out]
        word, count = Counter(b for b in begins if b).most_common(1)[0] if any(begins) else ("", 0)
        parts = word.rstrip()[-1:] if word.rstrip()[-1:] in "._:/>|-" else " "
        if not word or count < max(FEWEST, MOSTLY.get(parts, NESTED) * len(out)):
            break
        out = [
            replace(c, shared=c.name[: len(c.shared) + len(found[0])])
            if begin == word and (found := _BEGINNING.match(c.own_name))
            else c
            for c, begin in zip(out, begins, strict=True)
        ]
    return tuple(out)


def _beginning(column: Column) -> str:
    """The first word of a name with its separator, numbers alike; "" where nothing stands behind it."""
    found = _BEGINNING.match(column.own_name)
    if found is None or not column.own_name[found.end() :].strip():
        return ""
    return _DIGITS.sub("0", found[0].lower())
