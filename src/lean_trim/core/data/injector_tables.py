"""Injector data as tables of a calibration: flow over differential pressure, dead time over voltage."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.data.vehicle import Injectors
from lean_trim.core.types import Floats

PRESSURE_AXIS = "fuel pressure"
VOLTS_AXIS = "battery"
OPEN_AXIS = "open time"
PRESSURES_KPA = (200.0, 250.0, 300.0, 350.0, 400.0, 450.0, 500.0)
"""Points of the flow table where the ECU's own are not known (common practice, no source)."""
SQUARE_ROOT = 0.5
DEAD_DIGITS = 3
"""Of a dead time that was worked out, ms."""
FLOW_DIGITS = 3
"""Of a flow that was worked out, g/s."""
NOTHING_ADDED_MS = 1.0
"""A cell of the small-pulse table that adds nothing; see there."""
LEAST_DEAD_MS = 0.001
"""A table's cells are above 0; a dead time of none is written as the least there is."""


@dataclass(frozen=True)
class FlowLaw:
    """Flow over differential pressure: flow = ``at_rated`` · (pressure / ``rated_kpa``)^``exponent``."""

    rated_kpa: float
    at_rated: float
    exponent: float

    def at(self, pressures_kpa: ArrayLike) -> Floats:
        """Flow at other pressures.

        Parameters
        ----------
        pressures_kpa : differential, kPa above 0, any shape.

        Returns
        -------
        g/s, the same shape.
        """
        return np.asarray(
            self.at_rated * (np.asarray(pressures_kpa, float) / self.rated_kpa) ** self.exponent
        )


def law_of(pressures_kpa: ArrayLike, flows: ArrayLike) -> FlowLaw:
    """The law through one point or more; one alone follows the square root.

    Parameters
    ----------
    pressures_kpa : differential, kPa above 0, shape (n,), n at least 1.
    flows : g/s above 0, shape (n,).

    Returns
    -------
    Least squares of ln flow over ln pressure, its rated pressure the geometric mean of the points.
    """
    x = np.log(np.asarray(pressures_kpa, float))
    y = np.log(np.asarray(flows, float))
    middle = float(np.mean(x))
    spread = float(np.sum((x - middle) ** 2))
    exponent = (
        float(np.sum((x - middle) * (y - np.mean(y))) / spread) if spread > 0.0 else SQUARE_ROOT
    )
    return FlowLaw(float(np.exp(middle)), float(np.exp(np.mean(y))), exponent)


def flow_table(law: FlowLaw, pressures_kpa: ArrayLike) -> Table:
    """Flow over pressure where the ECU's own table is not known.

    Parameters
    ----------
    law : of the injector.
    pressures_kpa : points of the table, rising, kPa, shape (n,).

    Returns
    -------
    g/s per injector.
    """
    axis = Axis(PRESSURE_AXIS, "kPa", np.asarray(pressures_kpa, float))
    return Table((axis,), np.round(law.at(axis.points), FLOW_DIGITS), "g/s", "injector flow")


def rated_flow_table(injectors: Injectors) -> Table:
    """Flow over pressure from the sheet's one rated point, by the square-root law.

    Returns at usual pressures and the rated one.
    """
    rated = injectors.rated_pressure_kpa
    filled = flow_table(
        FlowLaw(rated, injectors.flow_g_per_s, SQUARE_ROOT), sorted({*PRESSURES_KPA, rated})
    )
    # What the sheet says is kept to its last digit, or the round would seem to be driven on other
    # data.
    at_rated = filled.axes[0].points == rated
    return filled.with_values(np.where(at_rated, injectors.flow_g_per_s, filled.values))


def dead_time_table(injectors: Injectors) -> Table:
    """Dead time over voltage as the sheet has it.

    Parameters
    ----------
    injectors : with known dead times, at two voltages or more.

    Returns
    -------
    ms.
    """
    axis = Axis(VOLTS_AXIS, "V", injectors.volts)
    return Table(
        (axis,), np.maximum(injectors.dead_time_ms, LEAST_DEAD_MS), "ms", "injector dead time"
    )


