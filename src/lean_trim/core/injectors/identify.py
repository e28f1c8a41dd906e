"""Flow scale, dead-time shift and airflow surface as joint unknowns.

ln k = g(x) - ln s - ln(1 - δ/e) + terms, where k is what trims and λ ask of the table, e the open
time the ECU reckons with, s true flow over the sheet's, δ true dead time less the sheet's, g the
airflow table's own error. A constant g *is* a flow error, so the flow is only as good as the word
about the table's level. g has a Gaussian prior: a level (its mean over the states driven) by the
user's trust, about which a smooth shape and a scatter of cells lie, whose strengths the drive tells
(marginal likelihood). Flow and dead time are learned between places only: within one, noise of the
pressure sensor moves table and open time together and would pass for them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.drive.nuisance_terms import spreads_of
from lean_trim.core.estimation.places import Places, driven_cells
from lean_trim.core.estimation.table_errors import alike, distances
from lean_trim.core.injectors.measured import Measured
from lean_trim.core.types import Floats

FLOW_SPREAD = 0.5
DEAD_SPREAD_MS = 0.4
"""Standard deviations of ln s and δ before any driving; injectors of twice the size are within
them."""
WIDER = 2.0
"""Factor on both where the size changed by more than two."""
SHAPES = (0.003, 0.01, 0.02, 0.04, 0.08)
SCATTERS = (0.001, 0.004, 0.01, 0.02)
"""Strengths of the airflow surface's shape and of single cells that are tried, as relative
error."""
LENGTHS = (0.15, 0.35)
"""Lengths of the shape that are tried, as a share of each axis."""
CELL_MISFIT = 0.004
"""What a bilinear table cannot hold within a cell, relative (a trial on random cars)."""
MODEL_DEAD_MS = 0.008
"""Error of a dead time that no driving removes (a trial on random cars)."""
NEWTON_STEPS = 6
ENOUGH = 1e-6
DOUBTED = 1.5
"""A shape this much larger than the trust takes the word back."""


@dataclass(frozen=True, eq=False)
class Split:
    """What a drive says of flow, dead time and airflow.

    Attributes
    ----------
    log_flow, dead_ms : ln of true flow over the sheet's, and true dead time less the sheet's.
    covariance : of the two, shape (2, 2).
    airflow : relative error of the table left to it, flat, NaN where nobody drove; ``airflow_se``
        its error.
    terms : coefficients of the nuisance terms, shape (q,); ``terms_covariance`` theirs, (q, q).
    shape : strength of the airflow surface's own shape, relative, as the drive tells it.
    trust : standard deviation of the table's mean error that was reckoned with, relative.
    word_holds : whether the user's trust stands against the drive.
    flow_measured : whether the flow was measured apart from the airflow table.
    residual : of every place, ln, shape (p,).
    """

    log_flow: float
    dead_ms: float
    covariance: Floats
    airflow: Floats
    airflow_se: Floats
    terms: Floats
    terms_covariance: Floats
    shape: float
    trust: float
    word_holds: bool
    flow_measured: bool
    residual: Floats

    @property
    def flow_scale(self) -> float:
        """True flow over the sheet's."""
        return float(np.exp(self.log_flow))

    @property
    def flow_se(self) -> float:
        """Standard error of the flow scale; never below the trust in the table, unless it was measured."""
        told = float(np.sqrt(self.covariance[0, 0]))
        return self.flow_scale * (told if self.flow_measured else max(told, self.trust))

    @property
    def dead_se_ms(self) -> float:
        """Standard error of the dead-time shift, ms."""
        return float(np.sqrt(self.covariance[1, 1]))

    @property
    def correlation(self) -> float:
        """Of the two: near -1 or 1 the drive tells only their mixture."""
        return float(self.covariance[0, 1] / np.sqrt(self.covariance[0, 0] * self.covariance[1, 1]))


def split(
    places: Places,
    table: Table,
    unit: float,
    trust: float,
    film_spread: float,
    measured: Sequence[Measured] = (),
    wide: bool = False,
) -> Split:
    """Tell flow, dead time and airflow apart.

    Parameters
    ----------
    places : of a drive.
    table : the airflow table it was driven on.
    unit : precision of ln k of one second at full worth.
    trust : standard deviation of the table's mean error over the driven states, relative, above 0.
    film_spread : of the wall film's share before any driving.
    measured : apart from the drive's mixture.
    wide : whether the injectors are of quite another size, so that their data may be further off.

    Returns
    -------
    Estimates with their errors, over all strengths of the surface that the drive leaves open.
    """
    model = _Model(places, table, unit, film_spread, measured, wide)
    tried = model.fit_all(trust)
    shape = _mean([f.shape for f in tried], tried)
    holds = shape <= DOUBTED * trust
    if not holds:
        # A table whose shape is off by more than its level is said to be cannot be trusted for its
        # level.
        trust = shape
        tried = model.fit_all(trust)
        shape = _mean([f.shape for f in tried], tried)
    return _pooled(tried, shape, trust, holds, model)


