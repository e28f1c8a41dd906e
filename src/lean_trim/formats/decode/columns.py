"""What every reader hands on: named columns of numbers on one set of rows."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from lean_trim.core.types import Floats, Mask


@dataclass(frozen=True)
class Column:
    """A column as it stands in the file: position, name without unit, unit text."""

    index: int
    name: str
    unit: str


Wanted = Callable[[Sequence[Column]], frozenset[int]]
"""Tells which columns are to be read whole."""
SAMPLE_ROWS = 4000


@dataclass(frozen=True, eq=False)
class RawColumns:
    """Columns as read.

    ``values`` holds, by column index, float arrays of one length, NaN where a cell held no number, of the
    columns that were wanted; ``samples`` the first readings of the others.

    ``time_s`` is given by formats that know it; otherwise one of the columns is the time. ``updates`` marks
    the rows with a new reading, by column index, where the file tells. ``kind`` names the format.
    """

    columns: tuple[Column, ...]
    values: Mapping[int, Floats]
    kind: str
    time_s: Floats | None = None
    updates: Mapping[int, Mask] = field(default_factory=dict)
    samples: Mapping[int, Floats] = field(default_factory=dict)
