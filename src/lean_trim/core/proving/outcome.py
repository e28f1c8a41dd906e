"""What the next drive shows against what the round expected of it, by region and in all.

Expected of a place is what the drive before asked and was not written, known to within its error. Two
drives also differ by weather, fuel and gauge alike everywhere; so much is allowed for.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np

from lean_trim.core.estimation.carried import PlaceMeans
from lean_trim.core.proving.common_places import read_known
from lean_trim.core.proving.transfer import ERRORS_COUNT, Written, likeness
from lean_trim.core.types import Floats

Word = Literal["better", "as predicted", "worse", "not driven", "cannot be told"]
LEAST_S = 3.0
"""Driving a region needs to be judged, s."""
LEVEL_PCT = 0.5
"""How far two drives of one car differ all over for weather, fuel and gauge, percent, standard deviation (a
choice; carried evidence of simulated cars differed by 0.0 to 0.9)."""
LEAST_PCT = 0.4
"""Difference of two root mean squares nobody would act on, percent."""
SURE = 2.0
"""Standard errors a difference has to be beyond."""
UNKNOWN_PCT = 8.0
"""Standard error of what was expected from which it says nothing."""


@dataclass(frozen=True)
class Outcome:
    """One region, or the whole drive.

    Attributes
    ----------
    name : of the region, "" for all.
    word : see ``Word``.
    before_pct : off on the table before, by what that drive knew, rms.
    expected_pct, expected_error_pct : off now as expected, rms, and its standard error.
    observed_pct, observed_error_pct : the same as this drive shows it; what was expected has its noise.
    shift_pct : mean of observed less expected.
    lean_pct : leanest place that was driven for some seconds, percent of fuel wanting; NaN for none.
    seconds, places : driven.
    """

    name: str
    word: Word
    before_pct: float = float("nan")
    expected_pct: float = float("nan")
    expected_error_pct: float = float("nan")
    observed_pct: float = float("nan")
    observed_error_pct: float = float("nan")
    shift_pct: float = float("nan")
    lean_pct: float = float("nan")
    seconds: float = 0.0
    places: int = 0


@dataclass(frozen=True, eq=False)
class Compared:
    """Expected and observed at each of p places, percent.

    Attributes
    ----------
    at : coordinates, (axes, p).
    before, expected, observed : what the table lacks there, (p,).
    error : standard error of what was expected, (p,).
    noise : of what was observed, (p,).
    alike : likeness of the errors of what was expected, (p, p).
    seconds : (p,).
    """

    at: Floats
    before: Floats
    expected: Floats
    observed: Floats
    error: Floats
    noise: Floats
    alike: Floats
    seconds: Floats


def compared(written: Written, means: PlaceMeans) -> Compared:
    """Lay what was expected beside what was observed.

    Parameters
    ----------
    written : what was handed over, with what its drive knew.
    means : the next drive by place.

    Returns
    -------
    Places inside the table.
    """
    table = written.after
    means = means.only(table.inside(*means.at) & (means.wanted > 0.0))
    mesh = table.interpolate(*means.at)

    read = partial(read_known, mesh)
    wanted = read(written.wanted)
    observed = np.log(means.wanted) - read(np.log(table.values))
    return Compared(
        at=means.at,
        before=100.0 * (wanted - read(np.log(written.before.values))),
        expected=100.0 * (wanted - read(np.log(table.values))),
        observed=100.0 * observed,
        error=read(written.error_pct),
        noise=100.0 * np.sqrt(means.noise),
        alike=likeness(table, means.at),
        seconds=means.seconds,
    )


def judge(compared: Compared, regions: Sequence[str], names: Sequence[str]) -> tuple[Outcome, ...]:
    """Every region, then all.

    Parameters
    ----------
    compared : expected and observed by place.
    regions : of every place.
    names : of all regions the table has, driven or not.

    Returns
    -------
    The last one has no name and speaks of all.
    """
    of = np.array(regions, object)
    found = [_judged(compared, name, of == name) for name in names]
    return (*found, _judged(compared, "", np.ones(len(of), bool)))


def _judged(c: Compared, name: str, keep: np.ndarray) -> Outcome:
    seconds = float(c.seconds[keep].sum())
    places = int(keep.sum())
    lasting = keep & (c.seconds >= LEAST_S)
    lean = float(c.observed[lasting].max()) if lasting.any() else float("nan")
    if seconds < LEAST_S:
        return Outcome(name, "not driven", lean_pct=lean, seconds=seconds, places=places)
    keep = keep & np.isfinite(c.expected) & (c.error < UNKNOWN_PCT)
    share = c.seconds[keep]
    if share.sum() < LEAST_S:
        return Outcome(name, "cannot be told", lean_pct=lean, seconds=seconds, places=places)
    weight = share / share.sum()
    # An error of the level is one more error all places share.
    apart = np.outer(c.error[keep], c.error[keep]) * c.alike[np.ix_(keep, keep)]
    covariance = ERRORS_COUNT * apart
    covariance += LEVEL_PCT**2
    noise = c.noise[keep] ** 2
    expected, expected_error = _rms(c.expected[keep], covariance + np.diag(noise), weight)
    observed = float(np.sqrt(weight @ c.observed[keep] ** 2))
    _, observed_error = _rms(c.observed[keep], np.diag(noise), weight)
    before = float(np.sqrt(weight @ c.before[keep] ** 2))
    bar = max(LEAST_PCT, SURE * float(np.hypot(expected_error, observed_error)))
    word: Word = "as predicted"
    if observed > expected + bar:
        word = "worse"
    elif observed < expected - bar:
        word = "better"
    return Outcome(
        name=name,
        word=word,
        before_pct=before,
        expected_pct=expected,
        expected_error_pct=expected_error,
        observed_pct=observed,
        observed_error_pct=observed_error,
        shift_pct=float(weight @ (c.observed[keep] - c.expected[keep])),
        lean_pct=lean,
        seconds=seconds,
        places=places,
    )


def _rms(mean: Floats, covariance: Floats, weight: Floats) -> tuple[float, float]:
    """Root mean square of normal numbers and its standard error, to first order."""
    square = float(weight @ (mean**2 + np.diag(covariance)))
    rms = float(np.sqrt(square))
    both = np.outer(weight, weight)
    # Var(Σ w x²) = Σ w w' (2 C² + 4 m C m').
    variance = float(np.sum(both * (2.0 * covariance**2 + 4.0 * np.outer(mean, mean) * covariance)))
    return rms, float(np.sqrt(max(variance, 0.0)) / (2.0 * rms)) if rms > 0.0 else 0.0
