"""By how much rising fuel alone makes the cylinder lean: the wall film, and no matter of the table."""

from __future__ import annotations

import numpy as np

from lean_trim.core.drive.film import film_uptake
from lean_trim.core.drive.frame import Frame
from lean_trim.core.types import Floats

LEAST_TAU_S = 0.05
"""No film evaporates faster, s: below, what a log samples could not show it."""


def thin_by_film(
    frame: Frame, share: float, share_se: float, tau_s: float, tau_se_s: float
) -> Floats:
    """Lean error of the mixture that the film makes of the fuel actually injected.

    Share and time constant are each taken one standard error smaller: what is explained away here
    is not told as a danger, so rather too little of it.

    Parameters
    ----------
    frame : a log seen through its calibration.
    share, share_se : X of the film as this drive shows it, and its standard error.
    tau_s, tau_se_s : its time constant of evaporation and standard error, s; NaN where this drive
        did not tell it.

    Returns
    -------
    Share by which lambda is too high, >= 0, shape (n,); all 0 where this drive showed no film.
    """
    sure = share - share_se
    if not (np.isfinite(sure) and sure > 0.0 and np.isfinite(tau_se_s)):
        return np.zeros(len(frame.log))
    uptake = film_uptake(frame, max(LEAST_TAU_S, tau_s - tau_se_s))
    # What reaches the cylinder is 1 - X h of what was injected; lambda is its inverse.
    withheld = np.clip(sure * np.nan_to_num(uptake), 0.0, 0.9)
    return np.asarray(withheld / (1.0 - withheld))
