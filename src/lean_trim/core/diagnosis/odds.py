"""How sure a finding is: from how strongly it shows to a probability, calibrated on random cars.

P = 1 / (1 + exp(-(a + b · ln strength))), where the strength is what was seen over what is told at
all. The two numbers of every finding were fitted by ``./campaign findings`` to sound cars and to
cars with each fault, weighted to the prior; docs/accuracy.md has the calibration curve. What a
channel says outright (duty, a voltage, retard) is no matter of probability and has no entry.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import numpy as np

PRIOR = 0.1
"""Share of drives with a given fault before any evidence (stated, not measured)."""
LIKELY = 0.7
"""Probability from which a finding is called likely."""
SURE = 0.95
"""Probability from which it is called sure."""
LEAST_TOLD = 0.5
"""Probability from which something is worth telling."""
Sureness = Literal["sure", "likely", "possible"]
SHARPEST = 30.0
"""Largest exponent, so that no probability is exactly 0 or 1."""

SHAPES = (-3.8, 0.68)
"""Shapes over states: a table of another engine may have them as well."""
IN_TIME = (-3.75, 0.68)
"""Courses in time at equal states: drift of many kinds resembles them."""
ODDS: Mapping[str, tuple[float, float]] = {
    "injector_flow": (-2.0, 1.2),
    "dead_time": SHAPES,
    "intake_leak": SHAPES,
    "exhaust_leak": SHAPES,
    "unseen_sag": (-1.5, 1.2),
    "extra_fuel": (-1.5, 1.2),
    "after_flash": IN_TIME,
    "air_temperature": IN_TIME,
    "altitude": IN_TIME,
    "drift": IN_TIME,
    "sensor_not_ready": (4.6, 0.0),
    "sensor_stuck": (4.6, 0.0),
    "sensor_drops_out": (-6.2, 9.2),
    "sensor_slow": (0.6, 10.0),
    "free_air": (4.6, 0.0),
    "airflow_sensor_end": (3.9, 0.0),
    "misfire": (-1.9, 6.7),
    "hidden_enrichment": (4.6, 0.0),
    "feedback_swings": (0.0, 1.8),
    "target_swings": (-6.2, 6.3),
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
