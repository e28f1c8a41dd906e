"""Pressure of the standard atmosphere, where no barometer was logged."""

from __future__ import annotations

from lean_trim.core.physics import STANDARD_KPA

LAPSE_PER_M = 2.25577e-5
POWER = 5.25588
"""Lapse of 6.5 K/km over 288.15 K, and g/(R · lapse)."""
EARTH_M = 6_356_766.0
"""Radius by which an altitude becomes a geopotential one."""
ALTITUDE_M = (-500.0, 6000.0)
"""Altitudes that are taken, m."""


def standard_kpa(altitude_m: float) -> float:
    """Pressure of the standard atmosphere.

    Parameters
    ----------
    altitude_m : above the sea, -500 to 6000 m, within the troposphere.

    Returns
    -------
    kPa.

    References
    ----------
    ISO 2533:1975, standard atmosphere; its table is in the tests.
    """
    geopotential = EARTH_M * altitude_m / (EARTH_M + altitude_m)
    return float(STANDARD_KPA * (1.0 - LAPSE_PER_M * geopotential) ** POWER)
