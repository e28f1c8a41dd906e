"""What the next drive should show if the decided table is driven."""

from __future__ import annotations

import numpy as np

from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.types import Floats

LEAST_S = 0.5
"""Seconds in a cell from which it counts, as in the residual it foretells."""


def predict_residual(
    estimate: Estimate, decided: Floats, measured_rms: float, driven_s: Floats | None = None
) -> tuple[float, float] | None:
    """Residual of the next drive over the cells of this one.

    What is left in a cell is the wanted value over the decided one, known to within the standard
    error of the wanted one. Where those errors alone come to more than the drive was off, they were
    too large: the table as it was driven would show again what it showed.

    Parameters
    ----------
    estimate : what the present drive asks for.
    decided : values that will be driven, in the table's shape.
    measured_rms : what the present drive was off by, percent.
    driven_s : seconds of the present drive by cell; those behind the estimate if None, which are more
        where earlier drives count.

    Returns
    -------
    Expected root mean square by cell and its standard error, both percent; None if no cell was
    driven.
    """
    driven = estimate.table.values
    seconds = estimate.seconds if driven_s is None else driven_s.reshape(driven.shape)
    same = _expected(estimate, driven, seconds)
    found = _expected(estimate, decided, seconds)
    if same is None or found is None:
        return None
    over = measured_rms / same[0] if np.isfinite(measured_rms) and same[0] > 0.0 else 1.0
    scale = min(over, 1.0)
    return found[0] * scale, found[1] * scale


def _expected(estimate: Estimate, decided: Floats, seconds: Floats) -> tuple[float, float] | None:
    """Expected root mean square and its standard error, by the estimate's own errors."""
    wanted = estimate.table.values * (1.0 + estimate.correction_pct / 100.0)
    left = 100.0 * (wanted / decided - 1.0)
    error = estimate.own_error_pct
    counts = np.isfinite(left) & np.isfinite(error) & (seconds >= LEAST_S)
    if not counts.any():
        return None
    squares = left[counts] ** 2
    variances = error[counts] ** 2
    rms = float(np.sqrt(np.mean(squares + variances)))
    # Var(x²) of a normal x about m with variance v is 4 m² v + 2 v²; the root's error follows to
    # first order.
    of_mean = np.sum(4.0 * squares * variances + 2.0 * variances**2) / counts.sum() ** 2
    return rms, float(np.sqrt(of_mean) / (2.0 * rms)) if rms > 0.0 else 0.0
