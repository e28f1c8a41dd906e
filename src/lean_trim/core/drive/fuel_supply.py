"""How the fuel supply holds its pressure: whether the regulator follows the manifold, whether the pump sags.

Either lets the injectors give other fuel than their data say, and passes for a flow error or for
airflow.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.fuel_pressure import PressureKind
from lean_trim.core.types import Floats

RUNNING_RPM = 400.0
MOST_SAMPLES = 20_000
LEAST_SAMPLES = 200
LEAST_SPREAD_KPA = 20.0
"""Range of MAP from which it shows whether pressure follows it, kPa."""
CALM_PCT = 60.0
"""Part of the samples, by flow, in which no pump sags, %."""
HARD_PCT = 95.0
"""Percentiles of airflow: below the first no pump sags, above the second it would."""
LEAST_EXPLAINED = 0.7
"""Share of what the pressure scatters by that has to go with the manifold: a pump that gives up
half-way
through a drive goes with whatever was driven then."""
FOLLOW_SLACK = 0.2
"""A regulator is meant to follow by 1 kPa per kPa; further off it is told (common practice, no
source)."""
SAG_PCT = 4.0
"""Loss of pressure from calm to hard running that is told; 4 % of pressure is 2 % of fuel."""


@dataclass(frozen=True)
class Supply:
    """What a drive says of the fuel supply; NaN where it does not tell.

    Attributes
    ----------
    follows : kPa the rail rises per kPa of manifold pressure, 1 where it should; at calm running.
    explained : share of the pressure's variance that goes with the manifold at calm running.
    off_kpa : how far Δp is from its calm middle at the end of the manifold pressures driven, by
        that alone.
    sag_pct : pressure lost from calm to hard running, the manifold's part taken out, percent.
    hard_g_per_s : airflow it is lost at.
    """

    follows: float = np.nan
    explained: float = np.nan
    off_kpa: float = np.nan
    sag_pct: float = np.nan
    hard_g_per_s: float = np.nan

    @property
    def is_off(self) -> bool:
        """True if the regulator does not follow."""
        return bool(abs(self.follows - 1.0) > FOLLOW_SLACK and self.explained >= LEAST_EXPLAINED)

    @property
    def sags(self) -> bool:
        """True if the pump does not keep up."""
        return bool(self.sag_pct > SAG_PCT)


def supply_of(frame: Frame) -> Supply:
    """How the fuel supply held its pressure along a log.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    Unknown throughout where fuel pressure or MAP was not logged, or the ECU accounts for what it
    is.
    """
    log = frame.log
    known_kind = frame.pressure in (PressureKind.DIFFERENTIAL, PressureKind.RAIL)
    by_manifold = frame.vehicle.injectors.pressure_reference == "manifold"
    if not known_kind or not by_manifold or Role.FUEL_DP not in log or Role.MAP not in log:
        return Supply()
    every = max(1, len(log) // MOST_SAMPLES)
    pressure, manifold, rpm = (log[r][::every] for r in (Role.FUEL_DP, Role.MAP, Role.RPM))
    flow = np.asarray(frame.flow_g_per_s)[::every]
    known = np.isfinite(pressure) & np.isfinite(manifold) & np.isfinite(flow) & (rpm > RUNNING_RPM)
    if known.sum() < LEAST_SAMPLES:
        return Supply()
    pressure = pressure[known]
    manifold = manifold[known]
    flow = flow[known]
    calm = flow <= np.percentile(flow, CALM_PCT)
    low, high = np.percentile(manifold[calm], [5.0, 95.0])
    if high - low < LEAST_SPREAD_KPA:
        return Supply()
    slope, level = np.polyfit(manifold[calm], pressure[calm], 1)
    hard = flow >= np.percentile(flow, HARD_PCT)
    expected = slope * manifold[hard] + level
    far = float(np.max(np.abs(manifold - np.median(manifold[calm]))))
    return Supply(
        follows=1.0 + float(slope),
        explained=_explained(manifold[calm], pressure[calm]),
        off_kpa=abs(float(slope)) * far,
        sag_pct=100.0 * float(np.median(1.0 - pressure[hard] / expected)),
        hard_g_per_s=float(np.median(flow[hard])),
    )


def _explained(manifold: Floats, pressure: Floats) -> float:
    """Square of their correlation; 1 for a pressure that does not scatter at all."""
    scatter = float(pressure.std() * manifold.std())
    if not scatter:
        return 1.0
    return (
        float(np.mean((manifold - manifold.mean()) * (pressure - pressure.mean())) / scatter) ** 2
    )
