"""What lambda does about each quick change, the table's steady error removed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.log import extend_mask
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.regimes import fuel_cut
from lean_trim.core.transients.events import Transient
from lean_trim.core.types import Floats

BEFORE_S = 0.5
AFTER_S = 3.0
GRID_S = 0.05
GRID = np.round(np.arange(-BEFORE_S, AFTER_S + GRID_S / 2.0, GRID_S), 3)
"""Times from the edge at which every trace is read, s."""
SENSOR_LEAVES = 4.0
"""Time constants until less than 2 % of a step is left."""
PEAK_WITHIN_S = 1.5
SETTLED_PCT = 3.0
LEAST_SEEN = 0.6
"""Share of the time after the edge in which lambda has to be known."""
FLOOR_PCT = 1.0
"""Noise: smaller errors add nothing to an area."""


@dataclass(frozen=True, eq=False)
class Measured:
    """One change with its figures.

    Attributes
    ----------
    event : the change.
    error_pct : lambda over what the table's steady error leaves of its target, less 1, percent, on
        ``GRID``; NaN where no fuel was injected or lambda is unknown.
    lean_pct, rich_pct : peaks within 1.5 s of the edge, 0 or above; rich as a positive number.
    lean_area, rich_area : percent times seconds within 3 s.
    settles_s : when the error is last beyond 3 %, s from the edge.
    """

    event: Transient
    error_pct: Floats
    lean_pct: float
    rich_pct: float
    lean_area: float
    rich_area: float
    settles_s: float


def lambda_error_pct(frame: Frame, lam: Floats, k: Floats, sensor_s: float) -> Floats:
    """Lambda over its target at the fuel that was meant, percent, shape (n,).

    Lambda is moved to the moment of injection; what the table is wrong by in steady running is no
    transient.

    Parameters
    ----------
    frame : a log seen through its calibration.
    lam : lambda at the moment of injection, shape (n,).
    k : factor by which the table is wrong along the log, shape (n,).
    sensor_s : time constant of the sensor; it still shows the free air of a cut when fuel is back.

    Returns
    -------
    NaN where unknown, in fuel cuts, and until the sensor has left them.
    """
    with np.errstate(invalid="ignore", divide="ignore"):
        error = 100.0 * (lam * frame.trim / (frame.target * k) - 1.0)
    blind = extend_mask(fuel_cut(frame), frame.log.time_s, 0.0, SENSOR_LEAVES * sensor_s)
    return np.where(blind, np.nan, error)


def measure(time_s: Floats, error_pct: Floats, events: Sequence[Transient]) -> tuple[Measured, ...]:
    """Traces and figures of those changes whose answer is known.

    Parameters
    ----------
    time_s, error_pct : along the log, shape (n,).
    events : of the drive, in time order.

    Returns
    -------
    One for each change that was seen.
    """
    out = []
    # A change ends where the next one begins.
    ends = [e.edge_s for e in events[1:]] + [np.inf]
    for event, end in zip(events, ends, strict=True):
        trace = _trace(time_s, error_pct, event.edge_s, end)
        after = (GRID >= 0.0) & (min(PEAK_WITHIN_S, end - event.edge_s) >= GRID)
        if not after.any() or np.isfinite(trace[after]).mean() < LEAST_SEEN:
            continue
        out.append(_figures(event, trace))
    return tuple(out)


def _trace(time_s: Floats, error_pct: Floats, edge_s: float, end_s: float) -> Floats:
    first = max(int(np.searchsorted(time_s, edge_s - BEFORE_S)) - 1, 0)
    last = int(np.searchsorted(time_s, edge_s + AFTER_S, "right")) + 1
    at = edge_s + GRID
    trace = np.interp(at, time_s[first:last], error_pct[first:last], left=np.nan, right=np.nan)
    return np.where(at < end_s, trace, np.nan)


def _figures(event: Transient, trace: Floats) -> Measured:
    after = GRID >= 0.0
    near = after & (GRID <= PEAK_WITHIN_S)
    beyond = np.flatnonzero(after & (np.abs(np.nan_to_num(trace)) > SETTLED_PCT))
    off = np.nan_to_num(trace[after])
    return Measured(
        event=event,
        error_pct=trace,
        lean_pct=max(0.0, float(np.nanmax(trace[near]))),
        rich_pct=max(0.0, -float(np.nanmin(trace[near]))),
        lean_area=float(np.maximum(off - FLOOR_PCT, 0.0).sum()) * GRID_S,
        rich_area=float(np.maximum(-off - FLOOR_PCT, 0.0).sum()) * GRID_S,
        settles_s=float(GRID[beyond[-1]]) if len(beyond) else 0.0,
    )
