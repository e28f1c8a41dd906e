"""The second method: one robust surface through all samples, with the ECU's own interpolation weights.

Unknown is the relative correction c of every cell. A sample that reads cells j with weights w_j
says Σ w_j V_j (1 + c_j) = k · Σ w_j V_j. Two things are known beforehand: the correction is smooth,
and the table that results is smooth. How strongly each holds is read from the data by their
marginal likelihood. Compiled loops and SciPy are imported where they are used, so that the window
opens without waiting for them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.drive.nuisance_terms import SPREADS, Term, spreads_of
from lean_trim.core.estimation.carried import Carried
from lean_trim.core.estimation.cell_evidence import Evidence, gather_evidence
from lean_trim.core.estimation.estimate import Coefficient, Estimate
from lean_trim.core.estimation.limits_of_terms import within_limits
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.samples import Samples, sorted_samples
from lean_trim.core.estimation.surface_fit import SurfaceFit
from lean_trim.core.knobs import Knob, default_of
from lean_trim.core.types import Floats

SURFACE_KNOBS: tuple[Knob, ...] = (
    Knob(
        "huber",
        "Outliers begin at",
        2.0,
        1.0,
        10.0,
        "× σ",
        tip="Samples further off than this many times the usual scatter (σ) count less, the less "
        "the "
        "further.",
    ),
    Knob(
        "prior_pct",
        "A cell may be wrong by",
        20.0,
        1.0,
        100.0,
        "%",
        tip="What is thought possible before any driving; smaller holds cells closer to the table.",
    ),
    Knob(
        "max_error_pct",
        "Largest error written",
        4.0,
        0.2,
        20.0,
        "%",
        tip="A cell whose standard error is larger keeps its value.",
    ),
    Knob(
        "min_seconds",
        "Least driving",
        0.5,
        0.0,
        60.0,
        "s",
        tip="Used driving between a cell and its neighbours; with less of it a cell counts as not "
        "driven.",
    ),
    Knob(
        "model_error_pct",
        "Unavoidable error",
        0.1,
        0.0,
        5.0,
        "%",
        tip="Of sensors that are a little off all over; it is part of every standard error.",
    ),
    Knob(
        "gauge_pct",
        "Lambda gauge off by",
        1.0,
        0.0,
        5.0,
        "%",
        tip="What the gauge may be off all over, one standard deviation at λ 1; half as much again "
        "at 0.75.",
    ),
    Knob(
        "film_spread",
        "Wall film expected",
        0.3,
        0.001,
        1.0,
        "",
        tip="Share of a rise of fuel that may stay on the walls; the least value switches the "
        "estimate off.",
    ),
    Knob(
        "film_doubt",
        "Wall film doubted",
        0.5,
        0.0,
        1.0,
        "",
        tip="Share of the wall-film correction that may be wrong; quick changes then count less.",
    ),
)


@dataclass(frozen=True)
class SurfaceSettings:
    """Settings of the surface estimate; BadInputError outside a knob's range.

    huber : residual, in robust standard deviations, from which a sample loses influence, 1 to 10.
    prior_pct : how wrong a cell may be before any driving (standard deviation), 1 to 100 %.
    max_error_pct : standard error above which a cell counts as not supported, 0.2 to 20 %.
    min_seconds : driving in a square beside a cell that it needs to be changed by evidence, 0 to 60
        s.
    max_iterations : of the robust fit, 1 to 50.
    model_error_pct : error of the sensors that more driving cannot remove, one standard deviation,
        0 to 5 %; common practice, no source.
    gauge_pct : standard deviation of the lambda gauge at lambda 1, 0 to 5 %.
    film_spread : standard deviation of the wall-film share X before any driving, 0.001 (switches it
        off) to 1; X lies between 0 and 0.5, common practice, no source.
    film_doubt : share of the wall-film correction that may be wrong, one standard deviation, 0 to
        1.
    """

    huber: float = default_of(SURFACE_KNOBS, "huber")
    prior_pct: float = default_of(SURFACE_KNOBS, "prior_pct")
    max_error_pct: float = default_of(SURFACE_KNOBS, "max_error_pct")
    min_seconds: float = default_of(SURFACE_KNOBS, "min_seconds")
    max_iterations: int = 12
    model_error_pct: float = default_of(SURFACE_KNOBS, "model_error_pct")
    gauge_pct: float = default_of(SURFACE_KNOBS, "gauge_pct")
    film_spread: float = default_of(SURFACE_KNOBS, "film_spread")
    film_doubt: float = default_of(SURFACE_KNOBS, "film_doubt")

    def __post_init__(self) -> None:
        for knob in SURFACE_KNOBS:
            # The robust bound may be put out of reach in code, to switch it off.
            if knob.name != "huber" or self.huber < 1e5:
                knob.checked(getattr(self, knob.name))


def fit_surface(
    observations: Observations,
    table: Table,
    time_s: Floats,
    settings: SurfaceSettings,
    start: Estimate | None = None,
    heat: Floats | None = None,
    carried: Carried | None = None,
) -> Estimate:
    """Robust surface estimate of the correction per cell.

    Parameters
    ----------
    time_s : the log's time base.
    heat : what unseen heat at a share of 1 makes of k at every cell, see ``heat_by_cell``.
    start : an earlier estimate on the same table, near this one; saves most of the work.
    carried : what earlier drives say of the table.

    Raises
    ------
    ValueError
        If there is no observation at all.
    """
    if not len(observations):
        raise ValueError("a surface cannot be fitted to no observation")
    evidence = gather_evidence(observations, table, time_s)
    if carried is not None:
        evidence = evidence.plus(carried.evidence(table))
    samples = sorted_samples(observations, table)
    return fit_samples(samples, evidence, table, settings, start, heat, carried)


def fit_samples(
    samples: Samples,
    evidence: Evidence,
    table: Table,
    settings: SurfaceSettings,
    start: Estimate | None = None,
    heat: Floats | None = None,
    carried: Carried | None = None,
) -> Estimate:
    """The same for samples that are sorted already, of one drive or of many.

    Parameters
    ----------
    samples : at least one.
    evidence : counted from the same.
    table : that they read.
    settings : of the fit.
    start : an earlier estimate on the same table, near this one.
    heat, carried : as in ``fit_surface``.

    Returns
    -------
    Correction and error per cell.
    """
    names = samples.names
    spreads = spreads_of(names, settings.film_spread)
    spread = settings.prior_pct / 100.0
    fit = SurfaceFit(samples, table, spread, spreads, settings.huber, carried)
    most = settings.max_iterations
    converged = (
        fit.run(most) if start is None or start.state is None else fit.run_from(start.state, most)
    )
    inverse = fit.factor.inverse()
    cells = table.size
    unknown, beyond = within_limits(names, fit.unknown, inverse)
    deviation = fit.deviations(inverse)
    film = names.index(Term.FILM)
    film_error = settings.film_doubt * unknown[cells + film] * fit.term_by_cell(film)
    shared = tuple(
        Coefficient(name, float(value), float(se), bool(at))
        for name, value, se, at in zip(
            names, unknown[cells:], np.sqrt(np.diag(inverse.corner)), beyond, strict=True
        )
    )
    heat_error = _heat_share(shared) * (np.zeros(cells) if heat is None else heat.ravel())
    least = settings.model_error_pct / 100.0
    evident = np.sqrt(deviation**2 + least**2 + film_error**2)
    # Heat of another day is doubt about the engine, not about what was driven; it takes nothing
    # away from
    # away.
    supported = (evidence.near_s >= settings.min_seconds) & (
        100 * evident.reshape(table.shape) <= settings.max_error_pct
    )
    error = np.hypot(evident, heat_error).reshape(table.shape)
    return Estimate(
        table=table,
        correction_pct=100 * unknown[:cells].reshape(table.shape),
        own_error_pct=100 * error,
        seconds=evidence.seconds,
        visits=evidence.visits,
        near_s=evidence.near_s,
        supported=supported,
        method="surface",
        iterations=fit.iterations,
        converged=converged,
        shared=shared,
        state=fit.state,
    )


def _heat_share(shared: Sequence[Coefficient]) -> float:
    """Share of the way from air to coolant that the charge may be warmed: as it was found, or as usual."""
    found = next((c for c in shared if c.term is Term.HEAT), None)
    return SPREADS[Term.HEAT] if found is None else float(np.hypot(found.value, found.std_error))
