"""Coefficients that cannot lie everywhere: a fit that is normal, cut off where nature ends.

The fit knows every coefficient as a normal distribution. Heat, soak and unburnt fuel are never below
nothing, and the share of a fall of intake air that the air did not share is hardly more than the whole.
What is known then is the part of the distribution that is left. Its most likely value moves the cells
along with it, as far as they depend on the coefficient: not its mean, for a drive that tells nothing of
a coefficient would then change the table. Nothing jumps, wherever the unbounded value lies.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.bordered import Bordered
from lean_trim.core.types import Floats, Mask

MOST_SOAK = 1.25
"""The whole of a fall of intake air, and what the fall is read too small by where the air got warmer
meanwhile, as under the bonnet of an engine that idles (a choice)."""
LIMITS: dict[Term, tuple[float, float]] = {
    Term.COLD: (0.0, np.inf),
    Term.SOAK: (0.0, MOST_SOAK),
    Term.HEAT: (0.0, np.inf),
}
FAR = 30.0
"""Standard deviations outside from which what is left of the distribution is only its tail."""


@dataclass(frozen=True, eq=False)
class Limited:
    """What is left of a fit within the limits.

    Attributes
    ----------
    unknown : cells, then coefficients, (n + q,).
    less : variance the cells lose by it, (n,).
    std_error : of the coefficients, (q,).
    beyond : coefficients whose mean would have lain outside, (q,).
    """

    unknown: Floats
    less: Floats
    std_error: Floats
    beyond: Mask


def truncated(mean: float, std: float, low: float, high: float) -> tuple[float, float]:
    """Mean and standard deviation of a normal distribution cut off at both ends.

    Parameters
    ----------
    mean, std : of the whole, std > 0.
    low, high : ends, low < high; infinite for none.

    Returns
    -------
    Of what is left (Johnson, Kotz, Balakrishnan, Continuous Univariate Distributions 1, ch. 13; the
    tests hold it against SciPy).
    """
    from scipy.special import log_ndtr

    # Far outside only the tail is left, which falls as an exponential does.
    for end, off in ((low, low - mean), (high, mean - high)):
        if off > FAR * std:
            left = std**2 / off * (1.0 - 2.0 * (std / off) ** 2)
            return (end + left if end == low else end - left), left
    # Of the half on which both ends are, so that differences of small numbers are not lost.
    sign = -1.0 if low + high > 2.0 * mean else 1.0
    a, b = sorted((sign * (low - mean) / std, sign * (high - mean) / std))
    top, bottom = float(log_ndtr(b)), float(log_ndtr(a))
    mass = np.exp(top) - np.exp(bottom)
    at = [
        0.0 if np.isinf(x) else float(np.exp(-0.5 * x * x) / np.sqrt(2.0 * np.pi)) for x in (a, b)
    ]
    shift = (at[0] - at[1]) / mass
    moment = sum(s * x * p for s, x, p in ((1.0, a, at[0]), (-1.0, b, at[1])) if p) / mass
    return mean + sign * shift * std, std * float(np.sqrt(max(1.0 + moment - shift**2, 0.0)))


def within_limits(names: Sequence[Term], unknown: Floats, inverse: Bordered) -> Limited:
    """A fit whose coefficients are kept where they can lie.

    Parameters
    ----------
    names : of the coefficients, (q,).
    unknown : cells, then coefficients, (n + q,).
    inverse : covariance of both; its band is not looked at.

    Returns
    -------
    The fit and its errors, one coefficient after the other.
    """
    n = len(unknown) - len(names)
    # Covariance of everything with the coefficients, (n + q, q).
    across = np.vstack([inverse.border.T, inverse.corner])
    found = unknown.copy()
    less = np.zeros(n)
    beyond = np.zeros(len(names), bool)
    for i, name in enumerate(names):
        if name not in LIMITS:
            continue
        variance = float(across[n + i, i])
        low, high = LIMITS[name]
        beyond[i] = not low <= found[n + i] <= high
        _, std = truncated(float(found[n + i]), float(np.sqrt(variance)), low, high)
        gain = across[:, i] / variance
        found = found + gain * (min(max(float(found[n + i]), low), high) - found[n + i])
        lost = variance - std**2
        less += gain[:n] ** 2 * lost
        across = across - np.outer(gain, gain[n:]) * lost
    return Limited(found, less, np.sqrt(np.maximum(np.diag(across[n:]), 0.0)), beyond)
