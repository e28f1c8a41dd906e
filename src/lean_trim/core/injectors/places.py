"""Used samples gathered by place, where flow, dead time and airflow show between places and not within."""

from __future__ import annotations

import numpy as np

from lean_trim.core import physics
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.open_time import Say as OpenTimeSay
from lean_trim.core.drive.open_time import open_time_ms
from lean_trim.core.errors import LogError
from lean_trim.core.estimation import places
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.places import Places
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    CONSTANT = Message(
        "injectors.constant",
        "{name}: the open time hardly moves ({low:.2f} to {high:.2f} ms); flow and dead time "
        "cannot be told apart",
    )


LEAST_SPREAD = 0.15
"""Share by which open times have to differ for anything to be told."""


def gather_pulses(
    frame: Frame, observations: Observations, residual: Floats, scale: float, huber: float
) -> Places:
    """Sums by place of the samples whose open time is known.

    Parameters
    ----------
    frame, observations, residual, scale, huber : as for ``estimation.places.gather``.

    Returns
    -------
    The places.

    Raises
    ------
    LogError
        If there is no open time, or it hardly moves.
    """
    open_ms = open_time_ms(frame)[observations.index]
    k = observations.k
    good = np.isfinite(open_ms) & np.isfinite(k) & (k > 0.0)
    _refuse_constant(frame, open_ms[good])
    return places.gather(
        frame, observations.only(good), open_ms[good], residual[good], scale, huber
    )


def _refuse_constant(frame: Frame, open_ms: Floats) -> None:
    if not len(open_ms):
        raise LogError(OpenTimeSay.NO_DATA(name=frame.log.name))
    low, high = (float(x) for x in np.percentile(open_ms, [2.0, 98.0]))
    if high < low * (1.0 + LEAST_SPREAD):
        raise LogError(Say.CONSTANT(name=frame.log.name, low=low, high=high))


def fuel_per_pulse_mg(frame: Frame, open_ms: Floats) -> Floats:
    """Fuel of a pulse by the sheet's flow.

    Parameters
    ----------
    frame : a log seen through its calibration.
    open_ms : shape (n,).

    Returns
    -------
    mg, shape (n,); NaN where the flow is not known.
    """
    return physics.injected_fuel_g(open_ms, 0.0, frame.vehicle.injectors.flow_g_per_s) * 1000.0
