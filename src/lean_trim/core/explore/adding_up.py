"""What a cell asks, added up: its own seconds, what is taken off them, and what its neighbours add.

At the solution the correction of a cell is the mean its own samples measured, less what film, heat and
other causes explain of them, and what the cells beside it add: partly because a sample between two cells
speaks of both, partly because the correction is held smooth. All of it is one weighting, that of the fit:
a sample counts for a cell by its share of the interpolation, its precision, and less where it is wild.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.nuisance_terms import Term
from lean_trim.core.estimation.cell_evidence import VISIT_GAP_S
from lean_trim.core.estimation.explained import explained
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.messages import Message, Said
from lean_trim.core.pipeline.solve import NO_CAUSE, Solution
from lean_trim.core.types import Floats, Ints, Mask


class Say:
    """Names of what is added up."""

    OWN = Message("adding_up.own", "Measured here")
    FILM = Message("adding_up.film", "Fuel on the walls")
    COLD = Message("adding_up.cold", "Fuel that does not burn cold")
    SOAK = Message("adding_up.soak", "Soaked air sensor")
    HEAT = Message("adding_up.heat", "Heat of the charge")
    SMALL = Message("adding_up.small", "Small pulses")
    CAUSE = Message("adding_up.cause", "Fuel supply and drift")
    BESIDE = Message("adding_up.beside", "Cells beside")
    SMOOTH = Message("adding_up.smooth", "Held smooth")
    SMOOTH_AND_EARLIER = Message("adding_up.smooth_and_earlier", "Earlier drives, smooth")
    EARLIER = Message("adding_up.earlier", "By earlier drives and its neighbours")
    AVERAGED = Message("adding_up.averaged", "Samples beside it, and the trimmed mean")
    ONLY = Message("adding_up.only", "By its neighbours only")


TERM_WORDS = {
    Term.FILM: Say.FILM,
    Term.COLD: Say.COLD,
    Term.SOAK: Say.SOAK,
    Term.HEAT: Say.HEAT,
    Term.SMALL: Say.SMALL,
}
SHOWN_PCT = 0.05
"""Smaller parts are told as one with the cells beside: they would read 0.0."""
LEAST_SHARE = 1e-6
"""Share of the interpolation from which a sample counts for a cell at all."""


@dataclass(frozen=True)
class Part:
    """One line: what, and by how much, percent."""

    what: Said
    pct: float


@dataclass(frozen=True)
class Visit:
    """One stretch of time in the chosen cells.

    Attributes
    ----------
    start_s, end_s : on the joined log.
    seconds : used driving, by share of the interpolation.
    k : factor as measured, weighed as the fit weighs.
    """

    start_s: float
    end_s: float
    seconds: float
    k: float


@dataclass(frozen=True, eq=False)
class AddingUp:
    """Per cell, flat, percent; NaN where a cell has no sample.

    Attributes
    ----------
    own : mean of k - 1 as measured.
    taken : by what takes part of that off, what it adds.
    beside : what it asks more than the cells its samples are read from together; a sample half way to
        the next cell speaks of both.
    asked : of the estimate.
    seconds : used driving, by share of the interpolation.
    averaged : whether cell averages were taken, not the surface.
    carried : whether earlier drives count too.
    """

    own: Floats
    taken: tuple[tuple[Said, Floats], ...]
    beside: Floats
    asked: Floats
    seconds: Floats
    averaged: bool
    carried: bool = False

    def parts(self, cells: Iterable[int]) -> tuple[Part, ...]:
        """What the chosen cells ask, line by line; of several the mean.

        Parameters
        ----------
        cells : flat indices.

        Returns
        -------
        Lines whose figures add up to what is asked; none where nothing is asked.
        """
        chosen = np.array(list(cells), int)
        chosen = chosen[np.isfinite(self.asked[chosen])]
        seen = chosen[np.isfinite(self.own[chosen])]
        if not len(chosen):
            return ()
        if not len(seen):
            only = Say.EARLIER() if self.carried else Say.ONLY()
            return (Part(only, float(self.asked[chosen].mean())),)
        own = float(self.own[seen].mean())
        taken = [Part(what, float(pct[seen].mean())) for what, pct in self.taken]
        shown = [p for p in taken if abs(p.pct) >= SHOWN_PCT]
        rest = float(self.asked[seen].mean()) - own - sum(p.pct for p in shown)
        if self.averaged:
            return (Part(Say.OWN(), own), *shown, Part(Say.AVERAGED(), rest))
        beside = float(self.beside[seen].mean())
        smooth = rest - beside
        if abs(smooth) < SHOWN_PCT:
            return (Part(Say.OWN(), own), *shown, Part(Say.BESIDE(), rest))
        return (
            Part(Say.OWN(), own),
            *shown,
            Part(Say.BESIDE(), beside),
            Part(Say.SMOOTH_AND_EARLIER() if self.carried else Say.SMOOTH(), smooth),
        )

    def has_own(self, cells: Iterable[int]) -> Mask:
        """Which of some cells have a sample of their own."""
        return np.asarray(np.isfinite(self.own[list(cells)]))


@dataclass(frozen=True, eq=False)
class Weighing:
    """Samples as the fit weighs them.

    Attributes
    ----------
    observations : as measured, before anything was taken off.
    weight : precision, less where a sample is wild, (m,).
    cells, shares : of every sample, (m, corners).
    """

    observations: Observations
    weight: Floats
    cells: Ints
    shares: Floats


def weighing_of(solution: Solution) -> Weighing:
    """How the fit weighs the samples of a solution.

    Parameters
    ----------
    solution : of one round.

    Returns
    -------
    Samples with weights and shares.
    """
    raw = _as_measured(solution)
    estimate = solution.measured.surface
    weight = raw.weight.copy()
    if estimate.state is not None:
        gap = solution.measured.observations.k - explained(estimate, solution.measured.observations)
        bound = solution.settings.surface.huber * estimate.state.scale
        weight *= np.minimum(1.0, bound / np.maximum(np.abs(gap), 1e-12))
    return Weighing(raw, weight, raw.mesh.cells, raw.mesh.weights)


def _as_measured(solution: Solution) -> Observations:
    """Samples before fuel supply and drift were taken off."""
    if solution.measured.mended == NO_CAUSE:
        return solution.measured.observations
    return solution.prepared.observe(solution.sifted)


def add_up(solution: Solution, weighing: Weighing) -> AddingUp:
    """What every cell asks, added up.

    Parameters
    ----------
    solution : of one round.
    weighing : of the same.

    Returns
    -------
    By cell.
    """
    size = solution.estimate.table.size
    flat = weighing.cells.ravel()
    share = (weighing.shares * weighing.weight[:, None]).ravel()
    total = np.bincount(flat, share, size)
    corners = weighing.shares.shape[1]

    def mean(values: Floats) -> Floats:
        summed = np.bincount(flat, share * np.repeat(values, corners), size)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(np.where(total > 0.0, 100.0 * summed / total, np.nan))

    measured = solution.measured.observations
    raw = weighing.observations.k
    own = mean(raw - 1.0)
    taken: list[tuple[Said, Floats]] = []
    if solution.measured.mended != NO_CAUSE:
        taken.append((Say.CAUSE(), mean(measured.k - raw)))
    known = {c.term: c.value for c in solution.measured.surface.shared}
    for name, course in zip(measured.terms.names, measured.terms.values, strict=True):
        taken.append((TERM_WORDS[name](), mean(-known.get(name, 0.0) * course)))
    asked = solution.estimate.correction_pct.ravel()
    driven = (weighing.shares * weighing.observations.seconds[:, None]).ravel()
    seconds = np.bincount(flat, driven, size).astype(float)
    found = np.nan_to_num(asked) / 100.0
    beside = asked - mean((found[weighing.cells] * weighing.shares).sum(axis=1))
    averaged = solution.estimate.method == "average"
    carried = solution.measured.before.readings is not None
    return AddingUp(own, tuple(taken), beside, asked, seconds, averaged, carried)


def visits_of_cells(
    solution: Solution, cells: Iterable[int], weighing: Weighing | None = None
) -> list[Visit]:
    """Separate visits to a set of cells, in time order; their seconds add up to the cells' used driving.

    Parameters
    ----------
    solution : of one round.
    cells : flat indices.
    weighing : of the same; worked out where it is not given.

    Returns
    -------
    When each began and ended, for how long it was used, and what it measured.
    """
    found = weighing_of(solution) if weighing is None else weighing
    wanted = np.zeros(solution.estimate.table.size, bool)
    wanted[list(cells)] = True
    share = (wanted[found.cells] * found.shares).sum(axis=1)
    at = np.flatnonzero(share > LEAST_SHARE)
    if not len(at):
        return []
    time = solution.frame.log.time_s[found.observations.index[at]]
    starts = np.concatenate([[0], np.flatnonzero(np.diff(time) > VISIT_GAP_S) + 1])
    ends = np.append(starts[1:], len(at)) - 1
    seconds = np.add.reduceat(share[at] * found.observations.seconds[at], starts)
    weight = share[at] * found.weight[at]
    total = np.add.reduceat(weight, starts)
    k = np.add.reduceat(weight * found.observations.k[at], starts)
    return [
        Visit(float(time[a]), float(time[b]), float(s), float(kw / w) if w > 0.0 else np.nan)
        for a, b, s, kw, w in zip(starts, ends, seconds, k, total, strict=True)
    ]
