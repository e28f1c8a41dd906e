"""Points and cells of a table that was brought along: turned into our unit, or refused by name."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Axis, OwnUnit
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.block import Block


class Say:
    """Sentences of this module."""

    AXIS_RANGE = Message(
        "checked.axis_range",
        "{source}: {value:g} {unit} on the {axis} axis is {ours:.4g} {ours_unit}; allowed are "
        "{low:g} to {high:g} {ours_unit}. Is the unit right?",
    )
    CELL_RANGE = Message(
        "checked.cell_range",
        "{source}: {value:g} {unit} is {ours:.4g} {ours_unit}; allowed are {low:g} to {high:g} "
        "{ours_unit}. Is the unit right?",
    )
    NO_NUMBER = Message("checked.no_number", "{source}: line {line}: {text!r} is no number")
    IN_OURS = Message(
        "checked.in_ours",
        "{source}: {value:g} {unit} in the {what}; allowed are {low:g} to {high:g} {unit}. Is the "
        "unit right?",
    )


@dataclass(frozen=True)
class Counted:
    """How numbers were written: the ECU's unit, ours, and the range any ECU's lie in, in ours."""

    own: OwnUnit
    ours: str
    low: float
    high: float

    @property
    def beside(self) -> OwnUnit | None:
        """The ECU's unit where it is another than ours."""
        return None if self.own.unit == self.ours else self.own


def grid_numbers(block: Block) -> Floats:
    """Numbers of a grid with both axes; its corner need hold none.

    Returns shape of the block. Raises BadInputError for another cell that holds no number.
    """
    numbers = block.numbers
    for i, row in enumerate(block.rows):
        for j in range(block.width):
            if (i or j) and not np.isfinite(numbers[i, j]):
                text = row[j] if j < len(row) else ""
                raise BadInputError(
                    Say.NO_NUMBER(source=block.source, line=block.lines[i], text=text)
                )
    return numbers


def axis_in(name: str, points: Floats, counted: Counted, source: str) -> Axis:
    """An axis in our unit.

    Parameters
    ----------
    name : of the axis.
    points : as written, shape (n,).
    counted : how.
    source : what the table is called in messages.

    Returns
    -------
    With the ECU's unit beside it.

    Raises
    ------
    BadInputError
        For a point no ECU has.
    """
    return Axis(name, counted.ours, points_in(name, points, counted, source), counted.beside)


def points_in(name: str, points: Floats, counted: Counted, source: str) -> Floats:
    """Points of an axis in our unit.

    Returns shape (n,). Raises BadInputError as above.
    """
    found = counted.own.ours(points)
    bad = np.flatnonzero(~((found >= counted.low) & (found <= counted.high)))
    if len(bad):
        at = int(bad[0])
        words = _words(float(points[at]), float(found[at]), counted)
        if counted.beside is None:
            raise BadInputError(Say.IN_OURS(source=source, what=f"{name} axis", **words))
        raise BadInputError(Say.AXIS_RANGE(source=source, axis=name, **words))
    return found


def cells_in(values: Floats, counted: Counted, source: str) -> Floats:
    """Cells in our unit.

    Parameters
    ----------
    values : as written, any shape.
    counted, source : as above.

    Returns
    -------
    The same shape.

    Raises
    ------
    BadInputError
        For a value no ECU has.
    """
    found = counted.own.ours(values)
    bad = np.argwhere(~((found >= counted.low) & (found <= counted.high)))
    if len(bad):
        at = tuple(bad[0])
        words = _words(float(values[at]), float(found[at]), counted)
        if counted.beside is None:
            raise BadInputError(Say.IN_OURS(source=source, what="cells", **words))
        raise BadInputError(Say.CELL_RANGE(source=source, **words))
    return np.asarray(found, float)


def _words(value: float, ours: float, counted: Counted) -> dict[str, float | str]:
    return {
        "value": value,
        "unit": counted.own.unit,
        "ours": ours,
        "ours_unit": counted.ours,
        "low": counted.low,
        "high": counted.high,
    }
