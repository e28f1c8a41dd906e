"""Corrections of fuel an ECU makes beside airflow and target: enrichments, warm-up, wall film, as tables.

Which of them an ECU has, and by what it reads them, differs; those that are not known are left out.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.types import Floats

ENRICHMENT = "enrichment"
ENRICHMENT_FADE = "enrichment_fade"
AFTER_CUT = "after_cut"
AFTER_CUT_FADE = "after_cut_fade"
WARM_UP = "warm_up"
AIR_TEMPERATURE = "air_temperature"
WALL_SHARE = "wall_share"
WALL_TIME = "wall_time"

MAP_RATE = "MAP rate"
THROTTLE_RATE = "throttle rate"
CUT_TIME = "time without fuel"
COOLANT = "coolant"
INTAKE = "intake air"
MAP = "MAP"
SPEED = "engine speed"

NOTHING_ADDED_PCT = 100.0
"""A cell that adds nothing holds this: the fuel that is injected, percent of what airflow and
target ask."""
LEAST = 0.001
"""Cells of a table are above 0; a share or a time of nothing is the least there is."""
AXIS_UNITS = {
    MAP_RATE: "kPa/s",
    THROTTLE_RATE: "%/s",
    CUT_TIME: "s",
    COOLANT: "°C",
    INTAKE: "°C",
    MAP: "kPa",
    SPEED: "rpm",
}
AXIS_RANGES = {
    MAP_RATE: (-5000.0, 5000.0),
    THROTTLE_RATE: (-5000.0, 5000.0),
    CUT_TIME: (0.0, 60.0),
    COOLANT: (-60.0, 160.0),
    INTAKE: (-60.0, 200.0),
    MAP: (0.0, 1000.0),
    SPEED: (0.0, 25000.0),
}
"""What any ECU's axis lies in (common practice, no source)."""


@dataclass(frozen=True)
class CorrectionKind:
    """What one of these tables is.

    Attributes
    ----------
    words : as in "accept the …".
    title : as a heading.
    axes : by one of which it is read; the first is the usual one.
    unit : of its cells as they are written: percent added, percent, or seconds.
    low, high : range of the cells, in that unit.
    also : a second axis it may have, "" for none.
    """

    words: str
    title: str
    axes: tuple[str, ...]
    unit: str
    low: float
    high: float
    also: str = ""

    @property
    def adds(self) -> bool:
        """True if cells are percent added to the fuel."""
        return self.unit == ADDED


ADDED = "% added"
SHARE = "%"
SECONDS = "s"
RATES = (MAP_RATE, THROTTLE_RATE)
KINDS: Mapping[str, CorrectionKind] = {
    ENRICHMENT: CorrectionKind(
        "enrichment", "Enrichment at tip-in", RATES, ADDED, -90.0, 400.0, SPEED
    ),
    ENRICHMENT_FADE: CorrectionKind(
        "fading of the enrichment", "Time the enrichment fades in", (SPEED,), SECONDS, 0.0, 20.0
    ),
    AFTER_CUT: CorrectionKind(
        "fuel after a cut", "Fuel added after a cut", (CUT_TIME,), ADDED, -90.0, 400.0
    ),
    AFTER_CUT_FADE: CorrectionKind(
        "fading after a cut", "Time that fuel fades in", (SPEED,), SECONDS, 0.0, 20.0
    ),
    WARM_UP: CorrectionKind("warm-up", "Warm-up", (COOLANT,), ADDED, -50.0, 400.0),
    AIR_TEMPERATURE: CorrectionKind(
        "air temperature", "Air temperature", (INTAKE,), ADDED, -50.0, 100.0
    ),
    WALL_SHARE: CorrectionKind(
        "wall film's share", "Share of the wall film, X", (MAP,), SHARE, 0.0, 95.0
    ),
    WALL_TIME: CorrectionKind(
        "wall film's time", "Time the wall film evaporates in, τ", (COOLANT,), SECONDS, 0.0, 20.0
    ),
}
CORRECTIONS = tuple(KINDS)


def correction_table(
    name: str, axes: tuple[Axis, ...], cells: ArrayLike, own: OwnUnit | None = None
) -> Table:
    """One of these tables.

    Parameters
    ----------
    name : one of ``CORRECTIONS``.
    axes : one, or two where the kind may have a second.
    cells : in the kind's unit: percent added (below 0 for taken back), percent, or seconds; in the
        axes' shape.
    own : how the ECU counts them, from what the table holds; None if as the kind's unit says.

    Returns
    -------
    Where percent are added cells hold 100 more, for a correction multiplies the whole fuel.
    """
    kind = KINDS[name]
    values = np.asarray(cells, float)
    if kind.adds:
        counts = OwnUnit("%", 1.0, -NOTHING_ADDED_PCT) if own is None else own
        return Table(axes, values + NOTHING_ADDED_PCT, "% fuel", kind.words, counts)
    return Table(axes, np.maximum(values, LEAST), kind.unit, kind.words, own)


def curve_of(name: str, points: ArrayLike, cells: ArrayLike, by: str = "") -> Table:
    """One of these tables over one axis.

    Parameters
    ----------
    name : one of ``CORRECTIONS``.
    points : of its axis, rising, in our unit, shape (n,), n at least 2.
    cells : as above, shape (n,).
    by : the axis; the usual one if "".

    Returns
    -------
    The table.
    """
    axis = by or KINDS[name].axes[0]
    return correction_table(name, (Axis(axis, AXIS_UNITS[axis], np.asarray(points, float)),), cells)


def cells_of(name: str, table: Table) -> Floats:
    """What a table holds, in its kind's unit.

    Parameters
    ----------
    name : one of ``CORRECTIONS``.
    table : of that kind.

    Returns
    -------
    Percent added, percent or seconds, in the table's shape.
    """
    return table.values - NOTHING_ADDED_PCT if KINDS[name].adds else table.values
