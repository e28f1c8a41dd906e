"""How long the injectors let fuel flow, by the ECU's own reckoning."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.drive.coordinates import DEFAULT_VOLTS, stoich_along
from lean_trim.core.drive.frame import Frame
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    NO_DATA = Message(
        "open_time.no_data",
        "{name}: neither pulse width, duty nor known injector data to work it out from; without "
        "an open time nothing can be told of injectors",
    )


LEAST_OPEN_MS = 0.2
"""Below it no injector meters (common practice, no source)."""


def open_time_ms(frame: Frame) -> Floats:
    """Time the ECU lets fuel flow by its own reckoning: pulse width less its dead time.

    Without a pulse width it follows from the ECU's own equation: air, target, trims and flow.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    ms, shape (n,); NaN where it is not known.

    Raises
    ------
    LogError
        If neither way is open.
    """
    log = frame.log
    injectors = frame.vehicle.injectors
    if Role.PULSE_WIDTH in log and len(injectors.volts):
        volts = held(log[Role.BATTERY]) if Role.BATTERY in log else np.full(len(log), DEFAULT_VOLTS)
        volts = np.where(np.isfinite(volts), volts, DEFAULT_VOLTS)
        open_ms = injectors.open_time_ms(log[Role.PULSE_WIDTH], volts)
    elif np.isfinite(injectors.flow_g_per_s):
        fuel_g = frame.air_g * frame.trim / (stoich_along(log, frame.vehicle) * frame.target)
        open_ms = 1000.0 * fuel_g / injectors.flow_g_per_s
    else:
        raise LogError(Say.NO_DATA(name=log.name))
    return np.where(open_ms > LEAST_OPEN_MS, open_ms, np.nan)
