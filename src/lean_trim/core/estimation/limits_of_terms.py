"""Coefficients that cannot lie everywhere: a fit moved to where nature ends.

The fit knows every coefficient as a normal distribution. Heat, soak and unburnt fuel are never below
nothing, and the share of a fall of intake air that the air did not share is hardly more than the whole.
One that comes out beyond its limit is put there, and the cells move along as far as they depend on it:
its most likely value, not its mean, for a drive that tells nothing of a coefficient would then change
the table. Nothing jumps, wherever the unbounded value lies. Errors stay what they were: a limit proves
no cell.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.bordered import Bordered
from lean_trim.core.types import Floats, Mask

MOST_SOAK = 1.25
"""The whole of a fall of intake air, and what the fall is read too small by where the air got
warmer meanwhile, as under the bonnet of an engine that idles (a choice)."""
LIMITS: dict[Term, tuple[float, float]] = {
    Term.COLD: (0.0, np.inf),
    Term.SOAK: (0.0, MOST_SOAK),
    Term.HEAT: (0.0, np.inf),
}


def within_limits(names: Sequence[Term], unknown: Floats, inverse: Bordered) -> tuple[Floats, Mask]:
    """A fit whose coefficients are kept where they can lie.

    Parameters
    ----------
    names : of the coefficients, (q,).
    unknown : cells, then coefficients, (n + q,).
    inverse : covariance of both; its band is not looked at.

    Returns
    -------
    The same unknowns, given that those coefficients lie at their limits (conditional mean of a normal
    distribution, one after the other), and which did not by themselves, (q,).
    """
    n = len(unknown) - len(names)
    # Covariance of everything with the coefficients, (n + q, q).
    across = np.vstack([inverse.border.T, inverse.corner])
    found = unknown.copy()
    beyond = np.zeros(len(names), bool)
    for i, name in enumerate(names):
        low, high = LIMITS.get(name, (-np.inf, np.inf))
        beyond[i] = not low <= found[n + i] <= high
        if beyond[i]:
            gain = across[:, i] / across[n + i, i]
            found = found + gain * (np.clip(found[n + i], low, high) - found[n + i])
            # What lies at a limit is known there: the next ones do not move it again.
            across = across - np.outer(gain, across[n + i])
    return found, beyond
