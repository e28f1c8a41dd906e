"""How each cell was driven: at idle, at full throttle, or between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.decision.regions import USUAL_KPA, boost_from_kpa
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.sieve.rules_limits import airflow_end, airflow_pegged
from lean_trim.core.sieve.sieve import RULE_BITS, Sifted
from lean_trim.core.types import Floats

NOISE_PERCENTILE = 2.0
"""A reading at its end scatters; so many percent of the lowest say nothing."""


@dataclass(frozen=True, eq=False)
class DrivingShares:
    """Shares of the used seconds per cell, in the table's shape, 0 without driving.

    Reading at which the airflow signal met its end (infinite where it did not), and manifold
    pressure above which it is boost, kPa.
    """

    idle: Floats
    full: Floats
    end_at: float
    boost_from_kpa: float = USUAL_KPA


@dataclass(frozen=True, eq=False)
class DrivingSeconds:
    """Used seconds by cell, flat: all, at idle and at full throttle; those of several logs add up.

    Lowest reading at which the airflow signal met its end in any, and the boost limit each log
    gave.
    """

    whole: Floats
    idle: Floats
    full: Floats
    end_at: float
    boost_from_kpa: tuple[float, ...]

    def plus(self, other: DrivingSeconds) -> DrivingSeconds:
        """Seconds of both."""
        return DrivingSeconds(
            self.whole + other.whole,
            self.idle + other.idle,
            self.full + other.full,
            min(self.end_at, other.end_at),
            self.boost_from_kpa + other.boost_from_kpa,
        )

    def shares(self, shape: tuple[int, ...]) -> DrivingShares:
        """How each cell was driven.

        Returns shares of the seconds in each cell.
        """
        whole = np.where(self.whole > 0.0, self.whole, 1.0)
        return DrivingShares(
            (self.idle / whole).reshape(shape),
            (self.full / whole).reshape(shape),
            self.end_at,
            float(np.median(self.boost_from_kpa)),
        )


def driving_seconds(sifted: Sifted, observations: Observations) -> DrivingSeconds:
    """Count how each cell was driven.

    Parameters
    ----------
    sifted : result of the sieve.
    observations : what it let through.

    Returns
    -------
    Seconds by cell.
    """
    conditions = sifted.conditions
    table = conditions.motion.frame.vehicle.table
    cells = observations.mesh.cells.ravel()
    seconds = observations.mesh.weights * observations.seconds[:, None]
    regime = conditions.regime[observations.index]

    def total(part: Floats) -> Floats:
        return np.asarray(np.bincount(cells, part.ravel(), table.size), np.float64)

    idle, full = (
        total(seconds * (regime == r)[:, None]) for r in (Regime.IDLE, Regime.FULL_THROTTLE)
    )
    boost = (boost_from_kpa(conditions.frame.log),)
    return DrivingSeconds(total(seconds), idle, full, _end_at(sifted), boost)


def _end_at(sifted: Sifted) -> float:
    """Reading at which a mass-airflow signal met its end; infinite where it did not, or the rule is off."""
    frame = sifted.conditions.frame
    if frame.vehicle.airflow != "maf" or not (sifted.hit_bits & RULE_BITS["airflow_end"]).any():
        return np.inf
    # Without the rule's hold-off, which reaches back to readings that were sound.
    pegged = airflow_pegged(frame, sifted.settings.values(airflow_end)["flat_pct"])
    at_end = frame.coordinates[0][pegged]
    return float(np.nanpercentile(at_end, NOISE_PERCENTILE)) if len(at_end) else np.inf
