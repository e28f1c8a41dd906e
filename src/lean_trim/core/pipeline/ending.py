"""How a solve ends, of a drive or of a batch: residual, share of each log, what the fit adds to findings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.of_fit import with_fit
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.log_shares import LogShare, LogSums, shares_of
from lean_trim.core.estimation.residual import CellSums, Residual
from lean_trim.core.types import Floats


@dataclass(frozen=True, eq=False)
class Ending:
    """What is said of a solve as a whole."""

    residual: Residual
    logs: tuple[LogShare, ...]
    findings: tuple[Finding, ...]


def end_of(
    estimate: Estimate,
    cells: CellSums,
    sums: Sequence[LogSums],
    findings: Sequence[Finding],
    least_s: float,
    most_error_pct: float,
    coefficients: Floats | None = None,
) -> Ending:
    """Residual and shares, less what all samples share, and the findings with those of the fit.

    Parameters
    ----------
    estimate : the correction.
    cells : sums by cell over the logs a residual may be read from.
    sums : by log.
    findings : of the logs.
    least_s, most_error_pct : driving near a cell, s, and error, percent, from which a change is
        accepted.
    coefficients : of the terms the sums were made with, in their order; the estimate's own if None.

    Returns
    -------
    What a solve and a batch of logs say alike.
    """
    if coefficients is None:
        coefficients = np.array([c.value for c in estimate.shared])
    shares = shares_of(sums, estimate, coefficients)
    return Ending(
        residual=cells.residual(coefficients),
        logs=shares,
        findings=with_fit(tuple(findings), estimate, shares, least_s, most_error_pct),
    )
