"""A pasted or opened table, understood as far as it says itself; the rest is asked and never guessed."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Literal

import numpy as np

from lean_trim.core.data.axis_gaps import gaps_of
from lean_trim.core.data.fuels import PETROL
from lean_trim.core.data.table_kinds import HOLD_KINDS, ROW_KINDS, Holds, Rows
from lean_trim.core.data.tables import MAF_RANGES, OwnUnit, Table, maf_curve
from lean_trim.core.errors import BadInputError, LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.arrange import (
    Arranged,
    ArrangedCurve,
    arrange,
    arrange_curve,
    with_axes,
)
from lean_trim.formats.tables.block import Block, block_of_file, number_in
from lean_trim.formats.tables.form import GridForm, grid_of
from lean_trim.formats.tables.table_units import FLOWS, ROW_UNITS, SIGNALS, rows_by_unit, unit_in


class Say:
    """Sentences of this module."""

    FRACTIONS = Message(
        "pasting.fractions", "cells of at most {most:g} are taken for fractions, 1 being 100 %"
    )
    ROWS_TOLD = Message("pasting.rows_told", "rows are in {unit}, as the corner says")
    AXES = Message(
        "pasting.axes",
        "{rows} × {columns} numbers came without axes. Give them, or say that the first row and "
        "column are axes.",
    )
    ROW_UNIT = Message(
        "pasting.row_unit",
        "The rows go from {low:g} to {high:g} and have no unit. Choose it: {unit} would be "
        "{as_low:.0f} to {as_high:.0f} kPa.",
    )
    FLOW_UNIT = Message(
        "pasting.flow_unit", "The airflow has no unit. Choose it; a wrong one is off by a factor."
    )
    SCALE = Message(
        "pasting.scale",
        "The cells look like AFR. Choose whether {rich:g} stands for λ = 1 of this fuel or 14.7 "
        "of petrol does.",
    )
    NOT_RISING = Message("pasting.not_rising", "{text!r} is no row of rising numbers")
    SIGNAL_RANGE = Message(
        "pasting.signal_range",
        "a signal of {low:g} to {high:g} {unit}; allowed are {least:g} to {most:g}",
    )


Kind = Literal["ve", "maf", "target"]
Ask = Literal["", "axes", "row unit", "flow unit", "scale"]
LAMBDA = "λ"
AFR_OF_FUEL = "AFR, this fuel"
AFR_OF_PETROL = "AFR, petrol 14.7"
TARGET_UNITS = (LAMBDA, AFR_OF_FUEL, AFR_OF_PETROL)
MOST_FRACTION = 3.0
"""No VE in percent is that small, and none as a fraction is larger."""
MOST_LAMBDA = 3.0
MOST_TABLE_BYTES = 256 << 10
SHEETS = (".xlsx", ".ods")
"""Workbooks hold logs as well; which it is is for the user to say."""
KPA_LEAST_END = 60.0
"""A MAP axis in kPa that ends below this would leave out full throttle."""


@dataclass(frozen=True)
class TableWords:
    """What the user said of a table beside its cells.

    Attributes
    ----------
    form : what rows and cells are; ``row_said`` whether the unit of the rows was chosen.
    first_are_axes : first row and first column are axes although their corner is a number.
    rows_text, columns_text : axes that were typed or pasted apart.
    flow_unit : of a curve, "" if not chosen.
    target_unit : one of ``TARGET_UNITS``, "" if not chosen.
    """

    form: GridForm = field(default_factory=GridForm)
    row_said: bool = False
    first_are_axes: bool = False
    rows_text: str = ""
    columns_text: str = ""
    flow_unit: str = ""
    target_unit: str = ""


@dataclass(frozen=True, eq=False)
class Pasted:
    """What became of a table.

    Attributes
    ----------
    table : None while something is asked or wrong.
    form : what its numbers were taken for.
    notes : what was turned or inferred.
    ask : what has to be said first, "" if nothing.
    problem : the question or what is wrong, "" if nothing.
    cells : the numbers as far as they are understood, to be looked at while axes are asked for.
    warnings : what looks wrong in a table that can be taken.
    """

    table: Table | None
    form: GridForm
    notes: tuple[str, ...] = ()
    ask: Ask = ""
    problem: str = ""
    cells: Floats | None = None
    warnings: tuple[str, ...] = ()


def understand(
    block: Block, kind: Kind, words: TableWords, stoich_afr: float = PETROL.stoich_afr
) -> Pasted:
    """Make a table of pasted cells, or say what is missing or wrong.

    Parameters
    ----------
    block : cells as text.
    kind : a grid of airflow, a curve of a mass-airflow sensor, or target lambda.
    words : what the user said of it.
    stoich_afr : of the fuel, for a target in AFR.

    Returns
    -------
    The table, or the question.
    """
    pasted = _understood(block, kind, words, stoich_afr)
    if pasted.table is None:
        return pasted
    return replace(pasted, warnings=tuple(str(gap) for gap in gaps_of(pasted.table)))


def _understood(block: Block, kind: Kind, words: TableWords, stoich_afr: float) -> Pasted:
    try:
        if kind == "maf":
            return _curve(arrange_curve(block), words)
        found = arrange(block, words.first_are_axes)
        if words.rows_text.strip() and words.columns_text.strip() and found.needs_axes:
            found = with_axes(found, points_in(words.rows_text), points_in(words.columns_text))
        if found.needs_axes:
            rows, columns = found.cells.shape
            asked = str(Say.AXES(rows=rows, columns=columns))
            return Pasted(None, words.form, found.notes, "axes", asked, found.cells)
        return _target(found, words, stoich_afr) if kind == "target" else _grid(found, words)
    except LeanTrimError as error:
        return Pasted(None, words.form, problem=str(error))


def looks_like_table(path: Path) -> bool:
    """True for a small file that is nothing but a table with its axes, or a curve under its units.

    Parameters
    ----------
    path : any file.

    Returns
    -------
    Whether it is to be taken for a table where a log would do as well.
    """
    try:
        if (
            not path.is_file()
            or path.stat().st_size > MOST_TABLE_BYTES
            or path.suffix.lower() in SHEETS
        ):
            return False
        block = block_of_file(path)
        if block.width == 2:
            found = arrange_curve(block)
            return found.flow_label.strip().lower() in FLOWS
        return not arrange(block).needs_axes
    except (LeanTrimError, OSError):
        return False


def kind_of(block: Block, kind: Kind) -> Kind:
    """What a paste is, where its shape leaves no doubt: two columns or rows are a curve, more are a grid.

    Returns the same, or the other kind of airflow table.
    """
    if kind == "target":
        return kind
    lying = len(block.rows) == 2 and block.width > 2
    return "maf" if block.width == 2 or lying else "ve"


def points_in(text: str) -> Floats:
    """Points of an axis that was typed or pasted, in a row or a column.

    Parameters
    ----------
    text : numbers between white space, tabs, semicolons, or commas.

    Returns
    -------
    As they stand, shape (n,).

    Raises
    ------
    BadInputError
        If something is no number.
    """
    decimal = "," if re.search(r"\d,\d", text) and re.search(r"[\s;]", text.strip()) else "."
    split = re.split(r"[\s;]+" if decimal == "," else r"[\s;,]+", text.strip())
    points = np.array([number_in(cell, decimal) for cell in split if cell])
    if len(points) < 2 or not np.isfinite(points).all():
        raise BadInputError(Say.NOT_RISING(text=text.strip()[:40]))
    return points


def _grid(found: Arranged, words: TableWords) -> Pasted:
    form, notes = _rows_told(found, words)
    asked = _row_unit_asked(found, form, words)
    if asked:
        return Pasted(None, form, found.notes, "row unit", asked)
    assert found.rows is not None and found.columns is not None
    if form.holds is Holds.VE and not form.cell_unit and float(found.cells.max()) <= MOST_FRACTION:
        form = replace(form, cell_unit="0..1")
        notes = (*notes, str(Say.FRACTIONS(most=float(found.cells.max()))))
    table = grid_of(form, found.columns, found.rows, found.cells)
    return Pasted(table, form, (*found.notes, *notes))


def _rows_told(found: Arranged, words: TableWords) -> tuple[GridForm, tuple[str, ...]]:
    """The form, with what the table's own corner says of its rows, unless the user said otherwise."""
    unit = unit_in(found.row_label)
    if not unit or words.row_said:
        return words.form, ()
    rows = words.form.rows if unit in ROW_UNITS[words.form.rows] else rows_by_unit(unit)
    if rows is None:
        return words.form, ()
    told = replace(words.form, rows=rows, row_unit=unit)
    usual = unit == ROW_KINDS[words.form.rows].unit
    return told, () if usual else (str(Say.ROWS_TOLD(unit=unit)),)


