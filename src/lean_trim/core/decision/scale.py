"""Moving the scale of an airflow table.

Where a cell would pass the end of its field, or the cells are far from what such a table holds, the
scale is moved and not the cell: what the table is multiplied by goes one way, the table the other,
and the fuel stays the same. Whatever else reads the table's result then reads another number.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.calibration import ScaleAt
from lean_trim.core.data.table_kinds import Holds, Rows, holds_of, rows_of
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import TableLimits, Vehicle
from lean_trim.core.decision.proposal import quantise
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message, Said
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.text import cells_in_words, signed
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    HIGH = Message(
        "scale.high",
        "{cells} would pass the field's highest number, {highest:g}; the largest wants "
        "{wanted:.4g}.",
    )
    LOW = Message(
        "scale.low",
        "{cells} would pass the field's lowest number, {lowest:g}; the least wants {wanted:.4g}.",
    )
    EXPECTED = Message(
        "scale.expected",
        "Near atmospheric pressure the table's mean is {mean:.0f} %, where {low:.0f} to "
        "{high:.0f} % is to be expected: the engine size or a multiplier is likely not what the "
        "table was made with.",
    )
    BOTH = Message(
        "scale.both",
        "No one scale holds the highest and the lowest cell; some would still be cut off.",
    )
    FACTOR = Message(
        "scale.factor", "{factor:g} is no factor for a scale; allowed are {low:g} to {high:g}"
    )
    CLIPPED = Message(
        "scale.clipped",
        "a scale × {factor:g} takes {cells} out of the table's field of {lowest:g} to {highest:g}",
    )
    SIZE = Message("scale.size", "displacement {before:.4g} → {after:.4g} L")
    MULTIPLIER = Message("scale.multiplier", "master multiplier × {factor:.4g}")
    FLOW = Message("scale.flow", "injector flow {before:.4g} → {after:.4g} g/s")
    AIR_STAYS = Message(
        "scale.air_stays",
        "Airflow and load in grams stay: the table times the displacement is what it was.",
    )
    FILL_SHIFTS = Message(
        "scale.fill_shifts",
        "Load in percent of a full cylinder reads {pct} %: spark, target, boost, cam and knock "
        "tables over it are read that much lower or higher, and its limits (torque, overload cut) "
        "meet sooner or later.",
    )
    AIR_SHIFTS = Message(
        "scale.air_shifts",
        "Calculated airflow and load (g/s, g/rev, mg/stroke, percent) read {pct} %: spark, target, "
        "boost, cam and knock tables over them, torque and its limits, and the change to an air "
        "mass meter.",
    )
    FUEL_SHIFTS = Message(
        "scale.fuel_shifts",
        "The ECU's fuel figures read {pct} %: consumption, range, purge and everything that is a "
        "mass of fuel.",
    )
    ADDED_SHIFTS = Message(
        "scale.added_shifts",
        "Fuel that is added as a mass delivers {pct} %: acceleration, after-start, wall wetting, "
        "the least injected mass and small-pulse data.",
    )
    ADDED_BEFORE = Message(
        "scale.added_before",
        "Fuel that is added before the multiplier delivers {pct} %: acceleration, after-start and "
        "cranking, where the ECU adds them as an amount.",
    )
    STEP_GROWS = Message(
        "scale.step_grows",
        "One step of the field is up to {after:.2f} % of a cell, where it was {before:.2f} %.",
    )


FACTOR_RANGE = (0.2, 5.0)
ROOM = 0.9
"""Share of the field's highest number the highest cell is put at (common practice, no source)."""
FACTOR_STEP = 0.05
EXPECTED_PCT = (60.0, 125.0)
USUAL_PCT = 90.0
"""Mean VE near atmospheric pressure: what is met in engines without and with boost, and what is
aimed at
(common practice, no source)."""
NEAR_ATMOSPHERE_KPA = 8.0
MIDDLE = (0.25, 0.75)
"""Part of the speed axis that is looked at: the ends of hand-made tables are often made up."""


@dataclass(frozen=True)
class ScaleNeed:
    """Why the scale should be moved, and by how much: 1 and no reasons if it need not."""

    factor: float
    reasons: tuple[Said, ...]


@dataclass(frozen=True)
class Move:
    """One way to move the scale: where, what to enter, and what shifts with it."""

    at: ScaleAt
    entry: Said
    shifts: tuple[Said, ...]


def scale_need(table: Table, limits: TableLimits, wanted: Floats | None = None) -> ScaleNeed:
    """Whether a table needs another scale.

    Parameters
    ----------
    table : as it would be written.
    limits : of its field, in the ECU's own numbers.
    wanted : cells as the drive needs them, not cut off at the field's ends, shape of the table
        and NaN where nothing is asked; None if nothing is.

    Returns
    -------
    The factor for what multiplies the table.
    """
    cells = table.values if wanted is None else np.where(np.isfinite(wanted), wanted, table.values)
    own = cells if table.own is None else table.own.own(cells)
    highest, lowest = _ends(table, limits)
    # A cell at the very end counts: what it would hold beyond cannot be seen.
    above = own >= limits.highest
    below = own <= limits.lowest
    reasons: list[Said] = []
    factor = 1.0
    if above.any():
        factor = _rounded(float(cells.max()) / (ROOM * highest))
        reasons.append(
            Say.HIGH(
                cells=cells_in_words(above.sum()), highest=limits.highest, wanted=float(own.max())
            )
        )
    if below.any():
        reasons.append(
            Say.LOW(
                cells=cells_in_words(below.sum()), lowest=limits.lowest, wanted=float(own.min())
            )
        )
        down = _rounded(ROOM * float(cells.min()) / lowest)
        # One factor cannot bring in both ends.
        if above.any() or float(cells.max()) / down > highest:
            reasons.append(Say.BOTH())
        else:
            factor = down
    mean = _mean_near_atmosphere(table, cells)
    # A table that fits its field may still stand on a wrong displacement; it is then only advised.
    if not reasons and math.isfinite(mean) and not EXPECTED_PCT[0] <= mean <= EXPECTED_PCT[1]:
        factor = _rounded(mean / USUAL_PCT)
        reasons.append(Say.EXPECTED(mean=mean, low=EXPECTED_PCT[0], high=EXPECTED_PCT[1]))
    return ScaleNeed(factor, tuple(reasons))


