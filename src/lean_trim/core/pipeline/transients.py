"""A solve → what happens when air moves faster than fuel, and what to change for it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import fill_missing
from lean_trim.core.data.tables import Table
from lean_trim.core.drive.delay import lambda_arriving
from lean_trim.core.drive.regimes import Regime, RegimeSettings
from lean_trim.core.messages import Message, Said
from lean_trim.core.pipeline.factors import FILM_RULES, driven_factor, film_evidence
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.sieve.sieve import MANUAL_BIT, RULE_BITS
from lean_trim.core.transients.after_start import AfterStart, after_start_of
from lean_trim.core.transients.classes import TransientClass, classes_of
from lean_trim.core.transients.cold_film import ColdFilm, fit_cold_film
from lean_trim.core.transients.cuts import CutThresholds, cut_thresholds
from lean_trim.core.transients.errors import Measured, lambda_error_pct, measure
from lean_trim.core.transients.events import Transient
from lean_trim.core.transients.idle import CHANNELS, Idle, at_idle, idle_of
from lean_trim.core.transients.needed import Change, changes_to_write
from lean_trim.core.transients.quick_changes import (
    QuickChanges,
    Rows,
    quick_changes,
    rows_of,
    what_is_missing,
)
from lean_trim.core.transients.to_write import Told, Written, correction_to_write
from lean_trim.core.transients.wall_film import SENSOR, WallFilm, arrives_s, fit_wall_film, no_film
from lean_trim.core.transients.warm_up import TemperatureBin, over_temperature
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    NONE = Message(
        "transients.none", "No quick change was driven: the throttle moved slowly throughout."
    )
    NO_EDGE = Message(
        "transients.no_edge",
        "Neither throttle nor manifold pressure was logged, so no quick change is seen.",
    )


CHANGES_TEMPERATURE = ("cold", "starting", "settling")
"""Rules that leave samples out because of what temperature does to them."""
COLD_C = 60.0
"""Coolant below which a film is that of a cold engine (common practice, no source)."""
SETTLED_K = 8.0
"""Below the warmest coolant, K, from which the engine counts as warm."""
ENOUGH_CHANGES = 12
"""Quick changes of the warm engine with which no colder ones are taken in."""
BARO_STEP_KPA = 2.0
"""Width of a class of barometer, kPa."""
ColdChanges = tuple[QuickChanges, Floats]


@dataclass(frozen=True, eq=False)
class TransientReport:
    """Everything of a drive that its table cannot hold.

    Attributes
    ----------
    film, cold_film : of the walls, and of those of the cold engine; None where that is not told.
    events : quick changes; ``measured`` those whose answer is known, ``classes`` them by kind, load and size.
    changes : what to write for each class; none where the film is not known.
    warm_up, intake, height : missing fuel over coolant, intake air (°C) and barometer (kPa).
    after_start : what fades after a start; None where the log holds none, or nothing fades.
    idle : None where it did not idle for long enough.
    cuts : where fuel is cut and given back; None where hardly any cut was seen.
    diluted : True where the sensor sits at the tailpipe, whose idle reads leaner than it is.
    missing : why there is nothing; None where there is.
    """

    film: WallFilm
    cold_film: ColdFilm | None
    events: tuple[Transient, ...]
    measured: tuple[Measured, ...]
    classes: tuple[TransientClass, ...]
    changes: tuple[Change, ...]
    warm_up: tuple[TemperatureBin, ...]
    intake: tuple[TemperatureBin, ...]
    height: tuple[TemperatureBin, ...]
    after_start: AfterStart | None
    idle: Idle | None
    cuts: CutThresholds | None
    diluted: bool
    missing: Said | None


def transients_of(solution: Solution) -> TransientReport:
    """Look at quick changes, warm-up and idle.

    Parameters
    ----------
    solution : of one or more logs, by the surface.

    Returns
    -------
    The report.
    """
    with np.errstate(all="ignore"):
        return _report(solution)


def table_to_write(report: TransientReport, name: str, corrections: Mapping[str, Table]) -> Written:
    """One of the ECU's corrections of fuel as a drive needs it.

    Parameters
    ----------
    report : of the drive.
    name : one of ``corrections``.
    corrections : tables that were in the ECU, by name.

    Returns
    -------
    On the table's own axes.
    """
    told = Told(report.changes, report.film, report.warm_up, report.intake, report.cold_film)
    return correction_to_write(name, corrections, told)


def wall_film_of(solution: Solution) -> tuple[WallFilm, QuickChanges | None]:
    """The wall film as one drive tells it.

    Parameters
    ----------
    solution : of one or more logs, by the surface.

    Returns
    -------
    The film, not ``known`` where it does not, and the quick changes it was read from.
    """
    with np.errstate(all="ignore"):
        return _film(solution, drive_rows(solution))


def drive_rows(solution: Solution) -> Rows:
    """Every row of a drive as films are read from it."""
    return rows_of(solution.frame, driven_factor(solution.frame, solution.estimate))


def cold_film_of(
    solution: Solution, film: WallFilm, rows: Rows
) -> tuple[ColdFilm | None, ColdChanges | None]:
    """The film before the engine is warm.

    Parameters
    ----------
    solution : of one or more logs.
    film : of the warm engine.
    rows : of the whole drive.

    Returns
    -------
    None where the drive does not tell, and the changes it is read from with coolant at their judged
    rows.
    """
    log = solution.frame.log
    if not film.known or Role.COOLANT not in log:
        return None, None
    coolant = log[Role.COOLANT]
    apart = {*FILM_RULES, *CHANGES_TEMPERATURE}
    others = np.uint32(sum(int(bit) for name, bit in RULE_BITS.items() if name not in apart))
    may = ((solution.sifted.reason_bits & (others | MANUAL_BIT)) == 0) & (coolant < COLD_C)
    changes = quick_changes(solution.frame, rows, may)
    if changes is None:
        return None, None
    # The rows of the changes are some of the log's, in the same order.
    at = np.searchsorted(log.time_s, changes.rows.time_s[changes.judged])
    there = coolant[np.minimum(at, len(log) - 1)]
    return fit_cold_film(changes, there, film), (changes, there)


def _film(solution: Solution, rows: Rows) -> tuple[WallFilm, QuickChanges | None]:
    delay = solution.delay.settings
    missing = what_is_missing(solution.frame)
    if missing is not None:
        return no_film(delay, missing), None
    prepared = solution.prepared
    sifted = solution.sifted
    seen = solution.observations
    _, may = film_evidence(prepared, sifted, seen, solution.estimate)
    changes = quick_changes(solution.frame, rows, may & _settled(solution))
    # A short cold drive: rather a film of all of it than none.
    if changes is None or len(np.unique(changes.window)) < ENOUGH_CHANGES:
        changes = quick_changes(solution.frame, rows, may)
    return fit_wall_film(changes, delay), changes


def _settled(solution: Solution) -> Mask:
    """Where the engine is about as warm as it gets on this drive: until then its film goes on thinning."""
    log = solution.frame.log
    coolant = log.get(Role.COOLANT)
    if not np.isfinite(coolant).any():
        return np.ones(len(log), bool)
    # Written so that unknown coolant counts as warm.
    return np.asarray(~(coolant < np.nanpercentile(coolant, 90.0) - SETTLED_K))


def _report(solution: Solution) -> TransientReport:
    frame = solution.frame
    log = frame.log
    k = driven_factor(frame, solution.estimate)
    rows = rows_of(frame, k)
    film, _ = _film(solution, rows)
    events = solution.prepared.transients
    sensor_s = float(np.exp(film.theta[SENSOR]))
    # Where air moves quickly gas is not as late as the flow at its injection says.
    lam = lambda_arriving(frame, arrives_s(rows, film.theta) + sensor_s)
    error = lambda_error_pct(frame, lam, k, sensor_s)
    measured = measure(log.time_s, error, events)
    classes = classes_of(measured)
    steady = _steady_but_for_temperature(solution)
    return TransientReport(
        film=film,
        cold_film=cold_film_of(solution, film, rows)[0],
        events=events,
        measured=measured,
        classes=classes,
        # By a film that is only usual, what to write would be a guess.
        changes=changes_to_write(classes, rows, film) if film.known else (),
        warm_up=over_temperature(
            log.get(Role.COOLANT), error, steady, log.durations_s, 100.0 * (frame.fuel_ratio - 1.0)
        ),
        intake=over_temperature(log.get(Role.IAT), error, solution.sifted.used, log.durations_s),
        height=over_temperature(
            log.get(Role.BARO), error, solution.sifted.used, log.durations_s, step=BARO_STEP_KPA
        ),
        after_start=after_start_of(
            log.time_s, fill_missing(log[Role.RPM]), log.get(Role.COOLANT), error, steady
        ),
        idle=_idle(solution, error),
        cuts=cut_thresholds(frame),
        diluted=frame.vehicle.sensor_place == "tailpipe",
        missing=_nothing(solution, events),
    )


def _steady_but_for_temperature(solution: Solution) -> Mask:
    """Samples that nothing but temperature speaks against."""
    others = np.uint32(
        sum(int(bit) for name, bit in RULE_BITS.items() if name not in CHANGES_TEMPERATURE)
    )
    return np.asarray((solution.sifted.reason_bits & (others | MANUAL_BIT)) == 0)


def _idle(solution: Solution, error: Floats) -> Idle | None:
    log = solution.frame.log
    settings = RegimeSettings()
    warm = (solution.regime != Regime.WARM_UP) & (solution.regime != Regime.STOPPED)
    return idle_of(
        time_s=log.time_s,
        step_s=log.step_s,
        seconds=log.durations_s,
        idling=at_idle(log, warm, settings.idle_rpm, settings.closed_pct),
        error_pct=error,
        rpm=fill_missing(log[Role.RPM]),
        channels={name: log[role] for role, name in CHANNELS.items() if role in log},
        gear=log.get(Role.GEAR) if Role.GEAR in log else None,
    )


def _nothing(solution: Solution, events: tuple[Transient, ...]) -> Said | None:
    if events:
        return None
    log = solution.frame.log
    return Say.NONE() if Role.THROTTLE in log or Role.MAP in log else Say.NO_EDGE()
