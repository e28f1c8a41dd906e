"""Does the pulse width follow from this calibration.

Only then can fuel it shows beyond table and trims be believed.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.log import as_loop
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.types import Floats, Mask

OFF = 0.02
LEAST_S = 10.0
STRAYING_SHARE = 0.4
"""Fuel off by more than ``OFF`` in steady running strays.

More than this share of at least ``LEAST_S`` is another calibration.

Common practice, no source.
"""


def off_calibration(frame: Frame, regime: NDArray[np.int8]) -> Mask:
    """Steady samples whose pulse width does not follow from table, trims and injector data, (n,).

    Parameters
    ----------
    frame : a log seen through its calibration.
    regime : of every sample, shape (n,).

    Returns
    -------
    True where steady running contradicts the calibration, shape (n,).
    """
    with np.errstate(invalid="ignore"):
        return np.asarray(_steady(regime) & (np.abs(frame.fuel_ratio - 1.0) > OFF))


def proven_samples(frame: Frame, regime: NDArray[np.int8], durations_s: Floats) -> Mask:
    """Samples of those logs whose steady running follows from the calibration, (n,).

    False where too little of it was driven.

    Parameters
    ----------
    frame : a log seen through its calibration, perhaps joined from several.
    regime : of every sample, shape (n,).
    durations_s : time each sample stands for, s, shape (n,).

    Returns
    -------
    True for every sample of a log that bears its pulse width out, shape (n,).
    """
    from lean_trim.core.kernels.fuel_loops import seconds_off

    steady = _steady(regime)
    ratio = as_loop(frame.fuel_ratio)
    out = np.zeros(len(frame.log), bool)
    for piece in [slice(p.start, p.stop) for p in frame.pieces] or [slice(0, len(frame.log))]:
        whole, away = seconds_off(ratio[piece], steady[piece], durations_s[piece], OFF)
        out[piece] = whole >= LEAST_S and away < STRAYING_SHARE * whole
    return out


def _steady(regime: NDArray[np.int8]) -> Mask:
    return np.asarray((regime == Regime.CRUISE) | (regime == Regime.IDLE))
