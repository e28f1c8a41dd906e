"""A border between regions that is dragged: which cells change sides on the way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

NEAR_PX = 5.0
"""How far from a border a press still takes hold of it."""


@dataclass(frozen=True)
class Border:
    """A straight piece of border between two regions.

    Attributes
    ----------
    upright : it stands between columns, and is moved across; else between rows, and is moved down.
    after : the column or row before it.
    lines : rows, or columns, it runs along.
    before_it, behind_it : names of the regions on both sides.
    """

    upright: bool
    after: int
    lines: tuple[int, ...]
    before_it: str
    behind_it: str


def border_at(
    regions: Sequence[str], columns: int, across: float, down: float, near: tuple[float, float]
) -> Border | None:
    """The border a point takes hold of.

    Parameters
    ----------
    regions : of every cell, row by row.
    columns : of the table.
    across, down : the point, counted in tiles from the first corner.
    near : ``NEAR_PX`` counted in tiles, across and down.

    Returns
    -------
    The nearest one; None where there is none.
    """
    rows = len(regions) // columns
    found = []
    for upright, along, over, reach, last in (
        (True, across, down, near[0], columns),
        (False, down, across, near[1], rows),
    ):
        after = round(along) - 1
        off = abs(along - round(along)) / reach
        other = rows if upright else columns
        line = int(over)
        if off > 1.0 or not 0 <= after < last - 1 or not 0 <= line < other or over < 0.0:
            continue
        sides = _sides(regions, columns, upright, after)
        if sides[line][0] != sides[line][1]:
            found.append((off, Border(upright, after, _piece(sides, line), *sides[line])))
    return min(found, key=lambda f: f[0])[1] if found else None


def _sides(
    regions: Sequence[str], columns: int, upright: bool, after: int
) -> list[tuple[str, str]]:
    """What lies before and behind a line through the whole table, along it."""
    if upright:
        starts = range(after, len(regions), columns)
        return [(regions[i], regions[i + 1]) for i in starts]
    starts = range(after * columns, (after + 1) * columns)
    return [(regions[i], regions[i + columns]) for i in starts]


def _piece(sides: list[tuple[str, str]], line: int) -> tuple[int, ...]:
    """The lines around one that have the same two regions beside them."""
    low = high = line
    while low > 0 and sides[low - 1] == sides[line]:
        low -= 1
    while high < len(sides) - 1 and sides[high + 1] == sides[line]:
        high += 1
    return tuple(range(low, high + 1))


def moved(border: Border, columns: int, rows: int, to: float) -> tuple[frozenset[int], str]:
    """Cells that change sides when a border is let go elsewhere.

    Parameters
    ----------
    border : as it was taken hold of.
    columns, rows : of the table.
    to : where it is let go, counted in tiles across or down.

    Returns
    -------
    The cells and the region they are put into; no cell where it came back.
    """
    last = columns if border.upright else rows
    edge = min(max(round(to), 0), last)
    began = border.after + 1
    over = range(began, edge) if edge > began else range(edge, began)
    # The region it is pulled away from grows.
    region = border.before_it if edge > began else border.behind_it
    if border.upright:
        cells = {row * columns + column for row in border.lines for column in over}
    else:
        cells = {row * columns + column for row in over for column in border.lines}
    return frozenset(cells), region