@dataclass(frozen=True, eq=False)
class _Fit:
    """One fit at given strengths."""

    shape: float
    evidence: float
    unknown: Floats
    covariance: Floats
    airflow_se: Floats
    terms_covariance: Floats


def _weights(tried: list[_Fit]) -> Floats:
    evidence = np.array([f.evidence for f in tried])
    raw = np.exp(evidence - evidence.max())
    return np.asarray(raw / raw.sum())


def _mean(values: list[float], tried: list[_Fit]) -> float:
    return float(np.sum(_weights(tried) * np.array(values)))


def _pooled(tried: list[_Fit], shape: float, trust: float, holds: bool, model: _Model) -> Split:
    """Mean over the strengths, by how well each explains the drive; what they differ by is error."""
    weights = _weights(tried)
    unknown = np.sum([w * f.unknown for w, f in zip(weights, tried, strict=True)], axis=0)
    size = model.size
    pair = slice(size, size + 2)
    spread = np.zeros((2, 2))
    terms = slice(size + 2, None)
    of_terms = np.zeros((model.count - size - 2,) * 2)
    airflow_variance = np.zeros(size)
    for w, f in zip(weights, tried, strict=True):
        apart = f.unknown[pair] - unknown[pair]
        spread += w * (f.covariance + np.outer(apart, apart))
        others = f.unknown[terms] - unknown[terms]
        of_terms += w * (f.terms_covariance + np.outer(others, others))
        airflow_variance += w * (f.airflow_se**2 + (f.unknown[:size] - unknown[:size]) ** 2)
    spread[1, 1] += MODEL_DEAD_MS**2
    return Split(
        log_flow=float(unknown[size]),
        dead_ms=float(unknown[size + 1]),
        covariance=spread,
        airflow=model.whole(unknown[:size]),
        airflow_se=model.whole(np.sqrt(airflow_variance)),
        terms=unknown[terms],
        terms_covariance=of_terms,
        shape=shape,
        trust=trust,
        word_holds=holds,
        flow_measured=bool((model.stated[:, 0] != 0.0).any()),
        residual=model.residual(unknown),
    )


def _inverse_from(lower: Floats) -> Floats:
    """The inverse of a matrix by its lower Cholesky factor: a quarter of the work of inverting that."""
    from scipy.linalg.lapack import dpotri

    half = np.tril(dpotri(lower, lower=1)[0])
    return np.asarray(half + half.T - np.diag(np.diag(half)), float)


