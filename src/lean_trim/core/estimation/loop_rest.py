"""Where a narrowband loop that stands for lambda has caught up."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.log import fill_missing, rate_per_s, running_box
from lean_trim.core.drive.frame import Frame
from lean_trim.core.types import Mask

RAMP_S = 2.0
RAMP_PER_S = 0.005
"""A loop whose mean moves faster than this is still catching up (common practice, no source)."""


def loop_rests(frame: Frame) -> Mask:
    """Samples at which a narrowband loop that stands for lambda has caught up.

    While it still ramps, lambda is not 1, and by how much nobody measured; far-off injectors make
    it ramp for seconds after every change, most of all where pulses are short.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    Shape (n,); True everywhere if lambda was logged.
    """
    if not frame.lambda_of_loop:
        return np.ones(len(frame.log), bool)
    level = running_box(np.log(fill_missing(frame.trim, 1.0)), frame.log.time_s, RAMP_S)
    slope = rate_per_s(frame.log.time_s, level, RAMP_S)
    return np.asarray(np.abs(slope) < RAMP_PER_S)
