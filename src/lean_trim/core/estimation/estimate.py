"""The common result of both methods of estimation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import Table
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.types import Floats, Ints


@dataclass(frozen=True)
class Coefficient:
    """Coefficient of a term all samples share, with its standard error; see ``nuisance_terms``.

    ``at_limit``: by the samples alone it would lie where it cannot.
    """

    term: Term
    value: float
    std_error: float
    at_limit: bool = False


@dataclass(frozen=True, eq=False)
class FitState:
    """Where a surface fit ended.

    Unknowns (cells, then the nuisance terms' coefficients), log strengths of the two priors, and
    noise figures.
    """

    unknown: Floats
    strengths: tuple[float, float]
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
    own_error_pct : one standard error, percent points; NaN where the method says nothing.
    seconds, visits, near_s : evidence behind the cell, see ``evidence``.
    supported : cells with enough evidence of their own to be changed.
    method : "surface" or "average".
    iterations, converged : of the robust fit (1, True for averages); one that did not converge is a
        finding.
    shared : coefficients of what shifts k beside the table; empty where the method does not tell.
    state : where the surface fit ended, to begin the next one from; None for averages.
    """

    table: Table
    correction_pct: Floats
    own_error_pct: Floats
    seconds: Floats
    visits: Ints
    near_s: Floats
    supported: NDArray[np.bool_]
    method: str
    iterations: int = 1
    converged: bool = True
    shared: tuple[Coefficient, ...] = ()
    state: FitState | None = None

    def of(self, term: Term) -> Coefficient | None:
        """Coefficient of a term, None where it was not estimated.

        Returns value and error.
        """
        return next((c for c in self.shared if c.term is term), None)

    @property
    def wall_x(self) -> float:
        """Share of injected fuel that joins the wall film; NaN where the method does not tell."""
        found = self.of(Term.FILM)
        return np.nan if found is None else found.value

    @property
    def wall_x_se(self) -> float:
        """Its standard error."""
        found = self.of(Term.FILM)
        return np.nan if found is None else found.std_error
