"""What is written into cells nobody drove: nothing, a neighbour's enrichment, or what the surface says there.

A cell left at its old value between corrected neighbours is a hole in the mixture; in boost a lean
one destroys the engine. Rich is the safe side, so that every policy but ``sure`` only ever adds
fuel.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from lean_trim.core.types import Floats, Mask

Unvisited = Literal["filled", "keep", "carry", "taper", "sure"]
UNVISITED: tuple[Unvisited, ...] = ("filled", "keep", "carry", "taper", "sure")
SURE_ERRORS = 2.0
"""Standard errors that a leaning has to outlast before any of it is written where nobody drove."""


def steps_for_unvisited(
    policy: Unvisited, wanted: Floats, error: Floats, step: Floats, supported: Mask, boost: Mask
) -> Floats:
    """Steps of the cells without support, by policy.

    Parameters
    ----------
    policy : one of ``UNVISITED``.
    wanted : what the estimate needs, percent, 0 where it says nothing.
    error : its standard error, percent points.
    step : what is written into the supported cells, percent.
    supported : cells with evidence of their own.
    boost : cells above atmospheric pressure.

    Returns
    -------
    Percent, in the table's shape; only values of cells without support mean anything.
    """
    if policy == "keep" or not supported.any():
        return np.zeros_like(step)
    if policy in ("carry", "taper"):
        return _carried(step, supported, policy == "taper")
    # Further out the surface only goes on as it was; more than any driven cell needed is its own
    # invention.
    most = max(float(wanted[supported].max()), 0.0)
    more = np.clip(wanted, 0.0, most)
    if policy == "filled":
        return more
    less = np.minimum(wanted + SURE_ERRORS * np.nan_to_num(error, nan=np.inf), 0.0)
    # Between driven cells the surface is held on both sides; past them it only goes on.
    return np.where(enclosed(supported) & ~boost, more + less, more)


def enclosed(supported: Mask) -> Mask:
    """Cells with supported ones on both sides along an axis.

    Parameters
    ----------
    supported : in the table's shape.

    Returns
    -------
    True between them, in the table's shape.
    """
    out = np.zeros(supported.shape, bool)
    for axis in range(supported.ndim):
        before = np.maximum.accumulate(supported, axis=axis)
        after = np.flip(np.maximum.accumulate(np.flip(supported, axis), axis=axis), axis)
        out |= before & after
    return out


def _carried(step: Floats, supported: Mask, taper: bool) -> Floats:
    """Enrichment of the nearest supported cell, in cells without support; distances in cells."""
    from scipy.ndimage import distance_transform_edt

    distance, nearest = distance_transform_edt(~supported, return_indices=True)
    source = np.maximum(step[tuple(nearest)], 0.0)
    return np.asarray(source * 0.5**distance if taper else source)
