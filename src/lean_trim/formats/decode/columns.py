"""What every reader hands on: named columns of numbers in groups, each group with its own rows.

Readers only mark holes. Rows of several groups are brought together in one later place
(``core/data/placing.py``), which is where slow, blank, round-robin and long logs all end up.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from lean_trim.core.types import Floats


@dataclass(frozen=True)
class Column:
    """A column as it stands in the file.

    Attributes
    ----------
    index : its position.
    name, unit : name without unit, unit text.
    group : whose rows it has.
    shared : what its name begins with as those of most others do.
    """

    index: int
    name: str
    unit: str
    group: int = 0
    shared: str = ""

    @property
    def own_name(self) -> str:
        """The name without what others begin with as well."""
        return self.name[len(self.shared) :]


Wanted = Callable[[Sequence[Column]], frozenset[int]]
"""Tells which columns are to be read whole."""
Progress = Callable[[float], bool]
"""Called with the share read; returning False cancels."""
SAMPLE_ROWS = 4000
MOST_COLUMNS = 5000
MOST_VALUES = 60_000_000
"""Readings of all wanted columns together: 55 hours of 20 channels at 15 Hz, 480 MB."""
MOST_UNREAD_SHARE = 0.001
"""Cells that hold something else than a number, as a share of all; a column with more is read
otherwise."""


@dataclass(frozen=True)
class Unread:
    """Cells of a column that were filled, but not with a number; ``example`` is one of them."""

    cells: int
    rows: int
    example: str

    @property
    def many(self) -> bool:
        """True if too many to be slips of the logger."""
        return self.cells > MOST_UNREAD_SHARE * self.rows


@dataclass(frozen=True)
class ReadOptions:
    """What the user says about the file itself: the sheet of a workbook, the DBC of a CAN trace."""

    sheet: str = ""
    dbc: Path | None = None


@dataclass(frozen=True, eq=False)
class RawColumns:
    """Columns as read.

    Attributes
    ----------
    columns : all of the file.
    values : by column index, of the columns that were wanted: float arrays as long as their group
        has rows, NaN where a cell held no number.
    kind : of the file, for people.
    times : by group, s, where the file itself tells them; otherwise one of the columns is the time.
    samples : the first readings of columns that were not wanted.
    unread : by column index, cells that held something else than a number.
    doubted : by column index, why its numbers are not what was measured; they are as they were
        recorded, good for nothing but to tell what the column is.
    notes : what the reader did that the user should know.
    rate_hz : rows a second, as the head of the file says; 0 where it does not.
    joints_s : times at which another recording begins, where the reader had to settle that.
    bookmarks : set while it was recorded: time on the same base as the rows', s, and what was noted.
    """

    columns: tuple[Column, ...]
    values: Mapping[int, Floats]
    kind: str
    times: Mapping[int, Floats] = field(default_factory=dict)
    samples: Mapping[int, Floats] = field(default_factory=dict)
    unread: Mapping[int, Unread] = field(default_factory=dict)
    doubted: Mapping[int, str] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    joints_s: tuple[float, ...] = ()
    bookmarks: tuple[tuple[float, str], ...] = ()
    rate_hz: float = 0.0
