"""Where on the table the engine was at a moment, and how it came there."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.drive.frame import Frame
from lean_trim.core.types import Floats

MOST_POINTS = 200
"""Points of a trail; of more only every second, third … is kept, and the last."""
GAP_S = 1.0
"""A trail does not lead over a gap in the log."""


def trail(frame: Frame, table: Table, at_s: float, behind_s: float) -> Floats:
    """Places on the axes from a while before a moment up to it.

    Parameters
    ----------
    frame : of the joined log, seen through the table.
    table : the one under correction.
    at_s : on the joined log, s.
    behind_s : how far back, s.

    Returns
    -------
    Fractional index along each axis, shape (n, axes), the moment last; none where it is not known, or
    where the log has a gap there.
    """
    time = frame.log.time_s
    if not len(time) or not time[0] <= at_s <= time[-1] + GAP_S:
        return np.zeros((0, len(table.axes)))
    last = int(np.searchsorted(time, at_s, side="right")) - 1
    first = min(int(np.searchsorted(time, at_s - behind_s, side="left")), last)
    if at_s - time[last] > GAP_S:
        return np.zeros((0, len(table.axes)))
    at = np.arange(first, last + 1)
    breaks = np.flatnonzero(np.diff(time[at]) > GAP_S)
    if len(breaks):
        at = at[breaks[-1] + 1 :]
    every = max(1, -(-len(at) // MOST_POINTS))
    # Counted from the moment, so that it is always one of them.
    at = at[::-1][::every][::-1]
    out = []
    for axis, values in zip(table.axes, frame.coordinates, strict=True):
        low, fraction = axis.locate(values[at])
        out.append(low + fraction)
    places = np.stack(out, axis=1)
    known = np.asarray(np.isfinite(places).all(axis=1))
    # A moment that is not known shows nothing, rather than where the engine was before.
    return places[known] if len(known) and known[-1] else places[:0]
