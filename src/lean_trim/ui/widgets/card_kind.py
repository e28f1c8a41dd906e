"""What a card of a side table has to know of its table: words, units, and how a pasted one is read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from lean_trim.core.data.tables import Table
from lean_trim.formats.tables.block import Block
from lean_trim.workspace.side_tables import SideTables

Units = Mapping[str, str]
"""Chosen units: of the axis, by its name, and of "cells"."""


@dataclass(frozen=True, eq=False)
class CardKind:
    """One table beside the airflow table.

    Attributes
    ----------
    tables, name : where it is decided, and under which name.
    title : as a heading; words : as in "the … is as it was".
    what : what is expected to be pasted.
    empty : what is said while there is no table, "" where that stands elsewhere.
    units : that may be said, ours first, by "cells" and the name of the axis.
    said : the units a table's own header names, those chosen otherwise.
    read : cells and units → a table; raises where it cannot be one.
    fill : puts the table on other points; None where that is not offered.
    points, points_unit, axis : an example of such points, their unit, and what they are called.
    law : a sentence about a table, "" for none.
    """

    tables: SideTables
    name: str
    title: str
    words: str
    what: str
    empty: str
    units: Mapping[str, tuple[str, ...]]
    said: Callable[[Block, Units], Units]
    read: Callable[[Block, Units], Table]
    fill: Callable[[list[float]], bool] | None
    points: str
    points_unit: str
    axis: str
    law: Callable[[Table], str]
