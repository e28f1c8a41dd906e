"""Regions of a table, told from the job's own data: idle, part throttle, full throttle, boost."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import row_pressures
from lean_trim.core.data.tables import Table
from lean_trim.core.types import Floats, Mask

ABOVE_BARO = 1.02
"""Manifold pressure over the barometer from which it is boost; sensors differ by less (common
practice)."""
USUAL_KPA = 101.0
"""Stands in where no barometer was logged (ordinary weather near sea level)."""
MOSTLY = 0.5
"""Share of a cell's evidence that makes it full throttle or idle."""


class Region(StrEnum):
    """What a cell is for, as practitioners divide a table."""

    IDLE = "idle"
    PART = "part"
    FULL = "full"
    BOOST = "boost"


REGION_NAMES = tuple(str(region) for region in Region)


def boost_from_kpa(log: Log) -> float:
    """Manifold pressure above which it is boost, from the barometer that was logged.

    Returns kPa absolute, never above what holds at sea level.
    """
    baro = log.get(Role.BARO)
    known = baro[np.isfinite(baro)]
    return min(ABOVE_BARO * float(np.median(known)), USUAL_KPA) if len(known) else USUAL_KPA


def boosted(table: Table, from_kpa: float) -> Mask:
    """Cells above atmospheric pressure, in the table's shape; none where rows are no pressure.

    Parameters
    ----------
    table : a grid or a curve.
    from_kpa : pressure from which it is boost, kPa absolute.

    Returns
    -------
    True above it.
    """
    if len(table.axes) == 1:
        return np.zeros(table.shape, bool)
    pressures = row_pressures(table)
    # Over throttle or load no row is boost; what is driven there at full throttle is told by the
    # drive.
    if pressures is None:
        return np.zeros(table.shape, bool)
    return np.broadcast_to((pressures > from_kpa)[:, None], table.shape).copy()


def regions_of(table: Table, idle: Floats, full: Floats, from_kpa: float) -> NDArray[np.object_]:
    """Region of every cell, in the table's shape.

    Parameters
    ----------
    table : a grid or a curve.
    idle, full : shares of a cell's used seconds at idle and at full throttle, in the table's shape.
    from_kpa : pressure from which it is boost, kPa absolute.

    Returns
    -------
    A ``Region`` per cell; part throttle where nothing else holds.
    """
    out = np.full(table.shape, Region.PART, object)
    out[full > MOSTLY] = Region.FULL
    out[idle > MOSTLY] = Region.IDLE
    out[boosted(table, from_kpa)] = Region.BOOST
    return out


def with_words(
    regions: NDArray[np.object_], words: Iterable[tuple[int, str]]
) -> NDArray[np.object_]:
    """Regions with what the user said of some cells.

    Parameters
    ----------
    regions : as the drive tells, in the table's shape.
    words : flat index and region; those beyond the table are passed over.

    Returns
    -------
    In the same shape.
    """
    out = regions.copy()
    for cell, region in words:
        if cell < out.size:
            out.ravel()[cell] = Region(region)
    return out
