"""Rich from some boost on: fuel that no pulse width names, hidden in the airflow table."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD = 0.12
FROM_KPA = 12.0
OVER_KPA = 28.0
"""Boost from which auxiliary fuel usually begins, and over which it opens (common practice, no
source)."""
LEAST_BOOST_KPA = 20.0
"""Boost, kPa, that must have been driven before such fuel can show."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "extra_fuel.seen",
        "Rich from some boost on, {size:+.0f} % (± {error:.0f}) at its strongest: as with second "
        "injectors or alcohol injection, which no pulse width shows.",
    )
    EFFECT = Message(
        "extra_fuel.effect",
        "Taken out of the airflow table it makes the ECU believe in less air: spark, boost and "
        "target read over load shift, and the engine is lean the day that fuel does not come.",
    )
    NEXT = Message(
        "extra_fuel.next",
        "Correct boost with that fuel switched off, or name it in its own table; leave the "
        "airflow alone.",
    )
    TEST = Message("extra_fuel.test", "one run with the auxiliary fuel off, at low boost")


def _course(driving: Driving) -> Floats | None:
    boost = driving.map_kpa - driving.baro_kpa
    if not np.isfinite(boost).any() or np.nanpercentile(boost, 99.5) < LEAST_BOOST_KPA:
        return None
    return np.clip((np.nan_to_num(boost, nan=-100.0) - FROM_KPA) / OVER_KPA, 0.0, 1.0)


PATTERN = Pattern(
    id="extra_fuel",
    severity="warning",
    course=_course,
    spread=SPREAD,
    sign=-1,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="fuel nobody names",
    test=Say.TEST,
    samples="count_no_leaner",
    blocks=True,
)
