"""The common result of both schools of estimation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import Table
from lean_trim.core.types import Floats, Ints


@dataclass(frozen=True, eq=False)
class FitState:
    """Where a surface fit ended.

    Unknowns (cells, then wall-film share), log strengths of the two priors, and noise figures.
    """

    unknown: Floats
    theta: tuple[float, float]
    scale: float
    inflation: float
    misfit: float
    parameters: float


@dataclass(frozen=True, eq=False)
class Estimate:
    """Correction per cell with its uncertainty. Arrays have the table's shape.

    Attributes
    ----------
    table : the table the log was driven on.
    correction_pct : wanted change of the cell, percent; NaN where the method says nothing.
    std_error_pct : one standard error, percent points; NaN where the method says nothing.
    seconds, visits : evidence behind the cell.
    supported : cells with enough evidence of their own to be changed.
    method : "surface" or "average".
    iterations, converged : of the robust fit (1, True for averages); one that did not converge is a finding.
    wall_x, wall_x_se : share of injected fuel that joins the wall film at the default time constant, as far
        as it shows in the used samples, with its standard error; NaN where the method does not tell.
    state : where the surface fit ended, to begin the next one from; None for averages.
    """

    table: Table
    correction_pct: Floats
    std_error_pct: Floats
    seconds: Floats
    visits: Ints
    supported: NDArray[np.bool_]
    method: str
    iterations: int = 1
    converged: bool = True
    wall_x: float = np.nan
    wall_x_se: float = np.nan
    state: FitState | None = None
