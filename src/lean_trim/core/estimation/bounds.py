"""Samples that bound the mixture and do not tell it: a censored likelihood beside the readings.

Where feedback rests at its stop, k is at least (or at most) what its trims make. Of a sample with
Gaussian noise the likelihood of lying beyond the bound b is Phi(z), z = side (mu - b) / sigma; its
slope and curvature are those of a reading at mu + side sigma h / w with the weight w, where h =
phi(z) / Phi(z) and w = h (h + z). Fitted again and again with such readings, the surface ends at the
maximum of the whole likelihood (Newton's method).

References
----------
Tobin, *Econometrica* 26, 1958 (censored regression; from memory).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.tables import Interpolation
from lean_trim.core.drive.nuisance_terms import SharedTerms
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.explained import explained
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats

NOISE = 0.02
"""Standard deviation of one sample about the table, as a share (common practice, no source)."""
LEAST_WEIGHT = 1e-3
"""Bounds so far from being reached say nothing and are left out of the fit."""
ROUNDS = 6
"""Fits at most; they settle to far below what is shown."""
SETTLED_PCT = 0.05
"""Largest change of a cell at which they have settled, percent."""
UNKNOWN_PCT = 5.0
"""How far beyond its stop a mixture may well be, percent: the scale of half a normal distribution
(a choice)."""
HALF_NORMAL_MEAN = float(np.sqrt(2.0 / np.pi))
HALF_NORMAL_SPREAD = float(np.sqrt(1.0 - 2.0 / np.pi))
"""Mean and standard deviation of half a normal distribution of scale 1."""


@dataclass(frozen=True, eq=False)
class Bounds:
    """Samples at a stop, k being the bound, and on which side of it the truth lies, (m,): 1 or -1."""

    at: Observations
    side: NDArray[np.int8]

    def __len__(self) -> int:
        return len(self.at)


def as_readings(
    k: Floats, side: NDArray[np.int8], model: Floats, noise: float = NOISE
) -> tuple[Floats, Floats]:
    """Readings that stand for bounds at what the model says now.

    Parameters
    ----------
    k : bounds, shape (m,).
    side : 1 where the truth is above, -1 where it is below, shape (m,).
    model : by the present estimate, shape (m,).
    noise : standard deviation of a sample.

    Returns
    -------
    Values and weights from 0 to 1, each of shape (m,).
    """
    from scipy.special import log_ndtr

    z = side * (model - k) / noise
    h = np.exp(-0.5 * z**2 - 0.5 * np.log(2.0 * np.pi) - log_ndtr(z))
    weight = np.clip(h * (h + z), 0.0, 1.0)
    value = model + side * noise * h / np.maximum(weight, LEAST_WEIGHT)
    return np.asarray(value), np.asarray(np.where(weight < LEAST_WEIGHT, 0.0, weight))


def with_bounds(observations: Observations, bounds: Bounds, estimate: Estimate) -> Observations:
    """Readings, and bounds as the readings they amount to at an estimate, in time order.

    Parameters
    ----------
    observations : readings.
    bounds : beside them.
    estimate : the present one.

    Returns
    -------
    Both as one.
    """
    value, weight = as_readings(bounds.at.k, bounds.side, explained(estimate, bounds.at))
    keep = weight > 0.0
    told = replace(bounds.at, k=value, weight=bounds.at.weight * weight).only(keep)
    return joined_with(observations, told)


def joined_with(one: Observations, more: Observations) -> Observations:
    """Both as one, in time order; runs of the second are runs of their own.

    Parameters
    ----------
    one, more : of one log.

    Returns
    -------
    As many as both have.
    """
    two = replace(more, run=more.run + (int(one.run.max()) + 1 if len(one) else 0))
    order = np.argsort(np.concatenate([one.index, two.index]), kind="stable")

    def both(a: NDArray[Any], b: NDArray[Any]) -> NDArray[Any]:
        return np.ascontiguousarray(np.concatenate([a, b])[order])

    terms = np.concatenate([one.terms.values, two.terms.values], axis=1)[:, order]
    return Observations(
        index=both(one.index, two.index),
        k=both(one.k, two.k),
        weight=both(one.weight, two.weight),
        seconds=both(one.seconds, two.seconds),
        run=both(one.run, two.run),
        mesh=Interpolation(
            both(one.mesh.cells, two.mesh.cells), both(one.mesh.weights, two.mesh.weights)
        ),
        terms=SharedTerms(one.terms.names, np.ascontiguousarray(terms)),
    )


@dataclass(frozen=True, eq=False)
class BoundSums:
    """How much of what each cell is told comes from bounds; adds up over logs.

    Attributes
    ----------
    whole, readings : weight of all, and of readings alone, by cell, flat.
    bounds, above : number of bounds by cell, and of those that say "at least".
    """

    whole: Floats
    readings: Floats
    bounds: Floats
    above: Floats

    def plus(self, other: BoundSums) -> BoundSums:
        """With what another log says."""
        return BoundSums(
            self.whole + other.whole,
            self.readings + other.readings,
            self.bounds + other.bounds,
            self.above + other.above,
        )

    @property
    def share(self) -> Floats:
        """Part of each cell's weight that comes from bounds, 0 to 1."""
        share = 1.0 - self.readings / np.maximum(self.whole, 1e-12)
        return np.asarray(np.clip(share, 0.0, 1.0) * (self.whole > 0.0))

    @property
    def richer(self) -> Floats:
        """Part of the bounds of each cell that say "at least", 0 to 1."""
        return np.asarray(self.above / np.maximum(self.bounds, 1e-12))


def bound_sums(
    observations: Observations, both: Observations, bounds: Bounds, size: int
) -> BoundSums:
    """What bounds say by cell.

    Parameters
    ----------
    observations : readings.
    both : readings and bounds as the readings they amount to.
    bounds : as they are.
    size : of the table.

    Returns
    -------
    Sums by cell, flat.
    """

    def by_cell(o: Observations, factor: Floats | None = None) -> Floats:
        weight = o.weight[:, None] * o.mesh.weights
        if factor is not None:
            weight = weight * factor[:, None]
        return np.asarray(np.bincount(o.mesh.cells.ravel(), weight.ravel(), size))

    above = by_cell(bounds.at, (bounds.side > 0).astype(float))
    return BoundSums(by_cell(both), by_cell(observations), by_cell(bounds.at), above)


def beyond_bounds(estimate: Estimate, sums: BoundSums) -> Estimate:
    """An estimate at the mean of what may lie beyond its bounds, which is where the fit ends.

    Parameters
    ----------
    estimate : fitted with bounds.
    sums : how much of each cell is theirs; what is "at most" is not made leaner for it.

    Returns
    -------
    The same with those cells richer, and with larger errors.
    """
    shape = estimate.own_error_pct.shape
    share = sums.share.reshape(shape)
    more = HALF_NORMAL_MEAN * UNKNOWN_PCT * share * sums.richer.reshape(shape)
    doubt = HALF_NORMAL_SPREAD * UNKNOWN_PCT * share
    return replace(
        estimate,
        correction_pct=estimate.correction_pct + more,
        own_error_pct=np.hypot(estimate.own_error_pct, doubt),
    )