def _row_unit_asked(found: Arranged, form: GridForm, words: TableWords) -> str:
    """The question for the unit of pressures that do not look like kPa; "" if it need not be asked."""
    if form.rows is not Rows.MAP or form.row_unit or words.row_said:
        return ""
    assert found.rows is not None
    low = float(found.rows[0])
    high = float(found.rows[-1])
    if low >= 0.0 and high >= KPA_LEAST_END:
        return ""
    likely = "bar" if high <= 8.0 else "psi"
    likely += " gauge" if low < 0.0 else ""
    own = ROW_UNITS[Rows.MAP][likely]
    as_low, as_high = (float(own.ours(x)) for x in (low, high))
    return str(Say.ROW_UNIT(low=low, high=high, unit=likely, as_low=as_low, as_high=as_high))


def _target(found: Arranged, words: TableWords, stoich_afr: float) -> Pasted:
    told, notes = _rows_told(found, words)
    form = replace(told, target=True, holds=Holds.VE, cell_unit="")
    asked = _row_unit_asked(found, form, words)
    if asked:
        return Pasted(None, form, found.notes, "row unit", asked)
    assert found.rows is not None and found.columns is not None
    unit = words.target_unit
    if not unit and float(found.cells.max()) > MOST_LAMBDA:
        # Where this is the petrol scale anyway there is nothing to choose.
        if abs(stoich_afr - PETROL.stoich_afr) > 0.02:
            return Pasted(None, form, found.notes, "scale", str(Say.SCALE(rich=stoich_afr)))
        unit = AFR_OF_FUEL
    scale = {AFR_OF_FUEL: stoich_afr, AFR_OF_PETROL: PETROL.stoich_afr}.get(unit, 0.0)
    form = replace(form, stoich_afr=scale)
    table = grid_of(form, found.columns, found.rows, found.cells)
    return Pasted(table, form, (*found.notes, *notes))


