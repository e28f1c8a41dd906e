"""What table and nuisance terms together explain of a drive."""

from __future__ import annotations

import numpy as np

from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.types import Floats


def explained(estimate: Estimate, observations: Observations) -> Floats:
    """K as table and nuisance terms explain it.

    Parameters
    ----------
    estimate : by the surface; a cell it says nothing of is taken as right.
    observations : used samples, before anything was taken off them.

    Returns
    -------
    At each observation, shape (m,).
    """
    asked = np.nan_to_num(estimate.correction_pct.ravel()) / 100.0
    mesh = observations.mesh
    by_table = 1.0 + (asked[mesh.cells] * mesh.weights).sum(axis=1)
    # By name: another log of the car may show terms this estimate does not know.
    known = {c.term: c.value for c in estimate.shared}
    coefficients = np.array([known.get(name, 0.0) for name in observations.terms.names])
    return np.asarray(by_table + coefficients @ observations.terms.values)
