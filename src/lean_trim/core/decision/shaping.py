"""Shaping chosen cells: nudge, blend, straighten, smooth, fill by the surface, lay a correction elsewhere.

Every function takes the values as they are decided now and returns those that are wanted; whoever decides
rounds them to the field and looks at what they would do (``decision.moved_by_hand``, ``confirmation``).
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    NO_SURFACE = Message(
        "shaping.no_surface", "The surface says nothing of these cells; drive nearer to them."
    )
    NOTHING_BETWEEN = Message(
        "shaping.nothing_between",
        "Choose three cells or more in a line: the first and the last stay, those between follow.",
    )
    NOTHING_COPIED = Message(
        "shaping.nothing_copied",
        "No correction was copied yet: choose cells and copy theirs first.",
    )
    NO_ROOM = Message(
        "shaping.no_room",
        "The correction is {rows} × {columns} cells; from the chosen one on there are only "
        "{free_rows} × {free_columns}.",
    )


UNKNOWN_ERROR_PCT = 3.0
"""How far a cell without evidence may be off, percent points: what holds it at its value while it is
smoothed (a choice)."""
LEAST_ERROR_PCT = 0.3
"""Own errors below this count as this: no cell is so sure that a table may bend about it."""
BEND_PCT = 1.0
"""Bend between neighbours that weighs as much as one standard error of a cell, percent (a choice)."""
LEAST_IN_LINE = 3
"""Cells a line needs before anything lies between its edges."""


class Shape(StrEnum):
    """What chosen cells can be made to do."""

    SMOOTH = "smooth"
    BLEND = "blend"
    STRAIGHTEN = "straighten"
    FILL = "fill"


@dataclass(frozen=True, eq=False)
class Evidence:
    """What is known of each cell, in the table's shape.

    Attributes
    ----------
    error_pct : its own standard error, percent points; NaN where nobody drove.
    asked_pct : what the surface asks of it, percent; NaN where it says nothing.
    seen : cells used driving came near.
    """

    error_pct: Floats
    asked_pct: Floats
    seen: Mask


def no_evidence(shape: tuple[int, ...]) -> Evidence:
    """Of a table nobody drove.

    Returns in its shape.
    """
    blank = np.full(shape, np.nan)
    return Evidence(error_pct=blank, asked_pct=blank, seen=np.zeros(shape, bool))


def nudged(
    values: Floats, chosen: Mask, pct: float, limits: TableLimits, own: OwnUnit | None
) -> Floats:
    """Chosen cells moved by a little, by one step of the field at least.

    Parameters
    ----------
    values : as decided, in our unit.
    chosen : cells.
    pct : percent; its sign tells the direction.
    limits : of the table's field.
    own : how the ECU counts the table, None if as we do.

    Returns
    -------
    Wanted values.
    """
    step = limits.resolution if own is None else limits.resolution / own.scale
    # A nudge that is rounded away would look like a dead key.
    amount = np.maximum(values * abs(pct) / 100.0, step)
    return np.where(chosen, values + np.sign(pct) * amount, values)


def blended(driven: Table, values: Floats, chosen: Mask, along: int) -> Floats:
    """The change at the two edges of the chosen cells carried in a line through those between.

    It is the change that is blended, not the value: the shape the table had between the edges stays.

    Parameters
    ----------
    driven : the table the change is counted from.
    values : as decided.
    chosen : cells; of each line the first and the last stay as they are.
    along : the axis along which the edges face each other.

    Returns
    -------
    Wanted values.

    Raises
    ------
    BadInputError
        If no line has a cell between its edges.
    """
    axis = driven.axes[along]
    if _is_positive(driven.values) and _is_positive(values):
        change = np.log(values / driven.values)
        return np.asarray(driven.values * np.exp(_between(axis, change, chosen, along)))
    return np.asarray(driven.values + _between(axis, values - driven.values, chosen, along))


def straightened(table: Table, values: Floats, chosen: Mask, along: int) -> Floats:
    """The values of the chosen cells on the straight line between their two edges.

    Parameters
    ----------
    table : gives the axes.
    values : as decided.
    chosen : cells; of each line the first and the last stay as they are.
    along : the axis along which the edges face each other.

    Returns
    -------
    Wanted values.

    Raises
    ------
    BadInputError
        If no line has a cell between its edges.
    """
    return _between(table.axes[along], values, chosen, along)


def axis_along(chosen: Mask, along: int | None = None) -> int:
    """The axis to shape along.

    Parameters
    ----------
    chosen : cells.
    along : as the user asked; None leaves it to the choice.

    Returns
    -------
    From row to row where cells of more than one are chosen, else along the row.
    """
    if chosen.ndim == 1:
        return 0
    if along is not None:
        return along
    return 0 if len(np.unique(np.nonzero(chosen)[0])) > 1 else 1


def shaped(
    how: Shape, driven: Table, values: Floats, chosen: Mask, evidence: Evidence, along: int | None
) -> Floats:
    """Chosen cells in one of the shapes.

    Parameters
    ----------
    how : which.
    driven : the table the change is counted from.
    values : as decided.
    chosen : cells.
    evidence : of the drive.
    along : the axis along which edges face each other; None leaves it to the choice.

    Returns
    -------
    Wanted values.

    Raises
    ------
    BadInputError
        If it cannot be done with these cells.
    """
    if how is Shape.SMOOTH:
        return smoothed(driven, values, chosen, evidence)
    if how is Shape.FILL:
        return filled(driven, values, chosen, evidence)
    edges = blended if how is Shape.BLEND else straightened
    return edges(driven, values, chosen, axis_along(chosen, along))


def _is_positive(values: Floats) -> bool:
    return bool((values > 0.0).all())


def _between(axis: Axis, what: Floats, chosen: Mask, along: int) -> Floats:
    """Cells between the first and last chosen of each line, on the line between those."""
    out = np.moveaxis(what.copy(), along, -1)
    lines = np.moveaxis(chosen, along, -1)
    moved = False
    for place in np.ndindex(lines.shape[:-1]):
        on = np.flatnonzero(lines[place])
        if len(on) < LEAST_IN_LINE:
            continue
        ends = [on[0], on[-1]]
        inner = on[1:-1]
        out[place][inner] = np.interp(axis.points[inner], axis.points[ends], out[place][ends])
        moved = True
    if not moved:
        raise BadInputError(Say.NOTHING_BETWEEN())
    return np.moveaxis(out, -1, along)


def filled(driven: Table, values: Floats, chosen: Mask, evidence: Evidence) -> Floats:
    """Chosen cells as the surface through the driven cells asks, whatever the rules made of it.

    Parameters
    ----------
    driven : the table that is asked to change.
    values : as decided.
    chosen : cells.
    evidence : of the drive.

    Returns
    -------
    Wanted values.

    Raises
    ------
    BadInputError
        If the surface says nothing of any of them.
    """
    known = chosen & np.isfinite(evidence.asked_pct)
    if not known.any():
        raise BadInputError(Say.NO_SURFACE())
    return np.where(known, driven.values * (1.0 + evidence.asked_pct / 100.0), values)


def smoothed(table: Table, values: Floats, chosen: Mask, evidence: Evidence) -> Floats:
    """Chosen cells with their bends evened out, each held at its value by what is known of it.

    Driven cells are smoothed among driven ones only; then the others, with the driven ones fixed. So
    an unvisited cell never pulls a measured one. Bends are those of the logarithm of the value off the
    line between its neighbours; a bend of 1 % weighs as much as one standard error of a cell.

    Parameters
    ----------
    table : gives the axes.
    values : as decided.
    chosen : cells.
    evidence : of the drive.

    Returns
    -------
    Wanted values.
    """
    # Milliseconds and degrees go through zero: there a bend is counted in parts of the largest cell.
    positive = _is_positive(values)
    largest = float(np.abs(values).max()) or 1.0
    logs = np.log(values) if positive else values / largest
    known = evidence.seen & np.isfinite(evidence.error_pct)
    error = np.maximum(evidence.error_pct, LEAST_ERROR_PCT)
    logs = _evened(table, logs, chosen & known, error, among=known)
    guess = np.full(table.shape, UNKNOWN_ERROR_PCT)
    logs = _evened(table, logs, chosen & ~known, guess, among=np.ones(table.shape, bool))
    # Cells that were not to move keep their value to the last bit.
    return np.where(chosen, np.exp(logs) if positive else logs * largest, values)


def _evened(table: Table, logs: Floats, free: Mask, error_pct: Floats, among: Mask) -> Floats:
    """Least squares of the free cells: their pull to where they are, and bends of lines of three."""
    if not free.any():
        return logs
    from scipy.sparse import csr_array, diags_array
    from scipy.sparse.linalg import spsolve

    centre, before, after, share = _triples(table, free, among)
    rows = np.tile(np.arange(len(centre)), 3)
    columns = np.concatenate([centre, before, after])
    weights = np.concatenate([np.ones(len(centre)), share - 1.0, -share])
    bends = csr_array((weights, (rows, columns)), shape=(len(centre), table.size))
    places = np.flatnonzero(free)
    part = bends[:, places] * (100.0 / BEND_PCT)
    pull = diags_array((100.0 / error_pct.ravel()[places]) ** 2)
    flat = logs.ravel().copy()
    # As a change from where the cells are, so that what does not bend does not move.
    change = spsolve(
        (part.T @ part + pull).tocsc(), -(part.T @ (bends @ flat)) * (100.0 / BEND_PCT)
    )
    flat[places] += change
    return flat.reshape(table.shape)


Places = NDArray[np.intp]


def _triples(table: Table, free: Mask, among: Mask) -> tuple[Places, Places, Places, Floats]:
    """Cells with both neighbours along an axis, all three of those allowed and one of them free.

    Returns flat places of cell, neighbour before and after, and the share of the way to the latter.
    """
    index = np.arange(table.size).reshape(table.shape)
    found = []
    for axis, points in enumerate(a.points for a in table.axes):
        lines, allowed, moves = (np.moveaxis(x, axis, -1) for x in (index, among, free))
        share = (points[1:-1] - points[:-2]) / (points[2:] - points[:-2])
        three = [(x[..., 1:-1], x[..., :-2], x[..., 2:]) for x in (lines, allowed, moves)]
        take = np.logical_and.reduce(three[1]) & np.logical_or.reduce(three[2])
        cells = [part[take] for part in three[0]]
        found.append((*cells, np.broadcast_to(share, take.shape)[take]))
    centre, before, after, shares = (np.concatenate(part) for part in zip(*found, strict=True))
    return centre, before, after, shares


@dataclass(frozen=True, eq=False)
class Correction:
    """A change of some cells, to be laid on others: factors in the rectangle around them, NaN beside them."""

    factors: Floats


def correction_of(driven: Table, values: Floats, chosen: Mask) -> Correction:
    """What the chosen cells are changed by.

    Parameters
    ----------
    driven : the table the change is counted from.
    values : as decided.
    chosen : cells, one at least.

    Returns
    -------
    Factors in their rectangle.
    """
    place = tuple(slice(int(at.min()), int(at.max()) + 1) for at in np.nonzero(chosen))
    return Correction(np.where(chosen, values / driven.values, np.nan)[place])


def laid(driven: Table, values: Floats, chosen: Mask, correction: Correction) -> Floats:
    """A copied correction on other cells, its first corner on the first of them.

    Chosen cells in a number of rows and columns that the copied ones fill several times are filled so.

    Parameters
    ----------
    driven : the table the change is counted from.
    values : as decided.
    chosen : cells, one at least.
    correction : as copied, of a table with as many axes.

    Returns
    -------
    Wanted values.

    Raises
    ------
    BadInputError
        If it does not fit between the first chosen cell and the edge of the table.
    """
    corner = [int(at.min()) for at in np.nonzero(chosen)]
    extent = [int(at.max()) + 1 - low for at, low in zip(np.nonzero(chosen), corner, strict=True)]
    size = correction.factors.shape
    times = [max(1, wide // own) for wide, own in zip(extent, size, strict=True)]
    fits = all(wide % own == 0 for wide, own in zip(extent, size, strict=True))
    factors = np.tile(correction.factors, times) if fits else correction.factors
    room = [whole - low for whole, low in zip(driven.shape, corner, strict=True)]
    if any(wide > free for wide, free in zip(factors.shape, room, strict=True)):
        rows, columns = (1, size[0]) if len(size) == 1 else size
        free_rows, free_columns = (1, room[0]) if len(room) == 1 else room
        raise BadInputError(
            Say.NO_ROOM(rows=rows, columns=columns, free_rows=free_rows, free_columns=free_columns)
        )
    place = tuple(slice(low, low + wide) for low, wide in zip(corner, factors.shape, strict=True))
    out = values.copy()
    out[place] = np.where(np.isnan(factors), out[place], driven.values[place] * factors)
    return out
