"""What stands in a learned map: cells learned, cells nobody visited, tails the ECU spread, flares."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.table_kinds import HOLD_KINDS, Holds, holds_of, rows_of
from lean_trim.core.data.tables import Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    NO_TRIMS = Message(
        "learned.no_trims", "{name} holds no fuel trims in percent; a learned map is a grid of them"
    )
    OTHER_ROWS = Message(
        "learned.other_rows",
        "the learned map runs over {own}, the table over {table}: which cell of one stands for "
        "which of the other, no grid tells. A log does",
    )
    A_CURVE = Message(
        "learned.a_curve",
        "a learned map over engine speed and load says nothing of a MAF curve by itself: one point "
        "of the curve is driven in many of its cells. A log does",
    )
    EMPTY = Message("learned.empty", "every cell of the learned map is 0: nothing was learned")
    BIAS = Message("learned.bias", "a rich bias of {bias:g} %; allowed are {low:g} to {high:g}")


BLANK_PCT = 0.005
"""Trims nearer to zero than this were never learned: an ECU counts in steps of 0.1 % or more (common
practice, no source)."""
TAIL_SHARE = 0.72
"""Share of the next cell inwards below which a cell may be a tail (a choice)."""
SPREADS_BELOW = 0.55
"""Share of the cell within that three quarters of the outermost cells stay below where the ECU spreads
(measured: 0.14 to 0.55 of 43 of 45 simulated ECUs that do, 0.58 to 0.98 of 15 that do not)."""
LEAST_INNER_PCT = 0.5
"""Trims from which a cell may have a tail, percent: smaller ones fall under the ECU's steps."""
PLAIN_FALL = 0.1
"""How much beyond that share the last cell of the map may have and still be a tail (a choice)."""
LEAST_EDGES = 5
"""Edges there have to be before an ECU is said to spread (a choice)."""
FLARE_PCT = 5.0
FLARE_SCATTERS = 4.0
"""How far a lone cell stands off its neighbours, percent and in scatters of the map (choices)."""
BIAS_RANGE = (0.0, 5.0)
"""Rich bias people learn with, percent (common practice, no source)."""
AT_STOP_PCT = 8.0
"""Least trim an ECU's stop lies at, percent (common practice, no source)."""
LEAST_AT_STOP = 3
"""Cells with one and the same largest trim that make it a stop."""
SWING_PCT = 1.5
SWING_RATIO = 1.5
"""Scatter, percent, and ratio of bends to scatter, from which neighbours go to and fro; the ratio is 1
where they differ at random, 8/3 on a chequerboard, 0 on a smooth map."""
LEAST_SWINGS = 12
"""Cells between two learned ones the ratio is read from."""


class CellState(IntEnum):
    """What a cell of a learned map is."""

    UNVISITED = 0
    LEARNED = 1
    SPREAD = 2
    FLARE = 3


STATE_WORDS = {
    CellState.UNVISITED: "not visited",
    CellState.LEARNED: "learned",
    CellState.SPREAD: "spread by the ECU",
    CellState.FLARE: "a single flare",
}


@dataclass(frozen=True, eq=False)
class LearnedReading:
    """A learned map as it was understood; arrays in its shape.

    Attributes
    ----------
    table : the map; its ``values`` are 100 plus the trim.
    state : a ``CellState`` per cell.
    fuel_pct : fuel the cell needs beyond the table, percent, the rich bias taken out; NaN where it is
        not believed.
    scatter_pct : how far learned cells stand off their neighbours, one standard deviation, percent.
    bias_pct : the rich bias that was taken out.
    swings : neighbours go to and fro: the ECU learns too fast.
    stop_pct : largest trim, where several cells stand at it; 0 where none is.
    """

    table: Table
    state: NDArray[np.int8]
    fuel_pct: Floats
    scatter_pct: float
    bias_pct: float = 0.0
    swings: bool = False
    stop_pct: float = 0.0

    def count(self, state: CellState) -> int:
        """Number of cells of a kind."""
        return int((self.state == state).sum())

    @property
    def trim_pct(self) -> Floats:
        """The trims as they were read out, percent."""
        return trims_of(self.table)


