"""How sure a finding is: from how strongly it shows to a probability, calibrated on random cars.

P = 1 / (1 + exp(-(a + b · ln strength))), where the strength is what was seen over what is told at all. The
two numbers of every finding were fitted by ``./campaign findings`` to sound cars and to cars with each fault,
weighted to the prior; docs/accuracy.md has the calibration curve. What a channel says outright (duty, a
voltage, retard) is no matter of probability and has no entry.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import numpy as np

PRIOR = 0.1
"""Share of drives with a given fault before any evidence (stated, not measured)."""
LIKELY, SURE = 0.7, 0.95
LEAST_TOLD = 0.5
"""Probability from which something is worth telling."""
Sureness = Literal["sure", "likely", "possible"]
SHARPEST = 30.0

BY_PRIOR = (float(np.log(PRIOR / (1.0 - PRIOR))), 1.0)
"""A strength that is a Bayes factor, taken at its word."""
ODDS: Mapping[str, tuple[float, float]] = {
    "injector_flow": BY_PRIOR,
    "dead_time": BY_PRIOR,
    "intake_leak": BY_PRIOR,
    "exhaust_leak": BY_PRIOR,
    "unseen_sag": BY_PRIOR,
    "extra_fuel": BY_PRIOR,
    "after_flash": BY_PRIOR,
    "air_temperature": BY_PRIOR,
    "altitude": BY_PRIOR,
}


def probability(finding_id: str, strength: float) -> float:
    """Probability that a finding is what it says.

    Parameters
    ----------
    finding_id : of a finding; one without an entry is certain.
    strength : what was seen over what is told at all, above 0.

    Returns
    -------
    0 to 1.
    """
    if finding_id not in ODDS:
        return 1.0
    constant, slope = ODDS[finding_id]
    exponent = constant + slope * float(np.log(max(strength, 1e-9)))
    return float(1.0 / (1.0 + np.exp(-np.clip(exponent, -SHARPEST, SHARPEST))))


def sureness(share: float) -> Sureness:
    """A probability in a word.

    Parameters
    ----------
    share : 0 to 1.

    Returns
    -------
    "sure" from 0.95, "likely" from 0.7, else "possible".
    """
    return "sure" if share >= SURE else "likely" if share >= LIKELY else "possible"
