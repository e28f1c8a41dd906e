"""What can be done about an airflow sensor at its end, with this job's numbers."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.estimation.observations import correction_factor
from lean_trim.core.messages import Message, Said
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.sieve.rules_limits import airflow_pegged


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "sensor_end.seen",
        "The reading ends at {most:.0f} g/s; by fuel and lambda the engine drew {needed:.0f} g/s. "
        "Until that is mended no run goes there.",
    )
    UNSEEN = Message(
        "sensor_end.unseen",
        "The reading ends at {most:.0f} g/s and the engine drew more; how much, nobody measured.",
    )
    HOUSING = Message(
        "sensor_end.housing",
        "Larger housing: {area:.2f} × the area ({diameter:.2f} × the diameter) ends at {ends:.0f} "
        "g/s. At the same signal it passes that much more air: multiply the whole curve by "
        "{area:.2f} and correct it anew from part throttle up; idle is measured {area:.2f} × as "
        "coarsely.",
    )
    RESCALE = Message(
        "sensor_end.rescale",
        "Rescale, where the field ends and not the sensor: curve and injector flow both ÷ "
        "{factor:.2f} (below). Every value the ECU holds in airflow or load reads {pct:.0f} % "
        "lower: spark, target, limits, torque.",
    )
    SPEED_DENSITY = Message(
        "sensor_end.speed_density",
        "Speed-density: a MAP sensor to {kpa:.0f} kPa or more and a VE table take its place; this "
        "car's logs with MAP fill it from the first drive on.",
    )


MARGIN = 1.15
"""Room above what was drawn: cold days and more boost (common practice, no source)."""
STANDARD_KPA = 101.0
"""Pressure of a drive without MAP, kPa: an engine without boost near sea level."""
BOOST_ROOM = 1.2
"""Room of a pressure sensor above what was driven (common practice, no source)."""


@dataclass(frozen=True)
class SensorEnd:
    """Airflow at which the reading ends, and what was drawn beyond it; NaN where nobody measured that."""

    most_g_per_s: float
    needed_g_per_s: float
    map_kpa: float

    @property
    def ratio(self) -> float:
        """How much further a sensor has to reach, with room."""
        needed = self.needed_g_per_s if math.isfinite(self.needed_g_per_s) else self.most_g_per_s
        return max(MARGIN * needed / self.most_g_per_s, MARGIN)


def sensor_end(solution: Solution) -> SensorEnd | None:
    """Whether the airflow sensor met its end in a drive.

    Parameters
    ----------
    solution : of a car that is fuelled by an airflow sensor.

    Returns
    -------
    None for other cars, or where it did not.
    """
    frame = solution.frame
    if frame.vehicle.airflow != "maf":
        return None
    pegged = airflow_pegged(frame)
    if not pegged.any():
        return None
    with np.errstate(invalid="ignore"):
        drawn = frame.flow_g_per_s * correction_factor(frame, solution.lam)
    there = drawn[pegged & np.isfinite(drawn)]
    pressure = frame.log.get(Role.MAP)
    known = pressure[np.isfinite(pressure)]
    return SensorEnd(
        # A sensor may end below its curve.
        most_g_per_s=float(np.nanpercentile(frame.flow_g_per_s[pegged], 95.0)),
        # One spike of lambda is no air.
        needed_g_per_s=float(np.percentile(there, 95.0)) if len(there) else math.nan,
        map_kpa=float(known.max()) if len(known) else STANDARD_KPA,
    )


def options(end: SensorEnd) -> tuple[Said, ...]:
    """What a larger housing, a rescale or speed-density would mean.

    Parameters
    ----------
    end : of the sensor.

    Returns
    -------
    What was seen, then one sentence each.
    """
    beyond = math.isfinite(end.needed_g_per_s) and end.needed_g_per_s > end.most_g_per_s
    seen = (
        Say.SEEN(most=end.most_g_per_s, needed=end.needed_g_per_s)
        if beyond
        else Say.UNSEEN(most=end.most_g_per_s)
    )
    area = math.ceil(20.0 * end.ratio) / 20.0
    return (
        seen,
        Say.HOUSING(area=area, diameter=math.sqrt(area), ends=area * end.most_g_per_s),
        Say.RESCALE(factor=area, pct=100.0 * (1.0 - 1.0 / area)),
        Say.SPEED_DENSITY(kpa=10.0 * math.ceil(BOOST_ROOM * end.map_kpa / 10.0)),
    )