def _curve(found: ArrangedCurve, words: TableWords) -> Pasted:
    form = words.form
    named = next((s for s in SIGNALS if s.lower() == found.signal_label.strip().lower()), "")
    # No sensor puts out a tenth of a kilohertz at most, and none tens of volts.
    signal = named or ("V" if float(found.signal[-1]) <= MAF_RANGES["V"][1] else "Hz")
    flow = words.flow_unit or next((f for f in FLOWS if f == found.flow_label.strip().lower()), "")
    if not flow:
        return Pasted(None, form, found.notes, "flow unit", str(Say.FLOW_UNIT()))
    unit, own_signal = SIGNALS[signal]
    points = own_signal.ours(found.signal)
    least, most = MAF_RANGES[unit]
    if points[0] < least or points[-1] > most:
        low = float(points[0])
        high = float(points[-1])
        raise BadInputError(Say.SIGNAL_RANGE(low=low, high=high, unit=unit, least=least, most=most))
    table = maf_curve(
        points,
        FLOWS[flow].ours(found.flow),
        unit,
        signal_own=_unless(own_signal, unit),
        flow_own=_unless(FLOWS[flow], "g/s"),
    )
    return Pasted(table, form, found.notes)


def _unless(own: OwnUnit, ours: str) -> OwnUnit | None:
    return None if own.unit == ours else own


def unit_words(form: GridForm) -> str:
    """The unit cells are shown in.

    Returns such as "%".
    """
    return form.cell_unit or HOLD_KINDS[form.holds].unit
