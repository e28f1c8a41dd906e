"""By what factor a table is wrong along a log, and what is left of the samples beside it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.drive.frame import Frame, read_along
from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.sieve.sieve import MANUAL_BIT, RULE_BITS, Sifted
from lean_trim.core.types import Floats, Mask


def of_the_table(observations: Observations, estimate: Estimate) -> Observations:
    """The observations less what film, warm-up and heat explain.

    Residuals and visits then speak of the table alone.

    Parameters
    ----------
    observations : as the sieve let them through.
    estimate : with the coefficients of the nuisance terms, if they were estimated.

    Returns
    -------
    The same samples with another k.
    """
    if not estimate.shared:
        return observations
    coefficients = np.array([c.value for c in estimate.shared])
    return replace(observations, k=observations.k - coefficients @ observations.terms.values)


def table_factor(frame: Frame, estimate: Estimate) -> Floats:
    """Factor by which the table is wrong along the log, by an estimate, shape (n,).

    Parameters
    ----------
    frame : the joined log.
    estimate : of its table.

    Returns
    -------
    Wanted over driven value, > 0.
    """
    wanted = estimate.table.values * (1.0 + np.nan_to_num(estimate.correction_pct) / 100.0)
    return np.asarray(read_along(frame.mesh, wanted) / frame.base)


def driven_factor(frame: Frame, estimate: Estimate) -> Floats:
    """Factor by which the table that was in the ECU was wrong along the log, shape (n,).

    Parameters
    ----------
    frame : the joined log, parts of which may have been driven on other tables.
    estimate : of the present table.

    Returns
    -------
    Wanted over driven value, > 0; what fuel and air of the log are to be compared by.
    """
    return table_factor(frame, estimate) * frame.base / frame.driven_base


FILM_RULES = ("tip", "fuel_cut", "crossed")
"""Rules that leave a sample out because of the film, so that they do not speak against it here."""


def film_evidence(
    prepared: Prepared, sifted: Sifted, observations: Observations, estimate: Estimate
) -> tuple[Floats, Mask]:
    """What the wall film's time constant is read from.

    Returns k less 1 and less what table and other terms explain, and the samples that may be
    judged; both (n,).
    """
    left = prepared.k - table_factor(prepared.frame, estimate)
    for coefficient, course in zip(estimate.shared, prepared.terms.values, strict=True):
        if coefficient.term is not Term.FILM:
            left = left - coefficient.value * course
    others = np.uint32(sum(int(bit) for name, bit in RULE_BITS.items() if name not in FILM_RULES))
    return left, np.asarray((sifted.reason_bits & (others | MANUAL_BIT)) == 0)