def trims_of(table: Table) -> Floats:
    """Trims of a learned map, percent.

    Parameters
    ----------
    table : of fuel trims.

    Returns
    -------
    In its shape.

    Raises
    ------
    BadInputError
        If it holds something else.
    """
    if holds_of(table) is not Holds.FUEL_TRIM:
        raise BadInputError(Say.NO_TRIMS(name=table.name or "the table"))
    return table.values + HOLD_KINDS[Holds.FUEL_TRIM].offset


def check_fits(learned: Table, table: Table) -> None:
    """Refuse a learned map that is read by something else than the table.

    Parameters
    ----------
    learned : the map.
    table : under correction.

    Raises
    ------
    BadInputError
        If their rows stand for different things.
    """
    if len(table.axes) == 1:
        raise BadInputError(Say.A_CURVE())
    if rows_of(learned) is not rows_of(table):
        raise BadInputError(
            Say.OTHER_ROWS(
                own=f"{learned.axes[0].name}, {learned.axes[0].unit}",
                table=f"{table.axes[0].name}, {table.axes[0].unit}",
            )
        )


def read_learned(table: Table, bias_pct: float = 0.0) -> LearnedReading:
    """Tell what each cell of a learned map is.

    Parameters
    ----------
    table : of fuel trims.
    bias_pct : how much richer than its target the ECU was made to learn, by the user's word.

    Returns
    -------
    With the fuel every believed cell needs.

    Raises
    ------
    BadInputError
        If it holds no trims, none but zeros, or the bias is out of range.
    """
    low, high = BIAS_RANGE
    if not low <= bias_pct <= high:
        raise BadInputError(Say.BIAS(bias=bias_pct, low=low, high=high))
    trims = trims_of(table)
    visited = np.abs(trims) > BLANK_PCT
    if not visited.any():
        raise BadInputError(Say.EMPTY())
    state = np.where(visited, CellState.LEARNED, CellState.UNVISITED).astype(np.int8)
    tails = _tails(trims, visited)
    state[tails] = CellState.SPREAD
    learned = state == CellState.LEARNED
    off = off_neighbours(trims, learned)
    scatter = _scatter(off)
    flares = np.abs(np.nan_to_num(off)) > max(FLARE_PCT, FLARE_SCATTERS * scatter)
    flares &= _largest_around(np.abs(np.nan_to_num(off)))
    state[flares] = CellState.FLARE
    fuel = 100.0 * ((1.0 + trims / 100.0) / (1.0 + bias_pct / 100.0) - 1.0)
    return LearnedReading(
        table=table,
        state=state,
        fuel_pct=np.where(state == CellState.LEARNED, fuel, np.nan),
        scatter_pct=scatter,
        bias_pct=bias_pct,
        swings=_swings(trims, state == CellState.LEARNED),
        stop_pct=_stop(trims),
    )


def _tails(trims: Floats, visited: Mask) -> Mask:
    """Cells that fall off smoothly towards cells nobody visited, where the ECU spreads what it learns.

    Going outwards, a tail is smaller than the cell before, of the same sign, and so are all after it until
    nothing is left. Whether an ECU spreads at all is told by all its edges together: at the edge of what was
    really driven neighbours are about alike.
    """
    lines = list(_lines(trims.shape))
    shares = _edge_shares(trims, visited)
    found = np.zeros(trims.shape, bool)
    if len(shares) < LEAST_EDGES:
        return found
    most = float(np.percentile(shares, 75.0))
    if most > SPREADS_BELOW:
        return found
    # Where the map itself ends a small trim may be what was learned there: only a plain fall counts.
    at_end = most + PLAIN_FALL
    for line in lines:
        found[line] |= _tails_along(trims[line], visited[line], at_end)
    return found


def _lines(shape: tuple[int, ...]) -> Iterator[tuple[slice | int, slice | int]]:
    """Every row and column of a map, read outwards to either end."""
    for outwards in (1, -1):
        step = slice(None, None, outwards)
        yield from ((step, i) for i in range(shape[1]))
        yield from ((i, step) for i in range(shape[0]))


