"""Rows and columns put in, taken out or moved; what the ECU reads from the table stays as near as it can."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    THERE = Message("axis_edit.there", "{value:g} {unit} is a point of this axis already.")
    LAST = Message("axis_edit.last", "An axis needs two points at least.")
    OUTSIDE = Message(
        "axis_edit.outside",
        "{value:g} {unit} lies beyond the neighbours of this point, {low:g} to {high:g}; take the point out "
        "and put another in.",
    )


class Act(StrEnum):
    """What is done to an axis."""

    INSERT = "insert"
    MOVE = "move"
    REMOVE = "remove"


FINE = 4
"""Places between two points at which two tables are held against each other."""


@dataclass(frozen=True, eq=False)
class AxisEdit:
    """A table on other axes.

    Attributes
    ----------
    table : as it becomes.
    worst_pct, rms_pct : how far what the ECU reads differs from before, percent; 0 where it is the same.
    worst_at : where, along each axis.
    """

    table: Table
    worst_pct: float
    rms_pct: float
    worst_at: tuple[float, ...]

    @property
    def is_exact(self) -> bool:
        """True where the ECU reads the same from both, everywhere inside the axes."""
        return self.worst_pct < EXACT_PCT


EXACT_PCT = 1e-6


def insert_point(table: Table, axis: int, value: float) -> AxisEdit:
    """Put a point in; between points the ECU reads the same as before.

    Parameters
    ----------
    table : a grid or a curve.
    axis : which.
    value : of the new point, in the axis' own unit as we keep it.

    Returns
    -------
    The table with it; beyond the ends it goes on as the last value, as an ECU does.

    Raises
    ------
    BadInputError
        If there is such a point.
    """
    old = table.axes[axis]
    if (np.abs(old.points - value) <= SAME_SHARE * np.ptp(old.points)).any():
        raise BadInputError(Say.THERE(value=_shown(old, value), unit=old.shown_unit))
    points = np.sort(np.append(old.points, value))
    return _on(table, axis, points)


SAME_SHARE = 1e-6


def remove_point(table: Table, axis: int, index: int) -> AxisEdit:
    """Take a point out; between its neighbours the ECU then reads the straight line.

    Parameters
    ----------
    table : a grid or a curve.
    axis, index : which point.

    Returns
    -------
    The table without it.

    Raises
    ------
    BadInputError
        If only two are left.
    """
    old = table.axes[axis]
    if len(old) <= LEAST_POINTS:
        raise BadInputError(Say.LAST())
    return _on(table, axis, np.delete(old.points, index))


LEAST_POINTS = 2


def move_point(table: Table, axis: int, index: int, value: float) -> AxisEdit:
    """Move a point; its cells take what the ECU read there before.

    Parameters
    ----------
    table : a grid or a curve.
    axis, index : which point.
    value : where it goes, between its neighbours.

    Returns
    -------
    The table with it there.

    Raises
    ------
    BadInputError
        If it would pass a neighbour.
    """
    old = table.axes[axis]
    low = old.points[index - 1] if index > 0 else -np.inf
    high = old.points[index + 1] if index + 1 < len(old) else np.inf
    if not low < value < high:
        raise BadInputError(
            Say.OUTSIDE(
                value=_shown(old, value),
                unit=old.shown_unit,
                low=_shown(old, float(max(low, old.points[0]))),
                high=_shown(old, float(min(high, old.points[-1]))),
            )
        )
    points = old.points.copy()
    points[index] = value
    return _on(table, axis, points)


def _shown(axis: Axis, value: float) -> float:
    return float(value if axis.own is None else np.round(axis.own.own(np.array([value])), 6)[0])


def _on(table: Table, axis: int, points: Floats) -> AxisEdit:
    """The table read at other points of one axis, and how far that is from what it was."""
    axes = list(table.axes)
    axes[axis] = replace(axes[axis], points=points)
    at = np.meshgrid(*(a.points for a in axes), indexing="ij")
    values = table.lookup(*(x.ravel() for x in at)).reshape([len(a) for a in axes])
    made = Table(tuple(axes), values, table.unit, table.name, table.own)
    return _against(table, made)


def _against(old: Table, new: Table) -> AxisEdit:
    """How far two tables differ in what is read from them, at every point of both and between."""
    lines = []
    for a, b in zip(old.axes, new.axes, strict=True):
        points = np.union1d(a.points, b.points)
        steps = np.linspace(0.0, 1.0, FINE, endpoint=False)
        between = (points[:-1, None] + steps * np.diff(points)[:, None]).ravel()
        lines.append(np.append(between, points[-1]))
    at = [x.ravel() for x in np.meshgrid(*lines, indexing="ij")]
    off = 100.0 * (new.lookup(*at) / old.lookup(*at) - 1.0)
    worst = int(np.argmax(np.abs(off)))
    return AxisEdit(
        table=new,
        worst_pct=float(abs(off[worst])),
        rms_pct=float(np.sqrt(np.mean(off**2))),
        worst_at=tuple(float(x[worst]) for x in at),
    )
