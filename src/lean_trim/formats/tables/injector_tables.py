"""Injector tables as they are pasted: flow over pressure, dead time over volts, or volts and pressure."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.data.calibration import DEAD_TIME, INJECTOR_FLOW, SMALL_PULSES
from lean_trim.core.data.fuels import PETROL, rated_flow_g_per_s
from lean_trim.core.data.injector_tables import (
    LEAST_DEAD_MS,
    OPEN_AXIS,
    PRESSURE_AXIS,
    VOLTS_AXIS,
    small_pulse_table,
)
from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.tables.arrange import arrange_curve
from lean_trim.formats.tables.block import Block, block_of_text
from lean_trim.formats.tables.checked import Counted, axis_in, cells_in, grid_numbers, points_in
from lean_trim.formats.tables.table_units import LB_G, PSI_KPA


class Say:
    """Sentences of this module."""

    RISES = Message(
        "injector_block.rises",
        "{source}: the dead time rises from {ms:g} to {next_ms:g} ms between {volts:g} and "
        "{next_volts:g} V; it has to fall with voltage",
    )
    WHICH_AXIS = Message(
        "injector_block.which_axis",
        "{source}: neither axis is plainly one of battery volts (5 to 20); write V beside it",
    )
    FALLS = Message(
        "injector_block.falls",
        "{source}: a longer open time with what is added to it must be longer than the shorter "
        "one's",
    )


VOLTS_RANGE = (4.0, 32.0)
PRESSURE_RANGE = (20.0, 30000.0)
FLOW_RANGE = (0.1, 200.0)
DEAD_RANGE = (0.0, 10.0)
OPEN_RANGE = (0.0, 10.0)
ADDED_RANGE = (-0.5, 0.9)
PLAIN_VOLTS = (5.0, 20.0)
"""An axis within these is one of battery voltage; pressures in bar begin lower, in psi end
higher."""
PRESSURE_UNITS: dict[str, OwnUnit] = {
    "kPa": OwnUnit("kPa"),
    "bar": OwnUnit("bar", 0.01),
    "psi": OwnUnit("psi", 1.0 / PSI_KPA),
}
DEAD_UNITS: dict[str, OwnUnit] = {"ms": OwnUnit("ms"), "µs": OwnUnit("µs", 1000.0)}
SAME = {
    "cc/min": "cm³/min", "cm3/min": "cm³/min", "ml/min": "cm³/min", "lb/hr": "lb/h", "lbs/h": "lb/h",
    "lbs/hr": "lb/h", "us": "µs", "μs": "µs",
}  # fmt: skip
"""Words of headers, folded, and the unit they name."""
FLOW_UNITS = ("g/s", "kg/h", "lb/h", "cm³/min")


def flow_unit(unit: str, density_kg_per_l: float = PETROL.density_kg_per_l) -> OwnUnit:
    """How an ECU counts the flow of an injector.

    Parameters
    ----------
    unit : one of ``FLOW_UNITS``; volumes are of test fluid, as injectors are rated.
    density_kg_per_l : of the fuel.

    Returns
    -------
    The unit.
    """
    scales = {
        "g/s": 1.0,
        "kg/h": 3.6,
        "lb/h": 3600.0 / LB_G,
        "cm³/min": 1.0 / rated_flow_g_per_s(1.0, density_kg_per_l),
    }
    return OwnUnit(unit, scales[unit])


@dataclass(frozen=True)
class InjectorForm:
    """Units of a pasted table.

    Attributes
    ----------
    pressure, cells : units; cells of one of ``FLOW_UNITS`` or of ``DEAD_UNITS``.
    density_kg_per_l : of the fuel, for volumes.
    """

    pressure: str = "kPa"
    cells: str = "g/s"
    density_kg_per_l: float = PETROL.density_kg_per_l


def parse_injector_table(text: str, name: str, source: str, form: InjectorForm) -> Table:
    """A pasted injector table.

    Parameters
    ----------
    text : two columns or two rows; dead times also as a grid with both axes.
    name : one of ``INJECTOR_TABLES``.
    source : what it is called in messages.
    form : its units.

    Returns
    -------
    In our units, with the ECU's own beside them; axes rising.

    Raises
    ------
    BadInputError
        Naming what is not understood, or cannot be.
    """
    return injector_table_of(block_of_text(text, source), name, form)


def injector_table_of(block: Block, name: str, form: InjectorForm) -> Table:
    """The same from cells that are at hand, as of a file.

    Parameters
    ----------
    block : two columns or two rows; dead times also as a grid with both axes.
    name, form : as above.

    Returns
    -------
    As above.

    Raises
    ------
    BadInputError
        As above.
    """
    source = block.source
    if name == DEAD_TIME and block.width > 2 and len(block.rows) > 2:
        return _dead_grid(block, form)
    curve = arrange_curve(block)
    if name == SMALL_PULSES:
        return _small_table(curve.signal, curve.flow, form, source)
    if name == INJECTOR_FLOW:
        own = flow_unit(form.cells, form.density_kg_per_l)
        axis = _axis(PRESSURE_AXIS, curve.signal, form, source)
        counted = Counted(own, "g/s", *FLOW_RANGE)
        cells = cells_in(curve.flow, counted, source)
        return Table((axis,), cells, "g/s", "injector flow", counted.beside)
    axis = _axis(VOLTS_AXIS, curve.signal, form, source)
    return _dead_table((axis,), curve.flow, form, source)


def _dead_grid(block: Block, form: InjectorForm) -> Table:
    numbers = grid_numbers(block)
    across = numbers[0, 1:]
    down = numbers[1:, 0]
    cells = numbers[1:, 1:]
    corner = block.rows[0][0] if block.rows[0] else ""
    if _is_volts(across, corner.rpartition("\\")[2]) and not _is_volts(
        down, corner.partition("\\")[0]
    ):
        across, down, cells = down, across, cells.T
    elif not _is_volts(down, corner.partition("\\")[0]) or _is_volts(across, ""):
        raise BadInputError(Say.WHICH_AXIS(source=block.source))
    by_volts = np.argsort(down, kind="stable")
    by_pressure = np.argsort(across, kind="stable")
    axes = (
        _axis(VOLTS_AXIS, down[by_volts], form, block.source),
        _axis(PRESSURE_AXIS, across[by_pressure], form, block.source),
    )
    return _dead_table(axes, cells[np.ix_(by_volts, by_pressure)], form, block.source)


def _is_volts(points: Floats, label: str) -> bool:
    if label.strip().casefold() in ("v", "volts", "volt"):
        return True
    return bool((points >= PLAIN_VOLTS[0]).all() and (points <= PLAIN_VOLTS[1]).all())


def _axis(name: str, points: Floats, form: InjectorForm, source: str) -> Axis:
    if name == VOLTS_AXIS:
        return axis_in(name, points, Counted(OwnUnit("V"), "V", *VOLTS_RANGE), source)
    return axis_in(
        name, points, Counted(PRESSURE_UNITS[form.pressure], "kPa", *PRESSURE_RANGE), source
    )


def _dead_table(axes: tuple[Axis, ...], values: Floats, form: InjectorForm, source: str) -> Table:
    counted = Counted(DEAD_UNITS[form.cells], "ms", *DEAD_RANGE)
    cells = cells_in(values, counted, source)
    rises = np.argwhere(np.diff(cells, axis=0) > 0.0)
    if len(rises):
        at = tuple(rises[0])
        after = (at[0] + 1, *at[1:])
        volts = axes[0].points
        raise BadInputError(
            Say.RISES(
                source=source,
                ms=float(cells[at]),
                next_ms=float(cells[after]),
                volts=float(volts[at[0]]),
                next_volts=float(volts[after[0]]),
            )
        )
    cells = np.maximum(cells, LEAST_DEAD_MS)
    return Table(axes, cells, "ms", "injector dead time", counted.beside)


def _small_table(open_ms: Floats, added: Floats, form: InjectorForm, source: str) -> Table:
    own = DEAD_UNITS[form.cells]
    points = points_in(OPEN_AXIS, open_ms, Counted(own, "ms", *OPEN_RANGE), source)
    cells = cells_in(added, Counted(own, "ms", *ADDED_RANGE), source)
    if (np.diff(points + cells) <= 0.0).any():
        raise BadInputError(Say.FALLS(source=source))
    return small_pulse_table(points, cells, own)


def form_said(first: Sequence[str], name: str, form: InjectorForm) -> InjectorForm:
    """The units a table's own header names, where it does.

    Parameters
    ----------
    first : the first row's words.
    name : one of ``INJECTOR_TABLES``.
    form : what counts where it names none.

    Returns
    -------
    The form.
    """
    words = re.split(r"[\s\\,;|\t()\[\]]+", " ".join(first).casefold())
    said = {SAME.get(word, word) for word in words}
    units = units_of(name)
    pressure = next((u for u in units.get("pressure", ()) if u.casefold() in said), form.pressure)
    cells = next((u for u in units["cells"] if u in said), form.cells)
    return replace(form, pressure=pressure, cells=cells)


def units_of(name: str) -> Mapping[str, tuple[str, ...]]:
    """Units that may be said for a table, ours first.

    Parameters
    ----------
    name : one of ``INJECTOR_TABLES``.

    Returns
    -------
    For "pressure", where there is such an axis, and for "cells".
    """
    if name == SMALL_PULSES:
        return {"cells": tuple(DEAD_UNITS)}
    cells = FLOW_UNITS if name == INJECTOR_FLOW else tuple(DEAD_UNITS)
    return {"pressure": tuple(PRESSURE_UNITS), "cells": cells}
