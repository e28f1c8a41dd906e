"""What an airflow grid is read by and what it holds: the kinds of tables that are met in ECUs.

The order is that of common practice, no source: most are VE over manifold pressure.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import ArrayLike

from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.errors import TableError
from lean_trim.core.messages import Message
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    ROW_RANGE = Message(
        "table_kinds.row_range",
        "the {axis} axis goes from {first:g} to {last:g}; allowed are {low:g} to {high:g} {unit}",
    )
    RPM_RANGE = Message(
        "table_kinds.rpm_range",
        "the engine speed axis goes from {first:g} to {last:g}; allowed are {low:g} to {high:g} "
        "rpm",
    )
    CELL_RANGE = Message(
        "table_kinds.cell_range",
        "{value:g} at {axis} {row:g} / engine speed {column:g} is no {name}; allowed are {low:g} "
        "to {high:g} {unit}",
    )


class Rows(StrEnum):
    """What the rows of an airflow grid stand for."""

    MAP = "map"
    MAP_OVER_BARO = "map_over_baro"
    THROTTLE = "throttle"
    LOAD_PER_REV = "load_g_per_rev"
    LOAD_PER_STROKE = "load_mg_per_stroke"


class Holds(StrEnum):
    """What the cells of an airflow grid are."""

    VE = "ve"
    AIR_PER_STROKE = "air_mg_per_stroke"
    AIRFLOW = "airflow_g_per_s"
    FUEL_TIME = "fuel_time_ms"
    FUEL_TRIM = "fuel_trim_pct"


@dataclass(frozen=True)
class RowKind:
    """Name and unit of an axis, the range any ECU's lies in, and words for people."""

    axis: str
    unit: str
    low: float
    high: float
    words: str


@dataclass(frozen=True)
class HoldKind:
    """Name and unit of cells, the range any ECU's lie in, a usual resolution, and words for people.

    ``offset`` is what is written in a cell beyond what a correction multiplies.
    """

    name: str
    unit: str
    low: float
    high: float
    resolution: float
    words: str
    offset: float = 0.0


ROW_KINDS: dict[Rows, RowKind] = {
    Rows.MAP: RowKind("MAP", "kPa", 0.0, 1000.0, "manifold pressure, absolute"),
    Rows.MAP_OVER_BARO: RowKind("MAP/baro", "ratio", 0.0, 10.0, "manifold pressure over barometer"),
    Rows.THROTTLE: RowKind("throttle", "%", 0.0, 110.0, "throttle"),
    Rows.LOAD_PER_REV: RowKind(
        "load", "g/rev", 0.0, 50.0, "load: air per revolution of the engine"
    ),
    Rows.LOAD_PER_STROKE: RowKind("load", "mg/stroke", 0.0, 10000.0, "load: air per intake stroke"),
}
HOLD_KINDS: dict[Holds, HoldKind] = {
    Holds.VE: HoldKind("VE", "%", 1.0, 400.0, 0.1, "volumetric efficiency"),
    Holds.AIR_PER_STROKE: HoldKind("air", "mg", 1.0, 20000.0, 1.0, "air per intake stroke"),
    Holds.AIRFLOW: HoldKind("airflow", "g/s", 0.01, 5000.0, 0.01, "airflow of the engine"),
    Holds.FUEL_TIME: HoldKind("fuel time", "ms", 0.05, 200.0, 0.01, "injection time"),
    Holds.FUEL_TRIM: HoldKind(
        "fuel trim", "% fuel", -90.0, 300.0, 0.1, "fuel trim, 0 changes nothing", -100.0
    ),
}
RPM_RANGE = (0.0, 25000.0)
HEAVY_KPA = 85.0
HEAVY_THROTTLE_PCT = 60.0
HEAVY_SHARE = 0.7
"""Full load, as cautions mean it: pressure near the barometer, an open throttle, the upper part of
a load
axis (common practice, no source)."""


def rows_of(table: Table) -> Rows | None:
    """What the rows of a grid stand for.

    Returns its kind; None for a curve, or axes of another kind.
    """
    if len(table.axes) != 2:
        return None
    first = table.axes[0]
    found = (
        r for r, kind in ROW_KINDS.items() if (kind.axis, kind.unit) == (first.name, first.unit)
    )
    return next(found, None)


def holds_of(table: Table) -> Holds | None:
    """What the cells of a grid are.

    Returns its kind; None for a curve, or cells of another kind.
    """
    if len(table.axes) != 2:
        return None
    return next((h for h, kind in HOLD_KINDS.items() if kind.unit == table.unit), None)


