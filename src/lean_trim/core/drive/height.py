"""What height does to a VE table over manifold pressure: thinner air behind the valves, more room for charge.

At equal manifold pressure burnt gas left in the cylinder expands against the exhaust's pressure,
which goes with the barometer: VE ∝ (r - (p_exh / MAP)^(1/κ)) / (r - 1). A table over MAP holds it
for one barometer; a log at another carries the difference.

References
----------
Heywood, *Internal Combustion Engine Fundamentals*, 1988, chapter 6 (the law; from memory).
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.guess import EXPANSION
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import Rows, rows_of
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.types import Floats

BACK_PRESSURE = 1.05
"""Exhaust pressure over the barometer at light load (common practice, no source)."""
LEAST_MAP_KPA = 15.0
"""Pressure that stands for less, kPa: no engine runs below."""
LEAST_ROOM = 0.2
"""Filling the law is never taken below."""


def room(exhaust_kpa: Floats, map_kpa: Floats, compression: float) -> Floats:
    """Filling that burnt gas leaves, relative to none left.

    Parameters
    ----------
    exhaust_kpa, map_kpa : absolute, kPa, shapes that go together.
    compression : ratio of the engine.

    Returns
    -------
    0.2 to 1 and a little above.
    """
    left = (exhaust_kpa / np.maximum(map_kpa, LEAST_MAP_KPA)) ** (1.0 / EXPANSION)
    return np.asarray(np.maximum((compression - left) / (compression - 1.0), LEAST_ROOM))


def filling_by_height(log: Log, vehicle: Vehicle) -> Floats | None:
    """Filling at each sample's barometer over that at the drive's median one.

    Parameters
    ----------
    log : with MAP and barometer.
    vehicle : whose table it is.

    Returns
    -------
    Factor, shape (n,); None where the table is not over MAP, air is weighed, the ECU makes up for
    it, or no barometer was logged.
    """
    over_map = vehicle.is_speed_density and rows_of(vehicle.table) is Rows.MAP
    if not over_map or vehicle.follows_barometer or Role.BARO not in log or Role.MAP not in log:
        return None
    baro = held(log[Role.BARO])
    if not np.isfinite(baro).all() or np.ptp(baro) == 0.0:
        return None
    pressure = held(log[Role.MAP])
    usual = BACK_PRESSURE * float(np.median(baro))
    there = room(BACK_PRESSURE * baro, pressure, vehicle.compression)
    return there / room(np.full(len(baro), usual), pressure, vehicle.compression)
