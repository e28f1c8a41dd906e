"""The whole path from logs to a correction, as one pure function."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from lean_trim.core.data.joining import join_logs
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.diagnosis.contradiction import Contradiction, find_contradictions
from lean_trim.core.diagnosis.delivery import DeliveryEnd, commanded_flow
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.inference import Inferred, infer
from lean_trim.core.diagnosis.patterns.drift_knots import DriftCourse
from lean_trim.core.drive.delay import DelaySettings
from lean_trim.core.drive.film import DEFAULT_TAU_S
from lean_trim.core.drive.frame import Frame, Piece, make_frame
from lean_trim.core.drive.gauge import GaugeWord
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.regimes import RegimeSettings
from lean_trim.core.drive.tip_in import thin_by_film
from lean_trim.core.errors import CancelledError
from lean_trim.core.estimation.averages import AverageSettings
from lean_trim.core.estimation.delay_fit import DelayEstimate, estimate_delay
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.film_fit import FilmEstimate, estimate_film
from lean_trim.core.estimation.log_shares import LogShare, log_sums
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.residual import Residual, cell_sums
from lean_trim.core.estimation.surface import SurfaceSettings
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.carrying import (
    NONE_EARLIER,
    CarrySettings,
    Earlier,
    EarlierDrives,
    disagreement,
    earlier_drives,
    means_of,
)
from lean_trim.core.pipeline.ending import end_of
from lean_trim.core.pipeline.factors import driven_factor, film_evidence, of_the_table
from lean_trim.core.pipeline.fitting import averages_from, own_drive, surface_from
from lean_trim.core.pipeline.layers import told_of_layer
from lean_trim.core.pipeline.look import Look, look_at
from lean_trim.core.pipeline.prepare import Prepared, prepare
from lean_trim.core.pipeline.tanks import refuse_unknown_tank
from lean_trim.core.sieve.sieve import SieveSettings, Sifted
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    CANCELLED = Message("solve.cancelled", "solving was cancelled; nothing was changed")
    READING = Message("solve.reading", "Reading the log")
    FAULTS = Message("solve.faults", "Looking for faults")
    SIFTING = Message("solve.sifting", "Sifting samples")
    DONE = Message("solve.done", "Done")
    DELAY = Message("solve.delay", "Reading the sensor delay from the log")
    FITTING_AGAIN = Message("solve.fitting_again", "Fitting again with that delay")


Method = Literal["surface", "average"]
Progress = Callable[[float, str], bool]
"""Called with the share done and what is being done; returns False to cancel."""


@dataclass(frozen=True)
class SolveSettings:
    """Settings of every stage. ``fit_delay`` reads the sensor delay from the log (surface method only).

    ``gauge`` is what the user says where the lambda gauge and the loop beside it disagree.
    """

    method: Method = "surface"
    fit_delay: bool = True
    gauge: GaugeWord = "unsaid"
    regimes: RegimeSettings = field(default_factory=RegimeSettings)
    delay: DelaySettings = field(default_factory=DelaySettings)
    sieve: SieveSettings = field(default_factory=SieveSettings)
    surface: SurfaceSettings = field(default_factory=SurfaceSettings)
    averages: AverageSettings = field(default_factory=AverageSettings)
    carrying: CarrySettings = field(default_factory=CarrySettings)


Cause = tuple[DeliveryEnd | None, DriftCourse | None]
"""Where fuel delivery ends, and how the need for fuel drifted: causes beside the table."""
NO_CAUSE: Cause = (None, None)


@dataclass(frozen=True, eq=False)
class Measured:
    """What the drive says of the table, before anything that is not airflow was looked for.

    Attributes
    ----------
    observations : with what film, warm-up and heat explain still in them.
    surface : the fit of the surface method, whichever method is shown.
    mended : what was told of fuel delivery and drift, and taken off.
    before : what earlier drives say of the same table.
    """

    prepared: Prepared
    sifted: Sifted
    observations: Observations
    surface: Estimate
    settings: SolveSettings
    delay: DelayEstimate
    film: FilmEstimate
    mended: Cause = NO_CAUSE
    before: EarlierDrives = NONE_EARLIER


@dataclass(frozen=True, eq=False)
class Solution:
    """Everything one solve produced, and what the next one can begin from.

    Attributes
    ----------
    observations : less what film, warm-up and heat explain.
    estimate : by the chosen method.
    seen : what was looked for; ``seen.done`` is False where nothing was yet, and nothing may then
        be written.
    """

    measured: Measured
    observations: Observations
    estimate: Estimate
    residual: Residual
    findings: tuple[Finding, ...]
    logs: tuple[LogShare, ...]
    seen: Look

    @property
    def prepared(self) -> Prepared:
        """The log as the sieve saw it."""
        return self.measured.prepared

    @property
    def sifted(self) -> Sifted:
        """What the sieve made of it."""
        return self.measured.sifted

    @property
    def settings(self) -> SolveSettings:
        """Of every stage."""
        return self.measured.settings

    @property
    def delay(self) -> DelayEstimate:
        """Of the sensor, read from the log or usual."""
        return self.measured.delay

    @property
    def film(self) -> FilmEstimate:
        """Of the intake wall."""
        return self.measured.film

    @property
    def inferred(self) -> tuple[Inferred, ...]:
        """What the log did not say."""
        return self.seen.inferred

    @property
    def contradictions(self) -> tuple[Contradiction, ...]:
        """Logs whose fuel contradicts the sheet."""
        return self.seen.contradictions

    @property
    def frame(self) -> Frame:
        """The log seen through its calibration."""
        return self.prepared.frame

    @property
    def lam(self) -> Floats:
        """Aligned lambda per log sample, NaN where unknown."""
        return self.prepared.conditions.lam

    @property
    def regime(self) -> NDArray[np.int8]:
        """Regime of every log sample, shape (n,)."""
        return self.prepared.conditions.regime

    @cached_property
    def k_along(self) -> Floats:
        """Factor k per log sample, shape (n,), NaN where the sample was left out."""
        out = np.full(len(self.frame.log), np.nan)
        out[self.observations.index] = self.observations.k
        return out


@dataclass(frozen=True, eq=False)
class DrivenLog:
    """A log and the table it was driven on, where that is not the present one."""

    log: Log
    table: Table | None = None


def pieces_of(logs: Sequence[DrivenLog]) -> tuple[Piece, ...]:
    """Where each log lies in the joined one.

    Parameters
    ----------
    logs : in the order they are joined.

    Returns
    -------
    First and last sample of each, and the table it was driven on.
    """
    ends = np.cumsum([len(d.log) for d in logs]).tolist()
    return tuple(
        Piece(d.log.name, end - len(d.log), end, d.table) for d, end in zip(logs, ends, strict=True)
    )


def solve(
    logs: Sequence[Log | DrivenLog],
    vehicle: Vehicle,
    settings: SolveSettings | None = None,
    left_out_by_hand: Mask | None = None,
    progress: Progress | None = None,
    earlier: Sequence[Earlier] = (),
) -> Solution:
    """Logs → correction of ``vehicle.table`` per cell with evidence, residual and findings.

    Parameters
    ----------
    logs : driven on ``vehicle.table`` unless a ``DrivenLog`` names another; those are translated,
        since k is relative to the table that was driven on.
    left_out_by_hand : samples of the joined log the user left out.
    progress : called between the stages; returning False raises CancelledError.
    earlier : what earlier drives of the same car said.

    Raises
    ------
    LogError
        If a channel is missing or too little is left to fit.
    """
    step = stepper(progress)
    found = measure(logs, vehicle, settings, left_out_by_hand, progress, earlier)
    step(LOOK_SHARE, str(Say.FAULTS()))
    solution = conclude(found, look_through(found))
    step(1.0, str(Say.DONE()))
    return solution


LOOK_SHARE = 0.95
"""How far a solve is when it begins to look for faults."""


def measure(
    logs: Sequence[Log | DrivenLog],
    vehicle: Vehicle,
    settings: SolveSettings | None = None,
    left_out_by_hand: Mask | None = None,
    progress: Progress | None = None,
    earlier: Sequence[Earlier] = (),
) -> Measured:
    """Logs → what they say of ``vehicle.table``; the first part of ``solve``, with the same parameters.

    Parameters
    ----------
    logs, vehicle, settings, left_out_by_hand, progress, earlier : as for ``solve``.

    Returns
    -------
    What ``look_through`` and ``conclude`` go on from.

    Raises
    ------
    LogError
        As ``solve``.
    """
    settings = settings or SolveSettings()
    step = stepper(progress)
    # Impossible readings become NaN or infinite on the way; the sieve leaves them out.
    with np.errstate(all="ignore"):
        step(0.0, str(Say.READING()))
        driven = [d if isinstance(d, DrivenLog) else DrivenLog(d) for d in logs]
        # Before anything is joined: two tanks in one fit would be a mean of both.
        for one in driven:
            refuse_unknown_tank(one.log, vehicle, len(driven))
        frame = frame_of(driven, vehicle, settings)
        found = _measure(Motion(frame), settings, left_out_by_hand, step)
        return with_earlier(found, earlier) if earlier else found


def frame_of(driven: Sequence[DrivenLog], vehicle: Vehicle, settings: SolveSettings) -> Frame:
    """Logs joined and seen through the calibration.

    Parameters
    ----------
    driven : in their order.
    vehicle : with the calibration.
    settings : what the user says of the gauge.

    Returns
    -------
    The frame.
    """
    joined = join_logs([d.log for d in driven])
    return make_frame(joined, vehicle, pieces_of(driven), settings.gauge)


def _measure(
    motion: Motion,
    settings: SolveSettings,
    by_hand: Mask | None,
    step: Callable[[float, str], None],
) -> Measured:
    frame = motion.frame
    step(0.2, str(Say.SIFTING()))
    # A first pass with default delay tells how wrong the table is; else that would pass for delay.
    found = _pass(motion, settings.delay, settings, by_hand)
    delay = DelayEstimate(settings.delay, False, note="defaults")
    film = FilmEstimate()
    if settings.fit_delay:
        step(0.6, str(Say.DELAY()))
        film = estimate_film(frame, *film_evidence(*found))
        delay = estimate_delay(frame, settings.delay, driven_factor(frame, found[-1]), film)
        if delay.estimated or film.estimated:
            step(0.7, str(Say.FITTING_AGAIN()))
            # What the first pass holds of a long log has to go before the second takes as much.
            del found
            found = _pass(motion, delay.settings, settings, by_hand, film.tau_s)
    return Measured(*found, settings, delay, film)


def with_earlier(measured: Measured, earlier: Sequence[Earlier]) -> Measured:
    """What was measured, with what earlier drives of the same car say.

    Parameters
    ----------
    measured : of the present drive alone.
    earlier : drives before it.

    Returns
    -------
    Fitted anew with those that do not contradict it. A fit: not for a window's thread.
    """
    settings = measured.settings
    plain = of_the_table(measured.observations, measured.surface)
    own = means_of(measured.prepared, plain, measured.surface, settings.surface.huber)
    table = measured.prepared.frame.vehicle.table
    before = earlier_drives(earlier, own, table, settings.carrying)
    surface = surface_from(
        measured.prepared, measured.sifted, measured.observations, settings.surface, before=before
    )
    return replace(measured, surface=surface, before=before)


def look_through(measured: Measured) -> Look:
    """Look for everything the drive shows that is not airflow; the second part of ``solve``.

    Parameters
    ----------
    measured : of one solve.

    Returns
    -------
    Findings, what was inferred, and logs that do not fit.
    """
    with np.errstate(all="ignore"):
        prepared = film_known(measured)
        conditions = prepared.conditions
        seen = look_at(
            prepared,
            measured.sifted,
            measured.observations,
            measured.surface,
            measured.delay,
            measured.settings.surface.film_spread,
        )
        return replace(
            seen, inferred=infer(conditions), contradictions=find_contradictions(conditions)
        )


def film_known(measured: Measured) -> Prepared:
    """What was prepared, with the lean error the wall film of this drive makes of rising fuel.

    Parameters
    ----------
    measured : of one solve.

    Returns
    -------
    The same with ``conditions.thin``.
    """
    prepared = measured.prepared
    film = measured.film
    surface = measured.surface
    thin = thin_by_film(
        prepared.frame, surface.wall_x, surface.wall_x_se, film.tau_s, film.tau_se_s
    )
    return replace(prepared, conditions=replace(prepared.conditions, thin=thin))


def _pass(
    motion: Motion,
    delay: DelaySettings,
    settings: SolveSettings,
    by_hand: Mask | None,
    film_tau_s: float = DEFAULT_TAU_S,
) -> tuple[Prepared, Sifted, Observations, Estimate]:
    """Once from the frame to an estimate, with one set of delay parameters."""
    prepared = prepare(motion, delay, settings.regimes, film_tau_s)
    sifted = prepared.sift(settings.sieve, by_hand)
    observations = told_of_layer(prepared, prepared.observe(sifted), settings.surface)
    return (
        prepared,
        sifted,
        observations,
        surface_from(prepared, sifted, observations, settings.surface),
    )


def refit(
    solution: Solution, settings: SolveSettings, left_out_by_hand: Mask | None = None
) -> Solution:
    """Solve again after a threshold of the sieve or of the estimator was changed, from the last solve on.

    Frame, delay, regimes and findings are taken over; the fit begins at the last one. Use ``solve``
    when regimes, delay settings or the logs change, and once a slider has come to rest.

    Parameters
    ----------
    solution : the last one.
    settings : with other knobs of the sieve or the estimator.
    left_out_by_hand : samples of the joined log the user left out, shape (n,).

    Returns
    -------
    A new solution.

    Raises
    ------
    LogError
        If too little is left to fit.
    """
    prepared = solution.prepared
    with np.errstate(all="ignore"):
        sifted = prepared.sift(settings.sieve, left_out_by_hand, solution.sifted)
        observations = told_of_layer(prepared, prepared.observe(sifted), settings.surface)
        before = solution.measured.before
        surface = surface_from(
            prepared, sifted, observations, settings.surface, solution.estimate, before
        )
        found = replace(
            solution.measured,
            sifted=sifted,
            observations=observations,
            surface=surface,
            settings=settings,
        )
        return conclude(found, solution.seen)


def conclude(measured: Measured, seen: Look) -> Solution:
    """What was measured and what was seen, as one solution; the last part of ``solve``.

    Parameters
    ----------
    measured : of one solve.
    seen : what was looked for; ``NOT_LOOKED`` where nothing was yet.

    Returns
    -------
    By the chosen method.
    """
    measured = without_causes(measured, seen)
    frame = measured.prepared.frame
    settings = measured.settings
    estimate = measured.surface
    with np.errstate(all="ignore"):
        plain = of_the_table(measured.observations, estimate)
        if settings.method == "average":
            estimate = averages_from(frame, plain, estimate, settings.averages)
        motion = measured.prepared.conditions.motion
        own = own_drive(frame, measured.observations)
        ended = end_of(
            estimate,
            cell_sums(frame, own, motion.nearest[own.index]),
            log_sums(frame, measured.observations, motion.durations_s),
            seen.findings,
            *acceptance(settings),
        )
    against = disagreement(measured.before)
    return Solution(
        measured=measured,
        observations=plain,
        estimate=estimate,
        residual=ended.residual,
        findings=ended.findings if against is None else (*ended.findings, against),
        logs=ended.logs,
        seen=seen,
    )


def without_causes(measured: Measured, seen: Look) -> Measured:
    """What was measured, less the lean that fuel which does not arrive makes, and less a drift.

    Parameters
    ----------
    measured : of one solve.
    seen : what was looked for; where a delivery ends is told there.

    Returns
    -------
    Fitted anew, and as it is where neither was told. A fit: not for a window's thread.
    """
    cause = (seen.delivery, seen.drift)
    if cause in (NO_CAUSE, measured.mended):
        return measured
    rest = less_causes(measured.prepared.frame, measured.observations, cause)
    surface = surface_from(
        measured.prepared,
        measured.sifted,
        rest,
        measured.settings.surface,
        measured.surface,
        measured.before,
    )
    return replace(measured, observations=rest, surface=surface, mended=cause)


def less_causes(frame: Frame, observations: Observations, cause: Cause) -> Observations:
    """Samples less what causes beside the table explain of them.

    Parameters
    ----------
    frame : the joined log.
    observations : its used samples.
    cause : where delivery ends, and how the need for fuel drifted.

    Returns
    -------
    The same with another k; as they are where there is no cause.
    """
    delivery, drift = cause
    if cause == NO_CAUSE:
        return observations
    effect = np.zeros(len(observations))
    if delivery is not None:
        effect += delivery.effect(commanded_flow(frame)[observations.index])
    if drift is not None:
        effect += drift.at(frame.log.time_s[observations.index])
    return replace(observations, k=observations.k * np.exp(-effect))


def acceptance(settings: SolveSettings) -> tuple[float, float]:
    """Driving near a cell, s, and error, percent, from which a change is accepted by the chosen method.

    Returns least driving and largest error.
    """
    if settings.method == "average":
        return settings.averages.min_seconds, np.inf
    return settings.surface.min_seconds, settings.surface.max_error_pct


def stepper(progress: Progress | None) -> Callable[[float, str], None]:
    """A function that reports a step, and raises CancelledError if that is answered with False.

    Parameters
    ----------
    progress : who is told; None for nobody.

    Returns
    -------
    Takes the share done and what is done next.
    """

    def step(share: float, what: str) -> None:
        if progress is not None and not progress(share, what):
            raise CancelledError(Say.CANCELLED())

    return step
