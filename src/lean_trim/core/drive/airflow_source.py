"""Which airflow model was in force at each sample: the table at hand, the other one, or a blend.

An ECU with both takes its mass-airflow sensor in steady state and its VE table in transients or at
low speed. What was not in force for a sample must not be corrected by it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import running_box
from lean_trim.core.data.vehicle import AirflowSourceSettings
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.two_airflows import EXPLAINS, MISSES, TwoAirflows
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    NOT_TOLD = Message(
        "airflow_source.not_told",
        "{name} does not tell which of the two airflow tables was in force: log the ECU's flag, or the pulse "
        "width with known injectors, or say by which rule it changes over, or that it was forced onto one",
    )
    NO_FLAG = Message(
        "airflow_source.no_flag",
        "{name} has no channel for the airflow source; log it, or give the rule or your word "
        "instead",
    )


LEAST_SHARE = 0.05
"""Share of the samples below which another airflow is not in force."""
How = Literal["word", "flag", "rule", "pulse width", "position", "assumed"]


@dataclass(frozen=True, eq=False)
class AirflowSource:
    """Share of the table's own model in force per sample, (n,), 0 to 1; how it was had.

    Share of the time it explains.
    """

    share: Floats
    how: How
    sure: float


def read_airflow_source(motion: Motion, settings: AirflowSourceSettings) -> AirflowSource:
    """Settle the source by the user's word, the log's flag, the ECU's rule, or the pulse width.

    Parameters
    ----------
    motion : a log with its frame.
    settings : how the user, or the vehicle sheet, says it is to be told.

    Returns
    -------
    Share of this table's own model in force per sample, and how it was had.

    Raises
    ------
    BadInputError
        If the flag is asked for and was not logged.
    """
    frame = motion.frame
    n = len(motion.frame.log)
    if frame.two is not None and frame.two.how == "position":
        return AirflowSource(frame.two.share, "position", 1.0)
    if settings.kind == "flag" and Role.AIRFLOW_SOURCE not in frame.log:
        raise BadInputError(Say.NO_FLAG(name=frame.log.name))
    if settings.kind == "table":
        # Forced onto one of two, the ECU never used the other.
        forced = settings.of in ("", frame.vehicle.airflow)
        return AirflowSource(np.full(n, float(forced)), "word", 1.0)
    if settings.kind == "rule":
        return AirflowSource(_by_rule(motion, settings), "rule", 1.0)
    if Role.AIRFLOW_SOURCE in frame.log:
        maf = np.clip(np.nan_to_num(frame.log[Role.AIRFLOW_SOURCE], nan=0.5), 0.0, 1.0)
        return AirflowSource(maf if frame.vehicle.airflow == "maf" else 1.0 - maf, "flag", 1.0)
    if frame.two is not None:
        return _of_two(frame, frame.two)
    found = _by_pulse_width(frame)
    return found if found is not None else AirflowSource(np.ones(n), "assumed", np.nan)


def _of_two(frame: Frame, two: TwoAirflows) -> AirflowSource:
    """Of a blended ECU, by the pulse width; what it leaves open counts for neither table."""
    told = np.isfinite(two.share)
    if two.how != "pulse width" or told.mean() < LEAST_SHARE:
        raise BadInputError(Say.NOT_TOLD(name=frame.log.name))
    return AirflowSource(np.nan_to_num(two.share), "pulse width", float(told.mean()))


def _by_rule(motion: Motion, settings: AirflowSourceSettings) -> Floats:
    ve = motion.frame.log[Role.RPM] < settings.ve_below_rpm
    if settings.ve_above_map_rate > 0.0:
        ve = ve | (np.abs(motion.map_rate) > settings.ve_above_map_rate)
    return np.where(ve == (motion.frame.vehicle.airflow == "ve"), 1.0, 0.0)


def _by_pulse_width(frame: Frame) -> AirflowSource | None:
    """The sensor was in force where mass airflow explains the pulse width and the table does not."""
    log = frame.log
    if (
        not frame.vehicle.is_speed_density
        or Role.MAF_FLOW not in log
        or Role.PULSE_WIDTH not in log
    ):
        return None
    with np.errstate(divide="ignore", invalid="ignore"):
        by_table = np.log(frame.fuel_ratio)
        by_sensor = by_table + np.log(frame.flow_g_per_s / log[Role.MAF_FLOW])
    seen = np.isfinite(by_table) & np.isfinite(by_sensor)
    if not seen.any():
        return None
    table, sensor = (
        running_box(np.where(seen, np.abs(x), 1.0), log.time_s, 0.6) for x in (by_table, by_sensor)
    )
    other = seen & (sensor < EXPLAINS) & (table > MISSES)
    if other[seen].mean() < LEAST_SHARE:
        return None
    return AirflowSource(
        np.where(other, 0.0, 1.0),
        "pulse width",
        float(np.mean((sensor < EXPLAINS)[seen] | (table < EXPLAINS)[seen])),
    )
