"""Which of two calibrations a log was driven on, as far as its pulse width tells."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import hidden_trim, make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import Regime, RegimeSettings, classify
from lean_trim.core.errors import LogError

APART = 0.01
"""Only where the calibrations differ by more than this does the pulse width tell them apart."""
LEAST_S = 10.0
"""Steady seconds where they differ, at least."""
FITS = 0.01
"""Median distance of the fuel from what a calibration wants, up to which it explains it."""
PLAIN = 3.0
"""The other one has to be this many times further off. Common practice, no source."""


def driven_on(log: Log, vehicle: Vehicle, other: Vehicle) -> Vehicle | None:
    """The calibration a log was plainly driven on: the one, the other, or None where it does not tell.

    Fuel by pulse width is compared with what either would have asked for, in steady running where
    the two differ. Injector data that are off make both fit badly, and then nothing is said.

    Parameters
    ----------
    log : one log.
    vehicle : with the one calibration in its ECU.
    other : the same vehicle with the other one, on the same axes.

    Returns
    -------
    One of the two, or None.
    """
    # A trim that was not logged is read from the pulse width, which then bears any calibration out.
    if hidden_trim(log, vehicle).any():
        return None
    try:
        frame = make_frame(log, vehicle)
        motion = Motion(frame)
        regime = classify(motion, RegimeSettings())
        frame_of_other = make_frame(log, other)
    except LogError:
        return None
    with np.errstate(invalid="ignore", divide="ignore"):
        off_ours = np.log(frame.fuel_ratio)
        off_other = np.log(frame_of_other.fuel_ratio)
        step = off_ours - off_other
    steady = (regime == Regime.CRUISE) | (regime == Regime.IDLE)
    tells = steady & np.isfinite(step) & (np.abs(step) > APART)
    if motion.durations_s[tells].sum() < LEAST_S:
        return None
    from_ours = float(np.median(np.abs(off_ours[tells])))
    from_other = float(np.median(np.abs(off_other[tells])))
    if from_ours < FITS and from_other > PLAIN * from_ours:
        return vehicle
    if from_other < FITS and from_ours > PLAIN * from_other:
        return other
    return None
