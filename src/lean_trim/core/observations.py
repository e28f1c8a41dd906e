"""Evidence on the airflow table: by which factor was the table wrong at each used sample?"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .channels import Role
from .film import film_excess
from .frame import Frame
from .log import rate_per_s
from .physics import Floats
from .regimes import Mask, relative_map_rate
from .tables import Interpolation, Ints


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
    film : (m,) share of the fuel's rise that the wall film withholds per unit of X, see ``film.film_excess``.
    """

    index: Ints
    k: Floats
    weight: Floats
    seconds: Floats
    run: Ints
    mesh: Interpolation
    film: Floats

    def __len__(self) -> int:
        return len(self.index)


def pressure_factor(frame: Frame) -> Floats:
    """Delivered over commanded fuel, sqrt(Δp / rated Δp), smoothed over 0.5 s; 1 where Δp was not logged."""
    log = frame.log
    if Role.FUEL_DP not in log:
        return np.ones(len(log))
    rated = frame.vehicle.injectors.rated_pressure_kpa
    ratio = np.nan_to_num(log[Role.FUEL_DP], nan=rated) / rated
    n = max(1, round(0.25 / log.step_s))
    kernel = np.full(2 * n + 1, 1 / (2 * n + 1))
    return np.sqrt(np.maximum(np.convolve(np.pad(ratio, n, mode="edge"), kernel, mode="valid"), 0.01))


def enrichment_factor(frame: Frame) -> Floats:
    """Enrichment seen in the pulse width, smoothed over 0.2 s; 1 where pulse width was not logged."""
    ratio = np.nan_to_num(frame.fuel_ratio, nan=1.0)
    n = max(1, round(0.1 / frame.log.step_s))
    return np.convolve(np.pad(ratio, n, mode="edge"), np.full(2 * n + 1, 1 / (2 * n + 1)), mode="valid")


def correction_factor(frame: Frame, lam: Floats) -> Floats:
    """k = trims · lambda / target · enrichment · delivered/commanded fuel, shape (n,).

    Only the product of trims and lambda ratio is unbiased while feedback is still catching up.
    """
    return frame.trim * lam / frame.target * enrichment_factor(frame) * pressure_factor(frame)


def relative_variance(frame: Frame, lam: Floats) -> Floats:
    """How much less than the best sample each one says: 1 in steady state, growing with rates and with |λ - 1|."""
    log = frame.log
    variance = np.ones(len(log))
    if Role.MAP in log:
        variance += (relative_map_rate(frame) / 15.0) ** 2
    variance += (
        100.0 * rate_per_s(log.time_s, np.log(np.maximum(np.nan_to_num(log[Role.RPM]), 300.0)), 0.4) / 25.0
    ) ** 2
    variance += (np.nan_to_num(np.abs(lam - 1.0)) / 0.15) ** 2
    variance += (100.0 * (enrichment_factor(frame) - 1.0) / 2.0) ** 2
    return variance


def observe(frame: Frame, lam: Floats, used: Mask) -> Observations:
    """Turn used samples into observations. ``lam`` is aligned lambda, ``used`` the sieve's result, both (n,)."""
    index = np.flatnonzero(used)
    seconds = frame.log.durations_s[index]
    run = np.cumsum(np.diff(index, prepend=index[:1]) > 1, dtype=np.intp)
    mesh = Interpolation(frame.mesh.cells[index], frame.mesh.weights[index])
    variance = relative_variance(frame, lam)[index]
    return Observations(
        index, correction_factor(frame, lam)[index], seconds / variance, seconds, run, mesh, film_excess(frame)[index]
    )
