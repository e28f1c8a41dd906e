"""Lean at low flow and less so as flow grows, on tables that do not measure the manifold: an intake leak."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.table_kinds import Rows, rows_of
from lean_trim.core.diagnosis.patterns.driving import Driving
from lean_trim.core.diagnosis.patterns.pattern import Pattern
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats

SPREAD = 0.2
CHOKED = 0.53
"""Pressure ratio below which a leak draws all it can (textbook, air)."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "intake_leak.seen",
        "Lean at low flow and less so as flow grows, {size:+.0f} % (± {error:.0f}) at the lowest: "
        "as with air that gets in behind the airflow sensor.",
    )
    EFFECT = Message(
        "intake_leak.effect",
        "The low end of the curve would be bent for air that is not always there; in boost the "
        "same hole blows out and reads rich.",
    )
    NEXT = Message(
        "intake_leak.next",
        "Look for a leak between sensor and engine (smoke, hoses, seals) before the table.",
    )
    TEST = Message(
        "intake_leak.test", "the same airflow at two manifold pressures, as in two gears"
    )


def _course(driving: Driving) -> Floats | None:
    table = driving.vehicle.table
    # Speed-density measures a leak by MAP and fuels it: no lean pattern.
    if driving.vehicle.airflow != "maf" and rows_of(table) is not Rows.THROTTLE:
        return None
    share = np.where(np.isfinite(driving.map_share), driving.map_share, 0.4)
    return np.asarray(leak_share(share) * driving.low_flow / driving.flow)


def leak_share(map_share: Floats) -> Floats:
    """What a leak draws over what it draws while choked.

    Parameters
    ----------
    map_share : MAP over the barometer, shape (m,).

    Returns
    -------
    1 while choked, 0 at the barometer, negative in boost: an ellipse between, as for any orifice.
    """
    inside = np.minimum(map_share, 1.0 / np.maximum(map_share, 1e-3))
    part = np.sqrt(
        np.clip(1.0 - (np.maximum(inside - CHOKED, 0.0) / (1.0 - CHOKED)) ** 2, 0.0, 1.0)
    )
    return np.asarray(np.where(map_share <= 1.0, part, -part * map_share))


PATTERN = Pattern(
    id="intake_leak",
    severity="warning",
    course=_course,
    spread=SPREAD,
    sign=1,
    message=Say.SEEN,
    effect=Say.EFFECT,
    next_step=Say.NEXT,
    name="an intake leak",
    test=Say.TEST,
)