def on_volts(table: Table, volts: ArrayLike) -> Table:
    """A dead-time table on other voltages.

    Parameters
    ----------
    table : over voltage, or voltage × pressure; pressures stay.
    volts : points it is to stand on, rising, V above 0, shape (n,), n at least 2.

    Returns
    -------
    Straight over 1/voltage between the points there are, and beyond the ends as the last two go on:
    dead times fall steeply with a weak battery and flatten with a strong one (common practice, no
    source).
    """
    names = [a.name for a in table.axes]
    place = names.index(VOLTS_AXIS)
    there = 1.0 / table.axes[place].points[::-1]
    wanted = 1.0 / np.asarray(volts, float)
    columns = np.moveaxis(table.values, place, 0)[::-1].reshape(len(there), -1)
    at = np.clip(np.searchsorted(there, wanted) - 1, 0, len(there) - 2)
    share = ((wanted - there[at]) / (there[at + 1] - there[at]))[:, None]
    filled = (1.0 - share) * columns[at] + share * columns[at + 1]
    shape = [len(wanted), *(len(a) for i, a in enumerate(table.axes) if i != place)]
    cells = np.moveaxis(np.maximum(filled, LEAST_DEAD_MS).reshape(shape), 0, place)
    axes = list(table.axes)
    axes[place] = Axis(VOLTS_AXIS, "V", np.asarray(volts, float))
    rounded = np.asarray(np.round(cells, DEAD_DIGITS), np.float64)
    return Table(tuple(axes), rounded, "ms", table.name, table.own)


def small_pulse_table(open_ms: ArrayLike, add_ms: ArrayLike, own: OwnUnit | None = None) -> Table:
    """What the ECU adds to short pulses.

    Parameters
    ----------
    open_ms : open times it wants, rising, ms, shape (n,).
    add_ms : added at each, ms above -1, shape (n,).
    own : how the ECU counts the added time, from ms; None if in ms.

    Returns
    -------
    Cells are 1 ms more than what is added, for a table's cells are above 0; ``own`` takes it off
    again.
    """
    unit = OwnUnit("ms") if own is None else own
    beside = OwnUnit(unit.unit, unit.scale, -NOTHING_ADDED_MS * unit.scale)
    axis = Axis(OPEN_AXIS, "ms", np.asarray(open_ms, float))
    return Table(
        (axis,), np.asarray(add_ms, float) + NOTHING_ADDED_MS, "ms", "small pulses", beside
    )


def with_tables(
    injectors: Injectors, flow: Table | None, dead: Table | None, small: Table | None = None
) -> Injectors:
    """Injector data with tables of a calibration in force.

    Parameters
    ----------
    injectors : as the sheet has them.
    flow : over pressure; None if the sheet's one point counts.
    dead : over voltage, or voltage × pressure, of which the rated pressure counts; None if the
        sheet's counts.
    small : what is added over open time; None if the sheet's counts, which is nothing.

    Returns
    -------
    New injector data.
    """
    if small is not None:
        added = small.values - NOTHING_ADDED_MS
        injectors = replace(injectors, small_open_ms=small.axes[0].points, small_add_ms=added)
    if flow is not None:
        rated = _flow_at(flow, injectors.rated_pressure_kpa)
        injectors = replace(injectors, flow_g_per_s=rated, pressure_known=True)
    if dead is not None:
        volts, ms = _over_volts(dead, injectors.rated_pressure_kpa)
        injectors = replace(injectors, volts=volts, dead_time_ms=ms)
    return injectors


def _flow_at(flow: Table, pressure_kpa: float) -> float:
    # The root is taken out first, so that a table made by it gives back what it was made of.
    points = flow.axes[0].points
    per_root = flow.values / np.sqrt(points)
    return float(np.interp(pressure_kpa, points, per_root) * np.sqrt(pressure_kpa))


def _over_volts(dead: Table, pressure_kpa: float) -> tuple[Floats, Floats]:
    names = [a.name for a in dead.axes]
    volts = dead.axes[names.index(VOLTS_AXIS)].points
    if len(names) == 1:
        return volts, dead.values
    at = {VOLTS_AXIS: volts, PRESSURE_AXIS: np.full(len(volts), pressure_kpa)}
    return volts, dead.lookup(*[at[name] for name in names])
