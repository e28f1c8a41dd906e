"""How each cell was driven: at idle, at full throttle, or between."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.decision.regions import USUAL_KPA, boost_from_kpa
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.sieve.sieve import RULE_BITS, Sifted
from lean_trim.core.types import Floats


@dataclass(frozen=True, eq=False)
class DrivingShares:
    """Shares of the used seconds per cell, in the table's shape, 0 without driving.

    Whether the airflow signal met its end, and manifold pressure above which it is boost, kPa.
    """

    idle: Floats
    full: Floats
    end_pegged: bool
    boost_from_kpa: float = USUAL_KPA


def driving_shares(sifted: Sifted, observations: Observations) -> DrivingShares:
    """Read the shares from what was used.

    Parameters
    ----------
    sifted : result of the sieve.
    observations : what it let through.

    Returns
    -------
    How each cell was driven.
    """
    conditions = sifted.conditions
    pegged = bool((sifted.hit_bits & RULE_BITS["airflow_end"]).any())
    return DrivingShares(
        _share(conditions, observations, Regime.IDLE),
        _share(conditions, observations, Regime.FULL_THROTTLE),
        pegged,
        boost_from_kpa(conditions.frame.log),
    )


def _share(conditions: Conditions, observations: Observations, regime: Regime) -> Floats:
    table = conditions.motion.frame.vehicle.table
    mesh = observations.mesh
    seconds = mesh.weights * observations.seconds[:, None]
    part = seconds * (conditions.regime[observations.index] == regime)[:, None]
    cells = mesh.cells.ravel()
    whole: Floats = np.asarray(np.bincount(cells, seconds.ravel(), table.size), np.float64)
    here: Floats = np.asarray(np.bincount(cells, part.ravel(), table.size), np.float64)
    return (here / np.where(whole > 0.0, whole, 1.0)).reshape(table.shape)
