"""Evidence on the airflow table: the factor by which the table was wrong at each used sample."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, as_loop, fill_missing, running_box
from lean_trim.core.data.tables import Interpolation
from lean_trim.core.drive.film import film_uptake
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.height import filling_by_height
from lean_trim.core.drive.motion import Motion, enrichment_factor
from lean_trim.core.drive.nuisance_terms import SharedTerms, nuisance_terms
from lean_trim.core.types import Floats, Ints, Mask


@dataclass(frozen=True, eq=False)
class Observations:
    """Used samples only, in time order.

    Attributes
    ----------
    index : (m,) position of each observation in the log.
    k : (m,) factor by which the airflow table is to be multiplied there.
    weight : (m,) relative precision times the seconds the sample stands for.
    seconds : (m,) time each sample stands for.
    run : (m,) number of the unbroken stretch of used samples it belongs to.
    mesh : cells and weights the ECU read, restricted to the used samples.
    terms : courses of what makes k differ beside the table, see ``nuisance_terms``; values are (q,
        m).
    others_pct : (m,) what errors of the other VE tables it was read from may make of k, percent; None
        where it was read from one.
    """

    index: Ints
    k: Floats
    weight: Floats
    seconds: Floats
    run: Ints
    mesh: Interpolation
    terms: SharedTerms
    others_pct: Floats | None = None

    def __len__(self) -> int:
        return len(self.index)

    def only(self, keep: Mask) -> Observations:
        """The observations where ``keep``, (m,), is True.

        Parameters
        ----------
        keep : shape (m,).

        Returns
        -------
        Fewer observations.
        """
        mesh = Interpolation(self.mesh.cells[keep], self.mesh.weights[keep])
        return Observations(
            self.index[keep],
            self.k[keep],
            self.weight[keep],
            self.seconds[keep],
            self.run[keep],
            mesh,
            SharedTerms(self.terms.names, self.terms.values[:, keep]),
            None if self.others_pct is None else self.others_pct[keep],
        )


LEAST_DP = 0.01
"""Share of the rated differential pressure below which none is believed."""


def correction_factor(frame: Frame, lam: Floats, enrichment: Floats | None = None) -> Floats:
    """Work out k, the factor by which the present table would have to be multiplied.

    k = trims · lambda / target · enrichment · delivered/commanded fuel · driven table / present
    table / filling by height.

    Delivered over commanded fuel is sqrt(Δp / rated Δp), smoothed over 0.5 s; 1 where Δp was not
    logged. Only the product of trims and lambda ratio is unbiased while feedback is still catching
    up. The last factor is 1 unless the log was driven on another revision of the table.
    ``enrichment`` is ``enrichment_factor``, if it is known already.

    Parameters
    ----------
    frame : a log seen through its calibration.
    lam : aligned lambda, NaN where unknown, shape (n,).
    enrichment : fuel beyond table and trims as a factor, shape (n,); read from the frame if None.

    Returns
    -------
    Factor by which the present table would have to be multiplied, shape (n,), NaN where unknown.
    """
    from lean_trim.core.kernels.fuel_loops import product, times_root

    enrichment = enrichment_factor(frame) if enrichment is None else enrichment
    k = product(*(as_loop(a) for a in (frame.trim, lam, frame.target, enrichment)))
    log = frame.log
    rated = frame.vehicle.injectors.rated_pressure_kpa
    # Smoothed, because a pressure sensor is noisier than the pressure.
    if Role.FUEL_DP in log:
        k = times_root(
            k,
            running_box(fill_missing(log[Role.FUEL_DP], rated), log.time_s, 0.5) / rated,
            LEAST_DP,
        )
    by_height = filling_by_height(log, frame.vehicle)
    if by_height is not None:
        k = k / by_height
    # Identity, not equality: nearly every log was driven on the present table, and a product costs
    # a pass.
    return k if frame.driven_base is frame.base else k * frame.driven_base / frame.base


def relative_variance(motion: Motion, lam: Floats) -> Floats:
    """How much less than the best sample each one says, (n,).

    1 in steady state; grows with the slopes of MAP and engine speed, with |λ - 1|, with a known
    enrichment, and with the scatter of lambda itself over a second against its usual scatter.

    Parameters
    ----------
    motion : a log with its rates.
    lam : aligned lambda, NaN where unknown, shape (n,).

    Returns
    -------
    At least 1, shape (n,).
    """
    from lean_trim.core.kernels.mesh_loops import variance_of

    scatter = _scatter(motion.frame.log, lam)
    return variance_of(motion.map_rate, motion.rpm_rate, as_loop(lam), motion.enrichment, scatter)


def _scatter(log: Log, lam: Floats) -> Floats:
    """Mean square step of lambda over a second, relative to its median; 1 where it does not move."""
    from lean_trim.core.kernels.log_loops import square_steps

    local = running_box(square_steps(as_loop(lam)), log.time_s, 1.0)
    # A median of a part is as good, and sorting an hour at 100 Hz is not free.
    some = local[:: max(1, len(local) // 20_000)]
    # Without the zeros: a slow sensor repeats its reading on most rows.
    usual = float(np.median(some[some > 0.0])) if (some > 0.0).any() else 0.0
    return local / usual if usual > 0.0 else np.ones(len(lam))


def observe(frame: Frame, lam: Floats, used: Mask) -> Observations:
    """Turn used samples into observations.

    ``lam`` is aligned lambda, ``used`` the sieve's result, both (n,).

    Parameters
    ----------
    frame : a log seen through its calibration.
    lam : aligned lambda, shape (n,).
    used : samples the sieve lets through, shape (n,).

    Returns
    -------
    One observation per used sample.
    """
    return pick(
        frame,
        used,
        correction_factor(frame, lam),
        relative_variance(Motion(frame), lam),
        nuisance_terms(frame, film_uptake(frame)),
        frame.log.durations_s,
    )


EDGE_S = 0.4
EDGE_VARIANCE = 1.0
"""Next to a stretch left out a sample's variance is raised by EDGE_VARIANCE, fading with EDGE_S."""


def pick(
    frame: Frame, used: Mask, k: Floats, variance: Floats, terms: SharedTerms, durations_s: Floats
) -> Observations:
    """Observations of the used samples from values along the whole log.

    What is no number or lasts no time is never used.

    Parameters
    ----------
    frame : a log seen through its calibration.
    used : samples the sieve lets through, shape (n,).
    k, variance, durations_s : along the whole log, each of shape (n,).
    terms : along the whole log.

    Returns
    -------
    One observation per used sample.
    """
    from lean_trim.core.kernels.mesh_loops import sound_samples, take_used

    index = sound_samples(used, k, variance, terms.values, as_loop(frame.base), durations_s)
    mesh = frame.mesh
    time = as_loop(frame.log.time_s)
    cells, weights, values, run = take_used(
        index, mesh.cells, mesh.weights, k, variance, durations_s, time, EDGE_S, EDGE_VARIANCE
    )
    here = SharedTerms(terms.names, np.ascontiguousarray(terms.values[:, index]))
    return Observations(
        index, values[0], values[1], values[2], run, Interpolation(cells, weights), here
    )
