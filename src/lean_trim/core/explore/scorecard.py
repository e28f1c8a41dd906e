"""How a drive stands by region: idle, part throttle, full throttle, boost."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.channels import Role
from lean_trim.core.decision.driving_shares import driving_seconds
from lean_trim.core.decision.regions import Region, regions_of, with_words
from lean_trim.core.explore.events import tip_in_cells
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.types import Floats, Mask

BANDS_PCT = (1.0, 3.0, 5.0)
REGION_WORDS: dict[Region | None, str] = {
    Region.IDLE: "Idle",
    Region.PART: "Part",
    Region.FULL: "Full",
    Region.BOOST: "Boost",
    None: "Tip-in",
}


@dataclass(frozen=True)
class Score:
    """One region of one drive.

    Attributes
    ----------
    region : which; None for the cells beside quick openings of the throttle, which count in their own
        region as well.
    cells, seconds : visited cells, and used driving in them.
    within_pct : share of those cells that are off by at most 1, 3 and 5 %, percent.
    rms_pct : root mean square of how far they are off, each counted once, percent.
    worst_lean_pct : of the cell that is furthest on the lean side, 0 where none is lean.
    trim_rms_pct : applied trims, root mean square by time; NaN where none was logged.
    """

    region: Region | None
    cells: int
    seconds: float
    within_pct: tuple[float, float, float]
    rms_pct: float
    worst_lean_pct: float
    trim_rms_pct: float


def scorecard(
    solution: Solution, words: Iterable[tuple[int, str]] = (), tip_in: Mask | None = None
) -> tuple[Score, ...]:
    """How the drive of a solution stands by region.

    Parameters
    ----------
    solution : of one round.
    words : cells the user put into another region than the drive tells.
    tip_in : cells beside tip-ins, where they are known; looked for else.

    Returns
    -------
    One score per region that was driven, in the order of ``Region``, then the one of the cells beside
    tip-ins where there were any.
    """
    table = solution.estimate.table
    regions = with_words(told_regions(solution), words).ravel()
    gap = solution.residual.gap_pct
    seconds = solution.residual.seconds
    nearest = table.nearest(*(a[solution.observations.index] for a in solution.frame.coordinates))
    log = solution.frame.log
    logged = Role.STFT in log or Role.LTFT in log
    factor = solution.frame.trim[solution.observations.index]
    trims = 100.0 * (factor - 1.0) if logged else np.full(len(factor), np.nan)
    places: dict[Region | None, Mask] = {
        region: np.asarray(regions == region, bool) for region in Region
    }
    places[None] = (tip_in_cells(solution) if tip_in is None else tip_in).ravel()
    out = []
    for region, place in places.items():
        here = place & np.isfinite(gap)
        if here.any():
            out.append(
                Score(
                    region=region,
                    cells=int(here.sum()),
                    seconds=float(seconds[here].sum()),
                    within_pct=_within(gap[here]),
                    rms_pct=float(np.sqrt(np.mean(gap[here] ** 2))),
                    # More fuel asked is a mixture that was lean.
                    worst_lean_pct=max(float(gap[here].max()), 0.0),
                    trim_rms_pct=_trim_rms(trims, solution.observations.seconds, here[nearest]),
                )
            )
    return tuple(out)


def told_regions(solution: Solution) -> NDArray[np.object_]:
    """The region of every cell as the drive tells, in the table's shape."""
    table = solution.estimate.table
    driving = driving_seconds(solution.sifted, solution.observations).shares(table.shape)
    return regions_of(table, driving.idle, driving.full, driving.boost_from_kpa)


def _within(gap: Floats) -> tuple[float, float, float]:
    one, three, five = (100.0 * float(np.mean(np.abs(gap) <= band)) for band in BANDS_PCT)
    return one, three, five


def _trim_rms(trims: Floats, seconds: Floats, here: Mask) -> float:
    known = here & np.isfinite(trims)
    weight = seconds[known].sum()
    if weight <= 0.0:
        return float("nan")
    return float(np.sqrt((trims[known] ** 2 * seconds[known]).sum() / weight))
