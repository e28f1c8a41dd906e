"""Where the axes of a pasted table are, and which way round it stands."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.block import Block


class Say:
    """Sentences of this module."""

    NOT_A_NUMBER = Message(
        "arrange.not_a_number", "{source}, line {line}, cell {column}: {text!r} is not a number"
    )
    TOO_SMALL = Message(
        "arrange.too_small", "{source}: {rows} × {columns} numbers; a table needs at least 2 × 2"
    )
    RAGGED = Message(
        "arrange.ragged", "{source}, line {line}: {count} cells where others have {expected}"
    )
    TURNED = Message("arrange.turned", "rows and columns were turned: engine speed runs across")
    FLIPPED = Message("arrange.flipped", "the {axis} axis ran downwards and was turned round")
    NOT_RISING = Message(
        "arrange.not_rising",
        "the {axis} axis neither rises nor falls throughout: {a:g} is followed by {b:g}",
    )
    COUNT = Message("arrange.count", "{count} points for {axis}; the cells have {expected} {what}")


RPM_LEAST = 1500.0
"""No axis of pressure in kPa, throttle or load ends above this, and every axis of engine speed
does."""
SPEED_WORDS = ("rpm", "1/min", "min-1", "u/min", "speed", "drehzahl", "об/мин")


@dataclass(frozen=True, eq=False)
class Arranged:
    """A block told apart into axes and cells, with engine speed across where that can be told.

    Attributes
    ----------
    cells : shape (rows, columns).
    rows, columns : axis points; None where the block brought none.
    row_label, column_label : words of the corner, "" without.
    notes : what was turned, as sentences.
    source : what it is called in messages.
    """

    cells: Floats
    rows: Floats | None
    columns: Floats | None
    row_label: str = ""
    column_label: str = ""
    notes: tuple[str, ...] = ()
    source: str = field(default="")

    @property
    def needs_axes(self) -> bool:
        """True if the axes have to be asked for."""
        return self.rows is None or self.columns is None


def arrange(block: Block, first_are_axes: bool = False) -> Arranged:
    """Tell axes from cells.

    Axes are taken where their corner is blank or a word, in whichever corner it stands, or where it
    is missing so that one row is a cell shorter. Otherwise every number is a cell: a first row of
    cells is never taken for an axis unasked.

    Parameters
    ----------
    block : cells as text.
    first_are_axes : the user's word that first row and column are axes although their corner is a
        number.

    Returns
    -------
    Axes and cells.

    Raises
    ------
    BadInputError
        Naming the line and cell of what is no number, or the axis that does not run one way.
    """
    block = _squared(block)
    numbers = block.numbers
    top, left = _corner(block, numbers)
    if top is None and first_are_axes:
        top = 0
        left = 0
    if top is None:
        _refuse_holes(block, numbers, np.ones(numbers.shape, bool))
        return _checked(Arranged(numbers, None, None, source=block.source))
    assert left is not None
    keep_rows = np.arange(len(numbers)) != top
    keep_columns = np.arange(numbers.shape[1]) != left
    meant = np.ones(numbers.shape, bool)
    meant[top, left] = False
    _refuse_holes(block, numbers, meant)
    corner = block.rows[top][left] if np.isnan(numbers[top, left]) else ""
    row_label, column_label = _labels(corner)
    found = Arranged(
        cells=numbers[np.ix_(keep_rows, keep_columns)],
        rows=numbers[keep_rows, left],
        columns=numbers[top, keep_columns],
        row_label=row_label,
        column_label=column_label,
        source=block.source,
    )
    return _checked(_upright(found))


def with_axes(found: Arranged, rows: Floats, columns: Floats) -> Arranged:
    """The cells with axes the user gave.

    Parameters
    ----------
    found : cells without axes, or with others.
    rows, columns : points as many as the cells have rows and columns; or the other way round, if
        the cells stand transposed.

    Returns
    -------
    With axes, upright.

    Raises
    ------
    BadInputError
        If the numbers of points do not fit, or an axis does not run one way.
    """
    cells = found.cells
    notes: tuple[str, ...] = found.notes
    # Only where it can be meant in no other way; a square block stands as it was pasted.
    if cells.shape != (len(rows), len(columns)) and cells.T.shape == (len(rows), len(columns)):
        cells = cells.T
        notes = (*notes, str(Say.TURNED()))
    for what, axis, expected, points in (
        ("rows", "the rows", cells.shape[0], rows),
        ("columns", "engine speed", cells.shape[1], columns),
    ):
        if len(points) != expected:
            raise BadInputError(
                Say.COUNT(count=len(points), axis=axis, expected=expected, what=what)
            )
    return _upright(replace(found, cells=cells, rows=rows, columns=columns, notes=notes))


def _squared(block: Block) -> Block:
    """Rows of one length; a corner that is missing becomes a blank one."""
    lengths = [len(r) for r in block.rows]
    width = max(lengths)
    # A header row whose corner the editor left out; of two rows it could as well be a slip.
    if len(block.rows) > 2 and lengths[0] == width - 1 and all(n == width for n in lengths[1:]):
        return replace(block, rows=(("", *block.rows[0]), *block.rows[1:]))
    for line, row in zip(block.lines, block.rows, strict=True):
        if len(row) != width:
            raise BadInputError(
                Say.RAGGED(source=block.source, line=line, count=len(row), expected=width)
            )
    return block


def _corner(block: Block, numbers: Floats) -> tuple[int | None, int | None]:
    """Row and column of the one corner that holds no number; None if there is none."""
    rows, columns = numbers.shape
    if rows < 3 or columns < 3:
        return None, None
    # Some editors print engine speed below the cells, or pressure to their right.
    for row in (0, rows - 1):
        for column in (0, columns - 1):
            if np.isnan(numbers[row, column]):
                return row, column
    return None, None


def _refuse_holes(block: Block, numbers: Floats, meant: np.ndarray) -> None:
    bad = np.argwhere(meant & ~np.isfinite(numbers))
    if len(bad):
        i, j = (int(x) for x in bad[0])
        text = block.rows[i][j] if j < len(block.rows[i]) else ""
        raise BadInputError(
            Say.NOT_A_NUMBER(source=block.source, line=block.lines[i], column=j + 1, text=text)
        )


def _labels(corner: str) -> tuple[str, str]:
    """Words for rows and columns of a corner: those before and behind its backslash."""
    for mark in ("\\", "|", " / "):
        if mark in corner:
            first, second = corner.split(mark, 1)
            return first.strip(), second.strip()
    return corner.strip(), ""


def _upright(found: Arranged) -> Arranged:
    """Engine speed across and both axes rising."""
    assert found.rows is not None and found.columns is not None
    if _is_speed(found.rows, found.row_label) and not _is_speed(found.columns, found.column_label):
        found = replace(
            found,
            cells=found.cells.T,
            rows=found.columns,
            columns=found.rows,
            row_label=found.column_label,
            column_label=found.row_label,
            notes=(*found.notes, str(Say.TURNED())),
        )
    assert found.rows is not None and found.columns is not None
    for which, name in (("rows", "row"), ("columns", "engine speed")):
        points = found.rows if which == "rows" else found.columns
        if len(points) > 1 and (np.diff(points) < 0).all():
            flipped = str(Say.FLIPPED(axis=name))
            cells = found.cells[::-1] if which == "rows" else found.cells[:, ::-1]
            found = replace(found, cells=cells, notes=(*found.notes, flipped))
            turned = points[::-1]
            found = (
                replace(found, rows=turned) if which == "rows" else replace(found, columns=turned)
            )
        # Neither rising nor falling is a wrong paste, and sorting it would mix up cells.
        elif (np.diff(points) <= 0).any():
            at = int(np.flatnonzero(np.diff(points) <= 0)[0])
            raise BadInputError(
                Say.NOT_RISING(axis=name, a=float(points[at]), b=float(points[at + 1]))
            )
    return found


def _is_speed(points: Floats, label: str) -> bool:
    # The word decides; numbers only where there is none.
    if label:
        return any(word in label.lower() for word in SPEED_WORDS)
    return float(np.max(points)) >= RPM_LEAST


def _checked(found: Arranged) -> Arranged:
    if min(found.cells.shape) < 2:
        rows, columns = found.cells.shape
        raise BadInputError(Say.TOO_SMALL(source=found.source, rows=rows, columns=columns))
    return found


@dataclass(frozen=True, eq=False)
class ArrangedCurve:
    """Points of a curve, rising.

    Attributes
    ----------
    signal, flow : shape (n,).
    signal_label, flow_label : words of the header, "" without.
    notes : what was turned.
    """

    signal: Floats
    flow: Floats
    signal_label: str = ""
    flow_label: str = ""
    notes: tuple[str, ...] = ()


def arrange_curve(block: Block) -> ArrangedCurve:
    """A curve in two columns or two rows, with or without a header.

    Parameters
    ----------
    block : cells as text.

    Returns
    -------
    Its points.

    Raises
    ------
    BadInputError
        If it is not two rows or columns of numbers, or the signal does not run one way.
    """
    numbers = block.numbers
    rows = [tuple(r) for r in block.rows]
    if block.width > 2 and len(rows) == 2:
        numbers = numbers.T
        rows = [tuple(r[i] if i < len(r) else "" for r in block.rows) for i in range(block.width)]
    if numbers.shape[1] != 2:
        raise BadInputError(
            Say.RAGGED(source=block.source, line=block.lines[0], count=numbers.shape[1], expected=2)
        )
    labels = ("", "")
    # A header has words in both places; one word alone is a slip in a number.
    if np.isnan(numbers[0]).all():
        labels = (rows[0][0], rows[0][1])
        numbers = numbers[1:]
    bad = np.argwhere(~np.isfinite(numbers))
    if len(bad) or len(numbers) < 2:
        i, j = (int(x) for x in bad[0]) if len(bad) else (0, 0)
        text = rows[i + (labels != ("", ""))][j] if len(bad) else ""
        line = block.lines[min(i + (labels != ("", "")), len(block.lines) - 1)]
        raise BadInputError(
            Say.NOT_A_NUMBER(source=block.source, line=line, column=j + 1, text=text)
        )
    notes: tuple[str, ...] = ()
    if (np.diff(numbers[:, 0]) < 0).all():
        numbers = numbers[::-1]
        notes = (str(Say.FLIPPED(axis="signal")),)
    return ArrangedCurve(numbers[:, 0], numbers[:, 1], *labels, notes)
