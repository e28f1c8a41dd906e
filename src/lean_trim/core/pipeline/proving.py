"""From the drive after a round to what it proves of that round."""

from __future__ import annotations

import numpy as np

from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.core.proving.places import Steady, steady_places
from lean_trim.core.sieve.sieve import RULE_BITS, Sifted
from lean_trim.core.types import Floats

BESIDE_TABLE = ("enrichment",)
"""Rules that leave a sample out because its fuel is not that of the table that is said to be in the ECU,
which is what is asked here."""


def needed_along(prepared: Prepared, sifted: Sifted, surface: Estimate | None) -> Floats:
    """Trims · lambda / target, less what film, warm-up and heat explain.

    Parameters
    ----------
    prepared, sifted : the drive as the sieve saw it.
    surface : with what film, warm-up and heat make; None where too little was left to fit.

    Returns
    -------
    Shape (n,); NaN where the sieve leaves a sample out for another reason than its fuel.
    """
    frame = prepared.frame
    with np.errstate(invalid="ignore", divide="ignore"):
        k = frame.trim * prepared.conditions.lam / frame.target
    if surface is not None:
        known = {c.term: c.value for c in surface.shared}
        coefficients = np.array([known.get(name, 0.0) for name in prepared.terms.names])
        k = k - coefficients @ prepared.terms.values
    ours = np.uint32(sum(int(RULE_BITS[name]) for name in BESIDE_TABLE))
    use = (sifted.reason_bits & ~ours) == 0
    return np.asarray(np.where(use & (k > 0.0), k, np.nan))


def steady_of(drive: Solution | TooFewError) -> Steady:
    """Steady running of a drive by places.

    Parameters
    ----------
    drive : solved; or refused, for its fuel was not that of the table that is said to be in the ECU.

    Returns
    -------
    The places.
    """
    surface = drive.measured.surface if isinstance(drive, Solution) else None
    conditions = drive.prepared.conditions
    needed = needed_along(drive.prepared, drive.sifted, surface)
    return steady_places(conditions.motion, conditions.regime.astype(np.intp), needed)