def airflow_grid(
    rpm: ArrayLike,
    rows: ArrayLike,
    cells: ArrayLike,
    kind: Rows = Rows.MAP,
    holds: Holds = Holds.VE,
    dead_time_ms: float = 0.0,
    row_own: OwnUnit | None = None,
    cell_own: OwnUnit | None = None,
) -> Table:
    """A table as the ECU shows it, with what a correction multiplies told apart.

    Parameters
    ----------
    rpm : columns, 1/min, strictly rising.
    rows : strictly rising, in the unit of their kind.
    cells : shape (rows, columns), in the unit of what they hold; trims in percent, 0 changing
        nothing.
    kind, holds : what rows and cells are.
    dead_time_ms : part of every injection time during which no fuel flows, where the table includes
        it.
    row_own : how the ECU counts rows, None if in the unit of their kind.
    cell_own : how it counts cells, None if in the unit of their kind.

    Returns
    -------
    The table.

    Raises
    ------
    TableError
        If axes or cells are impossible for their kind.
    """
    row_kind = ROW_KINDS[kind]
    hold = HOLD_KINDS[holds]
    first = Axis(row_kind.axis, row_kind.unit, np.asarray(rows, float), row_own)
    second = Axis("engine speed", "rpm", np.asarray(rpm, float))
    offset = hold.offset + (dead_time_ms if holds is Holds.FUEL_TIME else 0.0)
    _refuse_impossible(first, second, np.asarray(cells, float), row_kind, hold)
    if offset:
        scale = 1.0 if cell_own is None else cell_own.scale
        cell_own = OwnUnit(hold.unit if cell_own is None else cell_own.unit, scale, offset * scale)
    return Table((first, second), np.asarray(cells, float) - offset, hold.unit, hold.name, cell_own)


def _refuse_impossible(
    first: Axis, second: Axis, cells: Floats, row_kind: RowKind, hold: HoldKind
) -> None:
    low = float(first.points[0])
    high = float(first.points[-1])
    if low < row_kind.low or high > row_kind.high:
        raise TableError(
            Say.ROW_RANGE(
                axis=row_kind.axis,
                first=low,
                last=high,
                low=row_kind.low,
                high=row_kind.high,
                unit=row_kind.unit,
            )
        )
    if second.points[0] < RPM_RANGE[0] or second.points[-1] > RPM_RANGE[1]:
        first_rpm = float(second.points[0])
        last_rpm = float(second.points[-1])
        raise TableError(
            Say.RPM_RANGE(first=first_rpm, last=last_rpm, low=RPM_RANGE[0], high=RPM_RANGE[1])
        )
    if cells.shape != (len(first), len(second)):
        return
    bad = np.argwhere(~((cells >= hold.low) & (cells <= hold.high)))
    if len(bad):
        row, column = (int(i) for i in bad[0])
        raise TableError(
            Say.CELL_RANGE(
                value=float(cells[row, column]),
                axis=row_kind.axis,
                row=float(first.points[row]),
                column=float(second.points[column]),
                name=hold.name,
                low=hold.low,
                high=hold.high,
                unit=hold.unit,
            )
        )


def row_pressures(table: Table) -> Floats | None:
    """Manifold pressure of every row of a grid at sea level, kPa.

    Returns shape (rows,); None where rows stand for something else.
    """
    kind = rows_of(table)
    if kind is Rows.MAP:
        return table.axes[0].points
    return table.axes[0].points * STANDARD_KPA if kind is Rows.MAP_OVER_BARO else None


def heavy_rows(table: Table) -> Mask:
    """Rows of a grid at which an engine is under full load or above.

    Returns shape (rows,).
    """
    points = table.axes[0].points
    pressures = row_pressures(table)
    if pressures is not None:
        return np.asarray(pressures >= HEAVY_KPA)
    if rows_of(table) is Rows.THROTTLE:
        return np.asarray(points >= HEAVY_THROTTLE_PCT)
    return np.asarray(points >= HEAVY_SHARE * points[-1])


def table_words(table: Table) -> str:
    """What a table is called.

    Returns such as "VE table", "fuel trim table over load" or "MAF curve".
    """
    if len(table.axes) == 1:
        return "MAF curve"
    rows = rows_of(table)
    over = "" if rows in (Rows.MAP, None) else f" over {table.axes[0].name}"
    holds = holds_of(table)
    return f"{HOLD_KINDS[holds].name if holds is not None else table.name} table{over}"
