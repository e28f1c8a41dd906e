"""Corrections of fuel as they are pasted or read from a file: two columns, enrichment also as a grid."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lean_trim.core.data.fuel_corrections import (
    ADDED,
    AXIS_RANGES,
    AXIS_UNITS,
    COOLANT,
    CUT_TIME,
    INTAKE,
    KINDS,
    MAP,
    MAP_RATE,
    NOTHING_ADDED_PCT,
    SECONDS,
    SHARE,
    SPEED,
    THROTTLE_RATE,
    CorrectionKind,
    correction_table,
)
from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.errors import BadInputError, TableError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.arrange import arrange_curve
from lean_trim.formats.tables.block import Block, block_of_file
from lean_trim.formats.tables.checked import Counted, axis_in, cells_in, grid_numbers
from lean_trim.formats.tables.table_units import PRESSURES, PSI_KPA


class Say:
    """Sentences of this module."""

    AXIS_UNIT = Message(
        "correction_block.axis_unit",
        "{source}: the header has to name the unit of the axis; allowed are {allowed}",
    )
    CELL_UNIT = Message(
        "correction_block.cell_unit",
        "{source}: no cell is near 0 % added, so the header has to say what the cells are; "
        "allowed are {allowed}",
    )
    OF_TABLE = Message("correction_block.of_table", "{source}: {reason}")


_DEGREES = {"°C": OwnUnit("°C"), "°F": OwnUnit("°F", 1.8, 32.0), "K": OwnUnit("K", 1.0, 273.15)}
_TIMES = {"s": OwnUnit("s"), "ms": OwnUnit("ms", 1000.0)}
AXES: Mapping[str, Mapping[str, OwnUnit]] = {
    MAP_RATE: {
        "kPa/s": OwnUnit("kPa/s"),
        "bar/s": OwnUnit("bar/s", 0.01),
        "psi/s": OwnUnit("psi/s", 1.0 / PSI_KPA),
    },
    THROTTLE_RATE: {"%/s": OwnUnit("%/s")},
    CUT_TIME: _TIMES,
    COOLANT: _DEGREES,
    INTAKE: _DEGREES,
    MAP: PRESSURES,
    SPEED: {"rpm": OwnUnit("rpm")},
}
"""Units of each axis, ours first."""
CELLS: Mapping[str, Mapping[str, OwnUnit]] = {
    ADDED: {
        ADDED: OwnUnit("%", 1.0, -NOTHING_ADDED_PCT),
        "factor": OwnUnit("factor", 0.01),
        "% of 100": OwnUnit("% of 100"),
    },
    SHARE: {SHARE: OwnUnit(SHARE), "0..1": OwnUnit("0..1", 0.01)},
    SECONDS: _TIMES,
}
"""Units of cells by what the table holds."""
SAME = {
    "%": "%", "percent": "%", "added": ADDED, "x": "factor", "×": "factor", "multiplier": "factor",
    "c": "°C", "degc": "°C", "f": "°F", "degf": "°F", "k": "K", "ratio": "0..1", "fraction": "0..1",
}  # fmt: skip
"""Words of headers, folded, and the unit they name."""
NEUTRAL = ((0.9, 1.1, "factor"), (90.0, 110.0, "% of 100"))
"""Where the cell nearest to nothing lies in each way to count what is added."""


@dataclass(frozen=True)
class CorrectionForm:
    """Units of a pasted table; that of the axis tells which axis it is."""

    axis: str
    cells: str


def units_of(name: str) -> Mapping[str, tuple[str, ...]]:
    """Units that may be said for a table, the usual ones first.

    Parameters
    ----------
    name : one of ``CORRECTIONS``.

    Returns
    -------
    For "axis" and "cells".
    """
    kind = KINDS[name]
    return {"axis": tuple(u for a in kind.axes for u in AXES[a]), "cells": tuple(CELLS[kind.unit])}


def _axis_of(name: str, unit: str) -> str:
    return next(axis for axis in KINDS[name].axes if unit in AXES[axis])


def correction_of(block: Block, name: str, form: CorrectionForm) -> Table:
    """A table of cells that are at hand.

    Parameters
    ----------
    block : two columns or two rows; enrichment also as a grid, engine speed across or, if its
        corner says so, down.
    name : one of ``CORRECTIONS``.
    form : its units.

    Returns
    -------
    In our units, with the ECU's own beside them; axes rising.

    Raises
    ------
    BadInputError
        Naming what is not understood, or cannot be.
    """
    kind = KINDS[name]
    axis = _axis_of(name, form.axis)
    counted = _counted(axis, AXES[axis][form.axis])
    try:
        if kind.also and block.width > 2 and len(block.rows) > 2:
            return _grid(block, name, form, counted)
        curve = arrange_curve(block)
        along = axis_in(axis, curve.signal, counted, block.source)
        return _table(name, (along,), curve.flow, form, block.source)
    except TableError as error:
        raise BadInputError(Say.OF_TABLE(source=block.source, reason=error)) from error


def _counted(axis: str, own: OwnUnit) -> Counted:
    return Counted(own, AXIS_UNITS[axis], *AXIS_RANGES[axis])


def _table(
    name: str, axes: tuple[Axis, ...], values: Floats, form: CorrectionForm, source: str
) -> Table:
    kind = KINDS[name]
    own = CELLS[kind.unit][form.cells]
    more = NOTHING_ADDED_PCT if kind.adds else 0.0
    ours = "% of the fuel" if kind.adds else kind.unit
    cells = cells_in(values, Counted(own, ours, kind.low + more, kind.high + more), source)
    beside = own if kind.adds or own.unit != kind.unit else None
    return correction_table(name, axes, cells - more, beside)


def _grid(block: Block, name: str, form: CorrectionForm, counted: Counted) -> Table:
    numbers = grid_numbers(block)
    across = numbers[0, 1:]
    down = numbers[1:, 0]
    cells = numbers[1:, 1:]
    corner = block.rows[0][0] if block.rows[0] else ""
    if "rpm" in corner.partition("\\")[0].casefold():
        across, down, cells = down, across, cells.T
    by_rate = np.argsort(down, kind="stable")
    by_speed = np.argsort(across, kind="stable")
    axes = (
        axis_in(_axis_of(name, form.axis), down[by_rate], counted, block.source),
        axis_in(SPEED, across[by_speed], _counted(SPEED, AXES[SPEED]["rpm"]), block.source),
    )
    return _table(name, axes, cells[np.ix_(by_rate, by_speed)], form, block.source)


def form_said(block: Block, name: str) -> tuple[CorrectionForm, frozenset[str]]:
    """The units a table's header names; what it does not name is taken from the cells, or is the usual one.

    Parameters
    ----------
    block : with its header, if there is one.
    name : one of ``CORRECTIONS``.

    Returns
    -------
    The form, and which of "axis" and "cells" the header named.
    """
    first = " ".join(block.rows[0]).casefold() if block.rows else ""
    words = [w for w in re.split(r"[\s\\,;|\t()\[\]]+", first) if w]
    named = {SAME.get(word, word) for word in words}
    if "of" in words and "100" in words:
        named = (named - {"%"}) | {"% of 100"}
    units = units_of(name)
    axis = _named(units["axis"], named)
    cells = _named(units["cells"], named)
    if not cells and "%" in named and ADDED in units["cells"]:
        cells = ADDED
    said = frozenset(key for key, unit in (("axis", axis), ("cells", cells)) if unit)
    return CorrectionForm(axis or units["axis"][0], cells or _by_cells(block, KINDS[name])), said


def _named(units: Sequence[str], named: set[str]) -> str:
    folded = {word.casefold() for word in named}
    return next((u for u in units if u.casefold() in folded), "")


def _by_cells(block: Block, kind: CorrectionKind) -> str:
    """How cells count, told by the one nearest to changing nothing."""
    usual = next(iter(CELLS[kind.unit]))
    values = block.numbers[1:, 1:]
    known = values[np.isfinite(values)]
    if not kind.adds or not len(known):
        return usual
    least = float(np.abs(known).min())
    return next((unit for low, high, unit in NEUTRAL if low <= least <= high), usual)


def read_correction(path: Path, name: str) -> Table:
    """A table file a vehicle sheet names.

    Parameters
    ----------
    path : of the file.
    name : one of ``CORRECTIONS``.

    Returns
    -------
    The table. Cells are percent added where the header names no unit, or only %.

    Raises
    ------
    BadInputError
        Naming file and place; also where its header does not name the axis' unit, or no cell of
        percent added is near 0.
    """
    block = block_of_file(path, "")
    form, said = form_said(block, name)
    units = units_of(name)
    # A factor taken for percent, or a rate of throttle for one of pressure, would spoil the fuel.
    if "axis" not in said and len(units["axis"]) > 1:
        raise BadInputError(Say.AXIS_UNIT(source=block.source, allowed=", ".join(units["axis"])))
    if form.cells == ADDED != _by_cells(block, KINDS[name]):
        raise BadInputError(Say.CELL_UNIT(source=block.source, allowed=", ".join(units["cells"])))
    return correction_of(block, name, form)
