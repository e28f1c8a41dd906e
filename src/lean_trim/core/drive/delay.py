"""When does the lambda sensor report on the fuel injected now? A physical model with settable parameters.

Where the engine runs steadily enough for a table, the flow at injection tells how long gas takes to
the sensor; where air moves quickly, ``pushed_through`` follows it by the gas that pushes it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import as_loop, fill_missing
from lean_trim.core.drive.frame import Frame
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.physics import R_AIR
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    EXHAUST_VOLUME = Message(
        "delay.exhaust_volume",
        "delay exhaust_volume_l is {exhaust_volume_l:g}; allowed is 0 to 50 L",
    )
    OUT_OF_RANGE = Message(
        "delay.out_of_range", "delay {name} is {value:g}; allowed is 0 to {top:g}"
    )


EXHAUST_K = 800.0
"""Mean gas temperature between valve and sensor, K (common practice, no source)."""


@dataclass(frozen=True)
class DelaySettings:
    """Parameters of delay = cycles · 120/rpm + exhaust volume / volume flow + sensor time constant.

    cycles : engine cycles between injection and exhaust, 0 to 3.
    exhaust_volume_l : volume between valves and sensor, L, 0 to 50; None takes the vehicle's.
    sensor_s : time constant of sensor and its filter, s, 0 to 1 (wideband sensors 0.05 to 0.15).
    """

    cycles: float = 1.0
    exhaust_volume_l: float | None = None
    sensor_s: float = 0.08

    def __post_init__(self) -> None:
        for name, value, top in (("cycles", self.cycles, 3.0), ("sensor_s", self.sensor_s, 1.0)):
            if not 0.0 <= value <= top:
                raise BadInputError(Say.OUT_OF_RANGE(name=name, value=value, top=top))
        if self.exhaust_volume_l is not None and not 0.0 <= self.exhaust_volume_l <= 50.0:
            raise BadInputError(Say.EXHAUST_VOLUME(exhaust_volume_l=self.exhaust_volume_l))


def pushed_litres(frame: Frame) -> Floats:
    """Exhaust that has left the engine since the log began, litres at the pipe's temperature, shape (n,).

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    Rising throughout.
    """
    step_s = np.diff(frame.log.time_s, prepend=frame.log.time_s[:1] - 1e-6)
    return np.asarray(np.cumsum(_litres_per_s(frame) * step_s))


def pushed_through(time_s: Floats, leave_s: Floats, pushed_l: Floats, volume_l: float) -> Floats:
    """When gas that leaves the engine has been pushed through a pipe by what left after it (plug flow).

    Parameters
    ----------
    time_s, pushed_l : rising, s and litres, shape (n,).
    leave_s : when the gas of each sample leaves, rising, s, shape (n,).
    volume_l : of the pipe, L.

    Returns
    -------
    Times, s, shape (n,); infinite where the log ends before.
    """
    ahead = np.interp(leave_s, time_s, pushed_l) + volume_l
    return np.asarray(np.interp(ahead, pushed_l, time_s, right=np.inf))


def delay_s(frame: Frame, settings: DelaySettings) -> Floats:
    """Time from injection to the sensor's answer, s, shape (n,), limited to 3 s.

    Parameters
    ----------
    frame : a log seen through its calibration.
    settings : cycles, exhaust volume and sensor constant.

    Returns
    -------
    Seconds, 0 to 3, shape (n,).
    """
    volume = settings.exhaust_volume_l
    volume = frame.vehicle.exhaust_volume_l if volume is None else volume
    rpm = np.maximum(fill_missing(frame.log[Role.RPM]), 300.0)
    transport = settings.cycles * 120.0 / rpm + volume / _litres_per_s(frame)
    return np.minimum(transport + settings.sensor_s, 3.0)


def _litres_per_s(frame: Frame) -> Floats:
    baro = fill_missing(frame.log.get(Role.BARO, 100.0), 100.0)
    litres_per_s = np.maximum(frame.flow_g_per_s, 0.05) * R_AIR * EXHAUST_K / (baro * 1000.0)
    return fill_missing(litres_per_s, 1.0)


def aligned_lambda(frame: Frame, settings: DelaySettings) -> Floats:
    """Measured lambda moved back to the moment its fuel was injected, shape (n,).

    Where the sensor is logged more slowly than the rows, readings are joined by straight lines
    between their real updates. NaN where the answer comes after the end of the log, or where either
    neighbouring reading is NaN.

    Parameters
    ----------
    frame : a log seen through its calibration.
    settings : cycles, exhaust volume and sensor constant.

    Returns
    -------
    Lambda, shape (n,), NaN where unknown.
    """
    if frame.lambda_of_loop:
        # What a loop holds on average is the mixture of the trims of that moment: nothing arrives
        # later, and where the loop has only just closed it holds nothing yet.
        return np.array(frame.log[Role.LAMBDA])
    return lambda_arriving(frame, frame.log.time_s + delay_s(frame, settings))


def lambda_arriving(frame: Frame, arrival_s: Floats) -> Floats:
    """Measured lambda at the times the gas of every sample arrives, as ``aligned_lambda`` reads it.

    Parameters
    ----------
    frame : a log seen through its calibration.
    arrival_s : shape (n,).

    Returns
    -------
    Lambda, shape (n,), NaN where unknown.
    """
    from lean_trim.core.kernels.log_loops import read_later

    log = frame.log
    time = as_loop(log.time_s)
    arrival = np.maximum.accumulate(arrival_s)
    fresh = log.update_mask(Role.LAMBDA) | ~np.isfinite(log[Role.LAMBDA])
    return read_later(time, arrival, as_loop(log[Role.LAMBDA]), fresh, 5.0 * log.step_s)