def _edge_shares(trims: Floats, visited: Mask) -> Floats:
    """What share of the largest cell beside it each cell at the edge of the visited ones holds, (edges,).

    Beside it counts what has its sign; where the map itself ends is no edge.
    """
    size = np.where(visited, trims, 0.0)
    wide = np.pad(size, 1)
    known = np.pad(visited, 1, constant_values=True)
    beside = [
        (slice(1 + i, 1 + i + trims.shape[0]), slice(1 + j, 1 + j + trims.shape[1]))
        for i, j in ((-1, 0), (1, 0), (0, -1), (0, 1))
    ]
    open_to = ~np.all([known[at] for at in beside], axis=0)
    inner = np.max(
        [np.where(wide[at] * size > 0.0, np.abs(wide[at]), 0.0) for at in beside], axis=0
    )
    edges = visited & open_to & (inner >= LEAST_INNER_PCT)
    return np.asarray(np.abs(size[edges]) / inner[edges])


def _tails_along(line: Floats, visited: Mask, at_end: float) -> Mask:
    """Tails of one line read outwards; ``at_end`` is the share of its last cell where the map ends."""
    tail = np.zeros(len(line), bool)
    for end in np.flatnonzero(visited & ~np.append(visited[1:], False)):
        at = int(end)
        most = TAIL_SHARE if at < len(line) - 1 else at_end
        while at > 0 and _falls(line[at - 1], line[at], most):
            tail[at] = True
            at -= 1
    return tail


def _falls(inner: float, outer: float, most: float) -> bool:
    """Whether a cell is less than its part of the one within."""
    return inner * outer > 0.0 and abs(outer) <= most * abs(inner)


def neighbours(field: Floats, beyond: float) -> Floats:
    """The eight values around each cell.

    Parameters
    ----------
    field : any quantity, shape (rows, columns).
    beyond : what stands past the edge of the field.

    Returns
    -------
    Shape (8, rows, columns).
    """
    wide = np.pad(field, 1, constant_values=beyond)
    rows, columns = field.shape
    steps = [(i, j) for i in (-1, 0, 1) for j in (-1, 0, 1) if (i, j) != (0, 0)]
    return np.stack([wide[1 + i : 1 + i + rows, 1 + j : 1 + j + columns] for i, j in steps])


def off_neighbours(trims: Floats, learned: Mask) -> Floats:
    """How far learned cells stand off the middle of the learned cells around them.

    Parameters
    ----------
    trims : percent.
    learned : cells that count.

    Returns
    -------
    Percent, in that shape; NaN of others, and where fewer than three stand around.
    """
    around = neighbours(np.where(learned, trims, np.nan), beyond=np.nan)
    enough = np.isfinite(around).sum(axis=0) >= 3
    middle = np.full(trims.shape, np.nan)
    middle[enough] = np.nanmedian(around[:, enough], axis=0)
    return np.where(learned, trims - middle, np.nan)


def _largest_around(size: Floats) -> Mask:
    """True where nothing around is larger: a flare makes its neighbours look off as well."""
    return np.asarray(size >= np.max(neighbours(size, beyond=0.0), axis=0))


def _scatter(off: Floats) -> float:
    """One standard deviation of what cells stand off, by its median size; a lone cell does not move it."""
    known = np.abs(off[np.isfinite(off)])
    # The median size of a normal spread is 0.6745 of its deviation.
    return float(np.median(known)) / 0.6745 if len(known) else 0.0


def _swings(trims: Floats, learned: Mask) -> bool:
    """Whether neighbouring cells go to and fro."""
    known = np.where(learned, trims, np.nan)
    ratios = []
    for axis in (0, 1):
        bend = np.diff(known, 2, axis=axis)
        middle = known[1:-1] if axis == 0 else known[:, 1:-1]
        there = np.isfinite(bend)
        if there.sum() < LEAST_SWINGS:
            continue
        # What goes to and fro is what a straight line between the neighbours leaves.
        variance = float(np.var(middle[there]))
        rms = float(np.sqrt(np.mean(bend[there] ** 2) / 6.0))
        ratios.append(rms**2 / variance if variance > 0.0 and rms > SWING_PCT else 0.0)
    return bool(ratios) and max(ratios) > SWING_RATIO


def _stop(trims: Floats) -> float:
    """The largest trim, where several cells stand at it."""
    largest = float(np.max(np.abs(trims)))
    at_it = int((np.abs(np.abs(trims) - largest) < BLANK_PCT).sum())
    return largest if largest >= AT_STOP_PCT and at_it >= LEAST_AT_STOP else 0.0