def scaled(table: Table, limits: TableLimits, factor: float) -> Floats:
    """Cells of a table whose scale is moved.

    Parameters
    ----------
    table : as it would be written on the present scale.
    limits : of its field, in the ECU's own numbers.
    factor : what multiplies the table is multiplied by it, within ``FACTOR_RANGE`` and not 1.

    Returns
    -------
    Cells divided by the factor, on the field's steps.

    Raises
    ------
    BadInputError
        If that is no factor, or cells leave the field.
    """
    low, high = FACTOR_RANGE
    # By 1 nothing would move, and a round would begin for nothing.
    if not low <= factor <= high or factor == 1.0:
        raise BadInputError(Say.FACTOR(factor=factor, low=low, high=high))
    values, clipped = quantise(table.values / factor, limits, table.own)
    if clipped.any():
        cells = cells_in_words(clipped.sum())
        raise BadInputError(
            Say.CLIPPED(factor=factor, cells=cells, lowest=limits.lowest, highest=limits.highest)
        )
    return values


def moves(vehicle: Vehicle, factor: float) -> tuple[Move, ...]:
    """Ways to move the scale of a vehicle's airflow table.

    Parameters
    ----------
    vehicle : with the table and injector data in force.
    factor : the table is divided by it.

    Returns
    -------
    Those whose numbers are known; none for a table of injection times or trims, which stand on
    nothing this vehicle's sheet knows.
    """
    pct = signed(100.0 * (1.0 / factor - 1.0), 0)
    more = signed(100.0 * (factor - 1.0), 0)
    grains = _steps(vehicle, factor)
    found = []
    if vehicle.is_speed_density:
        size = vehicle.displacement_l
        entry = Say.SIZE(before=size, after=size * factor)
        found.append(
            Move(ScaleAt.DISPLACEMENT, entry, (Say.AIR_STAYS(), Say.FILL_SHIFTS(pct=pct), *grains))
        )
        shifts = (Say.AIR_SHIFTS(pct=pct), Say.ADDED_BEFORE(pct=more), *grains)
        found.append(Move(ScaleAt.MULTIPLIER, Say.MULTIPLIER(factor=factor), shifts))
    # Moved by the injectors' flow only where the table is air: of fuel or trims the flow is a part.
    flow = vehicle.injectors.flow_g_per_s
    if math.isfinite(flow) and (vehicle.airflow == "maf" or holds_of(vehicle.table) in AIR):
        entry = Say.FLOW(before=flow, after=flow / factor)
        shifts = (
            Say.AIR_SHIFTS(pct=pct),
            Say.FUEL_SHIFTS(pct=pct),
            Say.ADDED_SHIFTS(pct=more),
            *grains,
        )
        found.append(Move(ScaleAt.FLOW, entry, shifts))
    return tuple(found)


AIR: Sequence[Holds] = (Holds.VE, Holds.AIR_PER_STROKE, Holds.AIRFLOW)


def _ends(table: Table, limits: TableLimits) -> tuple[float, float]:
    """Highest and lowest number of the field, as a correction multiplies them."""
    both = np.array([limits.highest, limits.lowest])
    ours = both if table.own is None else table.own.ours(both)
    return float(ours[0]), max(float(ours[1]), 1e-9)


def _rounded(factor: float) -> float:
    """Away from 1, on easy numbers."""
    steps = factor / FACTOR_STEP
    # Away from 1, or the move would fall short of the cell that asked for it.
    even = math.ceil(steps - 1e-9) if factor > 1.0 else math.floor(steps + 1e-9)
    return round(min(max(even * FACTOR_STEP, FACTOR_RANGE[0]), FACTOR_RANGE[1]), 2)


def _mean_near_atmosphere(table: Table, cells: Floats) -> float:
    if holds_of(table) is not Holds.VE or rows_of(table) is not Rows.MAP:
        return math.nan
    rows = table.axes[0].points
    rpm = table.axes[1].points
    near = np.abs(rows - STANDARD_KPA) <= NEAR_ATMOSPHERE_KPA
    first, last = np.quantile(rpm, MIDDLE)
    part = cells[np.ix_(near, (rpm >= first) & (rpm <= last))]
    return float(part.mean()) if part.size else math.nan


def _steps(vehicle: Vehicle, factor: float) -> tuple[Said, ...]:
    """How coarse the field becomes, where it does."""
    table = vehicle.table
    step = vehicle.limits.resolution / (1.0 if table.own is None else table.own.scale)
    before = 100.0 * step / float(table.values.min())
    return (Say.STEP_GROWS(before=before, after=before * factor),) if factor > 1.0 else ()
