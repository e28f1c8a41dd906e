"""Iteratively reweighted least squares of the surface estimate, over samples sorted by place."""

from __future__ import annotations

from functools import partial

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.estimation.bordered import Bordered, Factor
from lean_trim.core.estimation.carried import Carried, no_readings
from lean_trim.core.estimation.estimate import FitState
from lean_trim.core.estimation.known import known_of
from lean_trim.core.estimation.noise import LONGEST_S
from lean_trim.core.estimation.samples import Samples
from lean_trim.core.estimation.surface_prior import WEAK, Prior, Strengths
from lean_trim.core.parallel import run_parallel
from lean_trim.core.robust import MAD_TO_SIGMA
from lean_trim.core.types import Floats, Ints

START_SCALE = 0.02
"""Scatter of k the first pass begins with; no result depends on it."""
START_INFLATION_S = 1.0
"""Correlation time the first pass begins with, s; no result depends on it."""
SMALLEST_SCALE = 1e-4
"""Scatter below which a log is smoother than any sensor: kept from dividing by nothing."""
LEAST_MISFIT = 0.0035
"""What no table holds of a place at least, relative. Were it let go to 0, long driving at a few
places would
count for all it is worth, stay alike for long because of what the table cannot hold there, and hide
it."""
FIRST_LOOK = 12
"""Of a long log every so many rows serve the passes that only set strengths."""
ALL = 1 << 40
"""More rows than any log has."""
MANY = 200_000
"""Rows looked at in a place in the early passes over many samples, in the last ones, and what is
many."""
BLOCK = 2048
"""Samples worked on at a time, so that they stay in the processor's cache."""
BLOCKS = 40
BLOCKS_EARLY = 16
"""Correlation is read from stretches of so many samples, so many of them at most, evenly spread;
from fewer
before the last strengths are known.
"""
LOG_DOUBT = float(np.log(200.0))
"""How much less smoothing may be right around one lone point than what fits the whole table best,
in logs."""
SETTLED = 1e-4
"""Largest movement of a cell that ends the fit, as a share: a hundredth of a percent."""
LOOSELY = 5e-4
"""Largest move of a cell that ends an iteration (0.01 % and, in the early passes, 0.05 %)."""


