"""Logs and a sheet → what flow, dead time and airflow table are off by, each with its error."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypedDict

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.fuel_supply import Supply, supply_of
from lean_trim.core.estimation.explained import explained
from lean_trim.core.estimation.loop_rest import loop_rests
from lean_trim.core.estimation.places import Places
from lean_trim.core.injectors.identify import Split, split
from lean_trim.core.injectors.injector_verdict import Verdict, verdict_on
from lean_trim.core.injectors.measured import Measured, statements
from lean_trim.core.injectors.measured_words import MeasuredWords
from lean_trim.core.injectors.places import gather_pulses
from lean_trim.core.injectors.small_pulses import SmallPulses, small_pulses
from lean_trim.core.injectors.voltage import VoltageSlope, voltage_slope
from lean_trim.core.pipeline.prepare import prepare
from lean_trim.core.pipeline.solve import DrivenLog, Progress, Solution, SolveSettings, solve
from lean_trim.core.types import Floats

DEFAULT_TRUST_PCT = 3.0
"""Standard deviation of the airflow table's mean error where nothing is said (common practice, no
source)."""
TRUST_PCT = (0.1, 30.0)
"""Range of that trust, percent."""
HUBER = 2.0
"""Residual, in its own scale, from which a sample loses influence."""
DELAY_STEP_S = 0.02
"""Change of delay by which its part of the error is read, s."""


@dataclass(frozen=True, eq=False)
class InjectorReport:
    """What was found, and what it was found from.

    Attributes
    ----------
    solution : of the table, from which delay, sieve and noise are taken.
    places : what is known where.
    split : flow, dead time and airflow apart.
    trust_pct : the user's word.
    slope : of the dead time over voltage, where loads were switched.
    supply : how the fuel pressure was held.
    small : what short pulses lose beyond the straight line; None where they were not driven.
    """

    solution: Solution
    places: Places
    split: Split
    trust_pct: float
    slope: VoltageSlope
    supply: Supply
    small: SmallPulses | None = None


def verdict_of(report: InjectorReport) -> Verdict:
    """What a report is worth.

    Parameters
    ----------
    report : as ``identify_injectors`` gives it.

    Returns
    -------
    What was told, what was not, and the drive that would settle it.
    """
    frame = report.solution.prepared.frame
    by_equation = Role.PULSE_WIDTH not in frame.log or not len(frame.vehicle.injectors.volts)
    return verdict_on(
        report.split,
        report.places,
        report.trust_pct,
        report.slope,
        report.supply,
        report.small,
        by_equation,
    )


def identify_injectors(
    logs: Sequence[Log | DrivenLog],
    vehicle: Vehicle,
    trust_pct: float = DEFAULT_TRUST_PCT,
    settings: SolveSettings | None = None,
    progress: Progress | None = None,
    measured: MeasuredWords | None = None,
    wide: bool = False,
) -> InjectorReport:
    """Tell flow, dead time and airflow apart.

    Parameters
    ----------
    logs : of one set of injectors.
    vehicle : with the injector data that is in the ECU.
    trust_pct : standard deviation of the airflow table's mean error over the driven states,
        percent, 0.1 to 30.
    settings : of the solve.
    progress : called between the stages; returning False cancels.
    measured : apart from the drive's mixture.
    wide : whether the injectors are more than twice, or less than half, the size of those before.

    Returns
    -------
    Estimates with errors; that of the delay is in them.

    Raises
    ------
    LogError
        If open times are not known or do not move, or too little driving is left.
    """
    settings = settings or SolveSettings()
    return identify_from(
        solve(logs, vehicle, settings, progress=progress), trust_pct, measured, wide
    )


def identify_from(
    solution: Solution,
    trust_pct: float = DEFAULT_TRUST_PCT,
    measured: MeasuredWords | None = None,
    wide: bool = False,
) -> InjectorReport:
    """The same from a solve that is at hand.

    Parameters
    ----------
    solution : by the surface method.
    trust_pct, measured, wide : as for ``identify_injectors``.

    Returns
    -------
    Estimates with errors.

    Raises
    ------
    LogError
        If open times are not known or do not move.
    BadInputError
        If something measured cannot be.
    """
    with np.errstate(all="ignore"):
        places = _places(solution)
        frame = solution.prepared.frame
        said = statements(measured or MeasuredWords(), frame)
        straight = _split(solution, places, trust_pct, said, wide)
        words = _words(solution, trust_pct, said, wide)
        small = small_pulses(places, solution.estimate.table, **words)
        found = _with_delay(solution, straight, trust_pct, said, wide)
        if small is not None:
            # An error of the delay moves both alike.
            moved = found.covariance - straight.covariance
            curved = replace(small.split, covariance=small.split.covariance + moved)
            small = replace(small, split=curved)
        # An ECU that has such a table gets a dead time for it.
        if small is not None and len(frame.vehicle.injectors.small_open_ms):
            found = small.split
        return InjectorReport(
            solution=solution,
            places=places,
            split=found,
            trust_pct=trust_pct,
            slope=_slope(solution, found),
            supply=supply_of(frame),
            small=small,
        )


def _slope(solution: Solution, found: Split) -> VoltageSlope:
    """Of the dead time over voltage, from what the surface fit leaves of the samples that count."""
    observations = solution.prepared.observe(solution.sifted)
    frame = solution.prepared.frame
    left = np.full(len(frame.log), np.nan)
    left[observations.index] = np.log(observations.k) - np.log(
        explained(solution.estimate, observations)
    )
    return voltage_slope(frame, left, np.isfinite(left), found.dead_ms)


def _places(solution: Solution, sensor_s: float = 0.0) -> Places:
    """Places of the solution, or of the same with a delay that is longer by so much."""
    prepared = solution.prepared
    if sensor_s:
        delay = replace(
            solution.delay.settings, sensor_s=solution.delay.settings.sensor_s + sensor_s
        )
        motion = prepared.conditions.motion
        prepared = prepare(motion, delay, solution.settings.regimes, solution.film.tau_s)
    sifted = solution.sifted if not sensor_s else prepared.sift(solution.settings.sieve, None)
    observations = prepared.observe(sifted)
    estimate = solution.estimate
    assert estimate.state is not None
    residual: Floats = observations.k - explained(solution.estimate, observations)
    resting = loop_rests(prepared.frame)[observations.index]
    return gather_pulses(
        prepared.frame, observations.only(resting), residual[resting], estimate.state.scale, HUBER
    )


def _split(
    solution: Solution, places: Places, trust_pct: float, measured: Sequence[Measured], wide: bool
) -> Split:
    return split(places, solution.estimate.table, **_words(solution, trust_pct, measured, wide))


class _Words(TypedDict):
    """What a split is told beside the places."""

    unit: float
    trust: float
    film_spread: float
    measured: Sequence[Measured]
    wide: bool


def _words(
    solution: Solution, trust_pct: float, measured: Sequence[Measured], wide: bool
) -> _Words:
    state = solution.estimate.state
    assert state is not None
    return _Words(
        unit=1.0 / (state.scale**2 * state.inflation),
        trust=trust_pct / 100.0,
        film_spread=solution.settings.surface.film_spread,
        measured=measured,
        wide=wide,
    )


def _with_delay(
    solution: Solution, found: Split, trust_pct: float, measured: Sequence[Measured], wide: bool
) -> Split:
    """The same, its covariance with what an error of the sensor delay would move."""
    later = _split(solution, _places(solution, DELAY_STEP_S), trust_pct, measured, wide)
    per_s = (
        np.array([later.log_flow - found.log_flow, later.dead_ms - found.dead_ms]) / DELAY_STEP_S
    )
    total = solution.delay.total_se_s
    error = total if np.isfinite(total) else DELAY_STEP_S
    return replace(found, covariance=found.covariance + np.outer(per_s, per_s) * error**2)
