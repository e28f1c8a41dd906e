"""Logs and a sheet → every pull with its figures and a sentence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.joining import join_logs
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.causes import SUPPLY_IDS
from lean_trim.core.diagnosis.delivery import commanded_flow
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.findings import look_for_faults
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.delay import DelaySettings
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import RegimeSettings
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.look import Look
from lean_trim.core.pipeline.prepare import prepare
from lean_trim.core.pipeline.solve import DrivenLog, film_known, look_through, measure, pieces_of
from lean_trim.core.pipeline.too_few import TooFewError
from lean_trim.core.pulls.atmosphere import ALTITUDE_M, standard_kpa
from lean_trim.core.pulls.pull import Pull, measure_pull
from lean_trim.core.pulls.stretches import find_stretches
from lean_trim.core.pulls.supply import with_supply
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    ALTITUDE = Message(
        "pulls.altitude", "an altitude of {metres:g} m; allowed are {low:g} to {high:g} m"
    )


@dataclass(frozen=True, eq=False)
class PullReport:
    """Pulls of a drive.

    Attributes
    ----------
    conditions : of the joined log.
    pulls : in the order of time.
    baro_kpa : along the log, shape (n,); ``baro_logged`` whether it was measured.
    findings : of the whole drive.
    """

    conditions: Conditions
    pulls: tuple[Pull, ...]
    baro_kpa: Floats
    baro_logged: bool
    findings: tuple[Finding, ...]


def find_pulls(
    logs: Sequence[Log | DrivenLog], vehicle: Vehicle, altitude_m: float = 0.0
) -> PullReport:
    """Find and measure the pulls of a drive.

    Parameters
    ----------
    logs : driven on the vehicle's calibration.
    vehicle : with it.
    altitude_m : where no barometer was logged, -500 to 6000 m.

    Returns
    -------
    The pulls.

    Raises
    ------
    LogError
        If a channel is missing without which the table cannot be read.
    BadInputError
        If that is no altitude.
    """
    driven = [d if isinstance(d, DrivenLog) else DrivenLog(d) for d in logs]
    with np.errstate(all="ignore"):
        try:
            # Delay and film as this drive tells them: what rising fuel explains is no table's
            # error.
            measured = measure(driven, vehicle)
            conditions = film_known(measured).conditions
            seen = look_through(measured)
        except TooFewError:
            frame = make_frame(join_logs([d.log for d in driven]), vehicle, pieces_of(driven))
            conditions = prepare(Motion(frame), DelaySettings(), RegimeSettings()).conditions
            seen = None
        return pulls_of(conditions, altitude_m, seen)


def pulls_of(
    conditions: Conditions, altitude_m: float = 0.0, seen: Look | None = None
) -> PullReport:
    """The same from conditions that are at hand.

    Parameters
    ----------
    conditions : one joined log with aligned lambda.
    altitude_m : as above.
    seen : what was looked for in the whole drive; faults of the log alone if None.

    Returns
    -------
    The pulls.

    Raises
    ------
    BadInputError
        If that is no altitude.
    """
    low, high = ALTITUDE_M
    if not low <= altitude_m <= high:
        raise BadInputError(Say.ALTITUDE(metres=altitude_m, low=low, high=high))
    log = conditions.frame.log
    logged = Role.BARO in log and bool(np.isfinite(log[Role.BARO]).any())
    baro = held(log[Role.BARO]) if logged else np.full(len(log), standard_kpa(altitude_m))
    findings, shown = look_for_faults(conditions)
    findings = findings if seen is None else seen.findings
    delivery = None if seen is None else seen.delivery
    flow = commanded_flow(conditions.frame)
    in_doubt = any(f.id in SUPPLY_IDS for f in findings)
    pulls = tuple(
        with_supply(measure_pull(conditions, stretch, baro, shown), flow, delivery, in_doubt)
        for stretch in find_stretches(log, conditions.motion.gears)
    )
    return PullReport(conditions, pulls, baro, logged, findings)