class SurfaceFit:
    """The fit while it runs.

    The noise and how long it stays correlated are first read from a fit that hardly smooths; read
    from a fit that smooths too much they would take its misfit for noise and confirm it.
    """

    def __init__(
        self,
        samples: Samples,
        table: Table,
        spread: float,
        term_spreads: Floats,
        huber: float,
        carried: Carried | None = None,
    ) -> None:
        self.samples = samples
        self.rows = samples.rows
        self.starts = samples.starts
        self.base = samples.base
        self.huber = huber
        self.values = np.ascontiguousarray(table.values.ravel())
        self.prior = Prior(table, spread, term_spreads)
        self.shared = len(term_spreads)
        before = no_readings(table) if carried is None else carried
        self.known = known_of(before, table, self.prior.band, self.shared)
        self.unknown = np.zeros(table.size + self.shared)
        self.scale = START_SCALE
        self.inflation = START_INFLATION_S
        self.noisiest = np.inf
        self.iterations = 0
        self.misfit = 0.0
        self.parameters = 0.0
        self.strengths: Strengths = WEAK
        self.matrix: Bordered
        self.right: Floats
        self.factor: Factor
        self.sums: Floats

    @property
    def _all_told(self) -> tuple[Bordered, Floats]:
        """Normal equations of this drive and of the ones before, in units of precision."""
        matrix = self.known.matrix.plus(self.matrix, self.unit)
        return matrix, self.known.right + self.unit * self.right

    @property
    def unit(self) -> float:
        """Precision of one second of driving."""
        return 1.0 / (self.scale**2 * self.inflation)

    def run(self, most: int) -> bool:
        """Fit until it settles; True if it did.

        Parameters
        ----------
        most : rounds of reweighting, >= 1.

        Returns
        -------
        Whether the unknowns came to rest.
        """
        # Early passes only set strengths and noise, so a sample of the rows will do for long logs.
        rows = ALL if self.rows.shape[1] <= MANY else FIRST_LOOK
        # A fit that hardly smooths comes first: its residuals are noise, not misfit of the prior.
        self._iterate(WEAK, 3, rows, LOOSELY, 2)
        # What a stronger prior leaves beyond this is its misfit; taken for noise it would confirm
        # itself.
        self.noisiest = self.scale
        near = None
        # Strengths and weights depend on each other; a third turn changed nothing on the cars
        # tried.
        for _ in range(2):
            strengths = self.prior.choose(*self._all_told, 1.0, near)
            near = float(np.log(np.exp(strengths[0]) + np.exp(strengths[1])))
            self._iterate(strengths, most, rows, LOOSELY, 1)
        return self._iterate(strengths, most, ALL, SETTLED, 0)

    def run_from(self, state: FitState, most: int) -> bool:
        """Fit from where an earlier fit of nearly the same samples ended; its strengths are kept.

        Parameters
        ----------
        state : where the earlier fit ended.
        most : rounds of reweighting, >= 1.

        Returns
        -------
        Whether the unknowns came to rest.
        """
        self.unknown = state.unknown.copy()
        self.scale = state.scale
        self.inflation = state.inflation
        self.misfit = state.misfit
        self.parameters = state.parameters
        # Not 0, so that the first pass already weighs robustly: the start is close to the answer.
        self.iterations = 1
        return self._iterate(state.strengths, most, ALL, SETTLED, 0)

    def deviations(self, inverse: Bordered) -> Floats:
        """Standard deviation of every cell's correction, flat.

        One strength of smoothing is read from the whole table. Where one point was driven and the
        surface bends more than elsewhere, as it does towards idle, the cells around are known
        through smoothness alone; in so far as that is so, they get the error a weaker smoothing
        would give them.

        Parameters
        ----------
        inverse : of the fit's own matrix.
        """
        softer = self.strengths[0] - LOG_DOUBT, self.strengths[1] - LOG_DOUBT
        doubted = Factor(self.prior.precision(softer).plus(self._all_told[0])).inverse()
        # Squared: with a handful of places around it a cell is held from several sides.
        share = 1.0 / self.places_by_cell() ** 2
        variance = (1.0 - share) * inverse.lower[0] + share * doubted.lower[0]
        return np.asarray(np.sqrt(np.maximum(variance, 0.0)))

    def places_by_cell(self) -> Floats:
        """Number of places with evidence around each cell, flat, at least 1; little counts in part."""
        weight = self.sums[:, -2] * self._place_shares()
        # Earlier readings are counted in the same unit.
        first = self.known.first / self.unit
        second = self.known.second / self.unit**2
        for cells in self._corners():
            np.add.at(first, cells, weight)
            np.add.at(second, cells, weight**2)
        return np.asarray(np.maximum(first**2 / np.where(second > 0.0, second, 1.0), 1.0))

    @property
    def state(self) -> FitState:
        """Where the fit is now."""
        return FitState(
            self.unknown, self.strengths, self.scale, self.inflation, self.misfit, self.parameters
        )

    def _iterate(
        self, strengths: Strengths, most: int, rows: int, enough: float, read_at: int
    ) -> bool:
        """Fit at given strengths until no cell moves more than ``enough``; the noise is read in one step."""
        self.strengths = strengths
        precision = self.prior.precision(strengths)
        linear = self.prior.linear(strengths)
        for step in range(most):
            self._weigh(rows)
            if step == read_at:
                self._read_noise(BLOCKS if enough == SETTLED else BLOCKS_EARLY)
            told, right = self._all_told
            self.factor = Factor(precision.plus(told))
            new = self.factor.solve(linear + right)
            moved = float(np.max(np.abs(new - self.unknown)))
            self.unknown = new
            # The inverse is the dearest part of a step and hardly changes between steps of one
            # strength.
            if step == 0 or strengths == WEAK:
                self.parameters = self.factor.inverse().dot(self.matrix) * self.unit
            if moved < enough:
                return True
        return False

    def _weigh(self, rows: int) -> None:
        """Robust weights at the present unknowns, and from them scale, misfit and normal equations."""
        from lean_trim.core.kernels.fit_loops import assemble, median_of

        self.iterations += 1
        # No residual is known before the first pass, so none can be called wild.
        huber = self.huber if self.iterations > 1 else 1e6
        width = self.prior.width
        self.sums, histogram = self._sum(huber, rows)
        # Before the first pass residuals are the table's own error, which is no noise.
        if self.iterations > 1:
            scatter = MAD_TO_SIGMA * median_of(histogram, self.scale)
            self.scale = min(max(scatter, SMALLEST_SCALE), self.noisiest)
        # With no residual yet there is nothing to tell misfit from.
        if self.iterations > 1:
            self.misfit = self._misfit_of_places()
        share = self._place_shares()
        lower, border, corner, self.right = assemble(
            self.sums, share, self.base, width, len(self.values), self.prior.band, self.shared
        )
        self.matrix = Bordered(lower, border, corner)

    def _sum(self, huber: float, rows: int) -> tuple[Floats, Floats]:
        """Sums of every place and the histogram of residuals, half of the samples on each of two threads."""
        from lean_trim.core.kernels.fit_loops import sum_places

        middle = int(np.searchsorted(self.starts, self.rows.shape[1] // 2))
        parts = [slice(0, middle), slice(middle, len(self.base))]

        def one(part: slice) -> tuple[Floats, Floats]:
            starts = self.starts[part.start : part.stop + 1]
            return sum_places(
                self.rows,
                starts,
                self.base[part],
                self.values,
                self.prior.width,
                self.unknown,
                self.scale,
                huber,
                rows,
            )

        found = run_parallel(
            self.rows.shape[1] if rows == ALL else 0, [partial(one, p) for p in parts]
        )
        return np.concatenate([sums for sums, _ in found]), found[0][1] + found[1][1]

    def _misfit_of_places(self) -> float:
        """What the means of the residuals by place scatter more than noise explains.

        That excess does not shrink with seconds, only with more places.
        """
        total, mean = self._place_means()
        # With more unknowns than places the difference goes negative; a tenth keeps the estimate
        # finite.
        free = max(len(total) - self.parameters, 0.1 * len(total))
        return max(excess_variance(mean, total * self.unit, free), LEAST_MISFIT)

    def _place_shares(self) -> Floats:
        """Share of each place's weight W that counts: 1 / (1 + misfit² · W).

        Each place counts once for what a bilinear table cannot hold there, however long one stayed.
        """
        return np.asarray(1.0 / (1.0 + self.misfit**2 * self.sums[:, -2] * self.unit))

    def _place_means(self) -> tuple[Floats, Floats]:
        total = self.sums[:, -2]
        return total, self._gaps() / np.where(total > 0.0, total, 1.0)

    def _gaps(self) -> Floats:
        """Weighted residual of every place: what k - 1 adds up to less what the unknowns explain of it."""
        sums = self.sums
        # The four shares add to one, so the products with a share add up to the product without it.
        explained = np.zeros(len(sums))
        for j, cells in enumerate(self._corners()):
            explained += self._with_all(j) * self.unknown[cells]
        for j in range(self.shared):
            explained += self._with_all(4 + j) * self.unknown[len(self.values) + j]
        return np.asarray(sums[:, -1] - explained)

    def _product(self, a: int, e: int) -> Floats:
        """Sum of every place that holds the product of two unknowns."""
        low = min(a, e)
        high = max(a, e)
        n = 4 + self.shared
        return np.asarray(self.sums[:, low * n - low * (low - 1) // 2 + high - low])

    def _with_all(self, a: int) -> Floats:
        """Weighted sum of an unknown's column in every place."""
        return np.asarray(sum(self._product(a, e) for e in range(4)))

    def _corners(self) -> tuple[Ints, Ints, Ints, Ints]:
        """The four cells each place reads (on a curve two, and twice the second)."""
        width = self.prior.width
        return self.base, self.base + 1, self.base + width, self.base + width + (1 if width else 0)

    def term_by_cell(self, term: int) -> Floats:
        """Mean of a nuisance term over the samples behind each cell, flat; 0 without samples."""
        total = np.zeros(len(self.values))
        mean = np.zeros(len(self.values))
        for j, cells in enumerate(self._corners()):
            np.add.at(total, cells, self._with_all(j))
            np.add.at(mean, cells, self._product(j, 4 + term))
        return np.asarray(mean / np.where(total > 0.0, total, 1.0))

    def _read_noise(self, blocks: int) -> None:
        """How long residuals stay correlated, less the means of their places; read from so many stretches."""
        from lean_trim.core.kernels.fit_loops import correlation_time, residuals

        o = self.samples.probe
        (total, mean) = self._place_means()
        # A place with little driving has a mean that is mostly noise; it is taken off in part.
        shrink = self.misfit**2 * total * self.unit
        place_mean = mean * shrink / (1.0 + shrink)
        rest, run = residuals(
            o.mesh.cells,
            o.mesh.weights,
            o.k,
            o.terms.values,
            self.values,
            self.unknown,
            self.samples.probe_place,
            place_mean,
            o.run,
            BLOCK,
            max(1, len(o) // (BLOCK * blocks)),
        )
        # The kernel counts in samples; logs of any rate have to give the same seconds.
        step_s = float(np.median(o.seconds[:: max(1, len(o) // 4096)]))
        self.inflation = (
            correlation_time(np.clip(rest / self.scale, -3.0, 3.0), run, round(LONGEST_S / step_s))
            * step_s
        )


def excess_variance(mean: Floats, precision: Floats, free: float) -> float:
    """Standard deviation of means beyond what their precision explains (Paule and Mandel 1982, from memory).

    Solves Σ min(mean² / (s² + 1/precision), 9) = free for s; the bound keeps lone wild places from
    deciding.

    Parameters
    ----------
    mean : means by place, shape (p,).
    precision : one over the variance each should have, shape (p,).
    free : degrees of freedom.

    Returns
    -------
    The standard deviation that is left; 0 if precision explains all.
    """
    noise = 1.0 / np.maximum(precision, 1e-12)

    def chi(s2: float) -> float:
        return float(np.minimum(mean**2 / (s2 + noise), 9.0).sum())

    low = 0.0
    high = 0.05**2
    if chi(low) <= free:
        return 0.0
    for _ in range(40):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if chi(middle) > free else (low, middle)
    return float(np.sqrt(high))
