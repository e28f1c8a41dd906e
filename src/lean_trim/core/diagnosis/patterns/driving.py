"""What the courses of patterns are made from, at every used sample."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.open_time import open_time_ms
from lean_trim.core.errors import LogError
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats

USUAL_KPA = 100.0
LOW_SHARE = 3.0
HIGH_SHARE = 99.5
"""Percentiles of airflow that stand for idle and for the most that was drawn."""


@dataclass(frozen=True, eq=False)
class Driving:
    """Arrays have shape (m,); NaN where a channel was not logged.

    Attributes
    ----------
    vehicle : as its sheet says.
    flow : airflow as the ECU believes it, g/s; ``low_flow`` and ``high_flow`` are its range.
    open_ms : time the ECU lets fuel flow.
    map_kpa, baro_kpa, intake_c : as logged.
    since_s : since the engine was started, or the log began; ``time_s`` on the joined log, with the
        ``joints_s`` of its drives.
    pressure_known : whether differential fuel pressure was logged.
    """

    vehicle: Vehicle
    flow: Floats
    low_flow: float
    high_flow: float
    open_ms: Floats
    map_kpa: Floats
    baro_kpa: Floats
    intake_c: Floats
    since_s: Floats
    time_s: Floats
    joints_s: tuple[float, ...]
    pressure_known: bool

    @property
    def map_share(self) -> Floats:
        """MAP over the barometer, NaN without MAP."""
        return self.map_kpa / self.baro_kpa


def driving_of(frame: Frame, observations: Observations) -> Driving:
    """Gather what patterns look at.

    Parameters
    ----------
    frame : a log seen through its calibration.
    observations : its used samples.

    Returns
    -------
    One value per used sample.
    """
    log = frame.log
    at = observations.index
    flow = np.maximum(frame.flow_g_per_s[at], 1e-3)
    low, high = np.percentile(flow, [LOW_SHARE, HIGH_SHARE])
    try:
        open_ms = open_time_ms(frame)[at]
    except LogError:
        open_ms = np.full(len(at), np.nan)
    baro = _held(log, Role.BARO)[at]
    return Driving(
        vehicle=frame.vehicle,
        flow=flow,
        low_flow=float(low),
        high_flow=float(high),
        open_ms=open_ms,
        map_kpa=_held(log, Role.MAP)[at],
        baro_kpa=np.where(np.isfinite(baro), baro, USUAL_KPA),
        intake_c=_held(log, Role.IAT)[at],
        since_s=_since_start(log)[at],
        time_s=log.time_s[at],
        joints_s=tuple(log.joints_s),
        pressure_known=Role.FUEL_DP in log,
    )


def _held(log: Log, role: Role) -> Floats:
    return held(log[role]) if role in log else np.full(len(log), np.nan)


def _since_start(log: Log) -> Floats:
    begins = np.concatenate([[log.time_s[0]], np.asarray(log.joints_s, float)])
    which = np.searchsorted(begins, log.time_s, side="right") - 1
    return np.asarray(log.time_s - begins[which])