class _Model:
    """The unknowns are the cells, then ln s, δ and the nuisance terms."""

    def __init__(
        self,
        places: Places,
        table: Table,
        unit: float,
        film_spread: float,
        measured: Sequence[Measured],
        wide: bool,
    ) -> None:
        self.places = places
        self.stated = np.array([[m.flow, m.dead_per_ms] for m in measured]).reshape(-1, 2)
        self.said = np.array([m.value for m in measured])
        self.said_variance = np.array([m.sd**2 for m in measured])
        # Cells nobody read say nothing, and leaving them out changes nothing but the time it takes.
        self.cells = np.flatnonzero(driven_cells(places, table.size))
        self.size = len(self.cells)
        self.table_size = table.size
        self.unit = unit
        self.count = self.size + 2 + len(places.names)
        _, whose, count = np.unique(places.cells[:, 0], return_inverse=True, return_counts=True)
        # Places of one cell share what a bilinear table cannot hold there; counted apart it would
        # shrink.
        self.variance = 1.0 / (unit * places.weight) + CELL_MISFIT**2 * count[whose]
        widened = WIDER if wide else 1.0
        of_injectors = (widened * FLOW_SPREAD, widened * DEAD_SPREAD_MS)
        self.spreads = np.array([*of_injectors, *spreads_of(places.names, film_spread)])
        mesh = np.zeros((len(places), table.size))
        for cells, shares in zip(places.cells.T, places.shares.T, strict=True):
            np.add.at(mesh, (np.arange(len(places)), cells), shares)
        self.mesh = mesh[:, self.cells]
        self.of_cells = self.mesh.T @ (self.mesh / self.variance[:, None])
        self.start: Floats | None = None
        apart = distances(table, self.cells)
        driven = self.mesh.T @ places.seconds
        self.about_mean = np.eye(self.size) - driven / driven.sum()
        self.near = {length: self._mean_free(alike(apart, length)) for length in LENGTHS}
        self.alone = self._mean_free(np.eye(self.size))

    def _mean_free(self, covariance: Floats) -> Floats:
        """The same errors less their mean over the states driven: of that the trust speaks."""
        return np.asarray(self.about_mean @ covariance @ self.about_mean.T)

    def whole(self, values: Floats) -> Floats:
        """Values of the driven cells on the whole table, flat; NaN elsewhere."""
        out = np.full(self.table_size, np.nan)
        out[self.cells] = values
        return out

    def predicted(self, unknown: Floats) -> Floats:
        """Ln k at every place."""
        cells = unknown[: self.size]
        flow = unknown[self.size]
        dead = unknown[self.size + 1]
        open_share = np.maximum(1.0 - dead / self.places.open_ms, 0.05)
        terms = self.places.terms @ unknown[self.size + 2 :]
        return np.asarray(self.mesh @ cells - flow - np.log(open_share) + terms)

    def residual(self, unknown: Floats) -> Floats:
        """What is left at every place."""
        return self.places.y - self.predicted(unknown)

    def fit_all(self, trust: float) -> list[_Fit]:
        """A fit at every strength and length of the airflow surface."""
        return [self.fit(trust, *words) for words in product(SHAPES, SCATTERS, LENGTHS)]

    def fit(self, trust: float, shape: float, scatter: float, length: float) -> _Fit:
        """The most likely unknowns at given strengths, and how well those explain the drive."""
        from scipy.linalg import cho_solve

        prior = trust**2 + shape**2 * self.near[length] + scatter**2 * self.alone
        lower: Floats = np.asarray(
            np.linalg.cholesky(prior + 1e-12 * np.eye(self.size)), np.float64
        )
        precision = np.zeros((self.count, self.count))
        precision[: self.size, : self.size] = _inverse_from(lower)
        others = np.arange(self.size, self.count)
        precision[others, others] = 1.0 / self.spreads**2
        unknown = np.zeros(self.count) if self.start is None else self.start
        factor = precision
        for _ in range(NEWTON_STEPS):
            others_of = self._other_rows(unknown)
            matrix = precision + self._information(others_of)
            pair = slice(self.size, self.size + 2)
            by_statement = self.stated.T / self.said_variance
            matrix[pair, pair] += by_statement @ self.stated
            weighted = self.residual(unknown) / self.variance
            right = (
                np.concatenate([self.mesh.T @ weighted, others_of.T @ weighted])
                - precision @ unknown
            )
            right[self.size + 2 :] += self.unit * (
                self.places.within_y - self.places.within @ unknown[self.size + 2 :]
            )
            right[pair] += by_statement @ (self.said - self.stated @ unknown[pair])
            factor = np.asarray(np.linalg.cholesky(matrix), np.float64)
            step = cho_solve((factor, True), right, check_finite=False)
            unknown = unknown + step
            if float(np.abs(step).max()) < ENOUGH:
                break
        # The next strengths end near where these did.
        self.start = unknown
        log_prior = 2.0 * float(np.sum(np.log(np.diag(lower))))
        return self._finished(unknown, factor, precision, log_prior, shape)

    def _finished(
        self, unknown: Floats, factor: Floats, precision: Floats, log_prior: float, shape: float
    ) -> _Fit:
        covariance = _inverse_from(factor)
        pair = slice(self.size, self.size + 2)
        misfit = float(np.sum(self.residual(unknown) ** 2 / self.variance))
        misfit += float(np.sum((self.said - self.stated @ unknown[pair]) ** 2 / self.said_variance))
        cost = float(unknown @ precision @ unknown)
        log_posterior = 2.0 * float(np.sum(np.log(np.diag(factor))))
        return _Fit(
            shape=shape,
            evidence=-0.5 * (misfit + cost + log_prior + log_posterior),
            unknown=unknown,
            covariance=covariance[pair, pair],
            airflow_se=np.sqrt(np.diag(covariance)[: self.size]),
            terms_covariance=covariance[self.size + 2 :, self.size + 2 :],
        )

    def _other_rows(self, unknown: Floats) -> Floats:
        """Derivatives of ln k by all unknowns but the cells, at every place."""
        open_ms = np.maximum(self.places.open_ms - unknown[self.size + 1], 0.05)
        flow = -np.ones((len(self.places), 1))
        return np.hstack([flow, (1.0 / open_ms)[:, None], self.places.terms])

    def _information(self, others: Floats) -> Floats:
        """What the places say of all unknowns; within places only the terms learn something."""
        weighted = others / self.variance[:, None]
        out = np.empty((self.count, self.count))
        out[: self.size, : self.size] = self.of_cells
        out[: self.size, self.size :] = self.mesh.T @ weighted
        out[self.size :, : self.size] = out[: self.size, self.size :].T
        out[self.size :, self.size :] = others.T @ weighted
        out[self.size + 2 :, self.size + 2 :] += self.unit * self.places.within
        return out
