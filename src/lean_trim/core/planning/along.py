"""What stood along the drives at states of engine speed and pressure, read between the driven places."""

from __future__ import annotations

import numpy as np

from lean_trim.core.types import Floats

BIN_RPM = 200.0
BIN_KPA = 4.0
"""Samples of one place count as one."""
SCALE_RPM = 350.0
SCALE_KPA = 8.0
"""Distances that are alike: those of neighbouring states."""
NEIGHBOURS = 40
SMOOTHING = 0.5
LEAST_PLACES = 5


def at_states(
    drove: tuple[Floats, Floats], values: Floats, states: tuple[Floats, Floats]
) -> Floats:
    """What a quantity is at states, from what it was along a drive.

    Parameters
    ----------
    drove : engine speed, 1/min, and manifold pressure, kPa, along the drive, (n,).
    values : of the quantity, (n,); NaN where it is not known.
    states : engine speed and pressure of the states, (s,).

    Returns
    -------
    Shape (s,), never beyond what was seen; NaN where next to nothing was.
    """
    from scipy.interpolate import RBFInterpolator

    points, means = _places(np.asarray(drove, float), np.asarray(values, float))
    if len(means) < LEAST_PLACES:
        return np.full(len(states[0]), np.nan)
    scale = np.array([SCALE_RPM, SCALE_KPA])
    # Thin plates bend off where nobody drove; a linear kernel goes on level.
    between = RBFInterpolator(
        points / scale,
        means,
        neighbors=min(NEIGHBOURS, len(means)),
        smoothing=SMOOTHING,
        kernel="linear",
    )
    found = between(np.column_stack(states) / scale)
    return np.asarray(np.clip(found, means.min(), means.max()))


def _places(drove: Floats, values: Floats) -> tuple[Floats, Floats]:
    """Places of a drive, (m, 2), and the mean there, (m,)."""
    known = np.isfinite(values) & np.isfinite(drove).all(axis=0)
    bins = np.round(drove[:, known] / np.array([[BIN_RPM], [BIN_KPA]]))
    _, place = np.unique(bins, axis=1, return_inverse=True)
    count = np.bincount(place.ravel())
    sums = [np.bincount(place.ravel(), row) for row in (*drove[:, known], values[known])]
    rpm, kpa, mean = (total / np.maximum(count, 1) for total in sums)
    return np.column_stack([rpm, kpa]), np.asarray(mean)
