"""Hundreds of hours in hundreds of logs: read one after another, and read again where that saves memory.

Delay and wall film belong to the car and are read from a few of the logs, driven together. Then
every log is sifted by itself and only what the fit asks of it is kept. The fit is the same as for
one drive.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import reduce

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.joining import JOINT_GAP_S, join_logs
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.driving_shares import DrivingSeconds, driving_seconds
from lean_trim.core.decision.restraints import Restraints
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.findings import find_faults
from lean_trim.core.diagnosis.inference import Inferred, infer
from lean_trim.core.diagnosis.merging import merged_findings, merged_inferences
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.delay import DelaySettings
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.drive.motion import Motion
from lean_trim.core.drive.nuisance_terms import Term, heat_by_cell
from lean_trim.core.drive.tip_in import thin_by_film
from lean_trim.core.errors import BadInputError, LogError
from lean_trim.core.estimation.bounds import (
    Bounds,
    BoundSums,
    beyond_bounds,
    bound_sums,
    with_bounds,
)
from lean_trim.core.estimation.cell_evidence import Evidence, gather_evidence
from lean_trim.core.estimation.delay_fit import DelayEstimate
from lean_trim.core.estimation.edge_nodes import edge_nodes, with_edge_error
from lean_trim.core.estimation.estimate import Coefficient, Estimate
from lean_trim.core.estimation.film_fit import FilmEstimate
from lean_trim.core.estimation.gathering import TERMS, Gathering, with_all_terms
from lean_trim.core.estimation.log_shares import LogSums, log_sums
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.residual import CellSums, cell_sums
from lean_trim.core.estimation.surface import fit_samples
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.ending import end_of
from lean_trim.core.pipeline.look import in_order
from lean_trim.core.pipeline.prepare import prepare
from lean_trim.core.pipeline.solve import (
    DrivenLog,
    Progress,
    SolveSettings,
    acceptance,
    pieces_of,
    solve,
    stepper,
)
from lean_trim.core.pipeline.summary import (
    SampleCounts,
    Summary,
    counts_of,
    restraints_of,
    shared_error_pct,
)
from lean_trim.core.pipeline.tanks import refuse_unknown_tank
from lean_trim.core.pipeline.too_few import MIN_OBSERVATIONS, TooFewError
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    AVERAGES = Message(
        "batch.averages",
        "cell averages hold all samples in memory, and more than {most} is a batch; use the "
        "surface for it",
    )
    LAYERS = Message(
        "batch.layers",
        "several VE tables are told apart with all samples in memory, and more than {most} is a batch; "
        "correct fewer logs at a time",
    )
    DELAY = Message("batch.delay", "Reading delay and wall film from some of the logs")
    LOG = Message("batch.log", "Log {number} of {count}")
    FITTING = Message("batch.fitting", "Fitting all logs")
    DONE = Message("batch.done", "Done")
    TOO_FEW = Message(
        "batch.too_few",
        "The sieve left {left} of {total} samples in {logs} logs; at least {needed} are needed. "
        "Solve one of the logs alone to see what its samples are left out for.",
    )


MOST_JOINT = 1_000_000
"""Samples solved in one piece; more are a batch."""
FOR_DELAY = 300_000
"""Samples delay and film are read from: three hours at 25 Hz hold hundreds of quick changes."""
GOLDEN = 0.6180339887498949
"""Multiples of it, less whole numbers, spread the logs that are read first evenly over all."""
SHARE_DELAY = 0.05
"""Share of the whole work that reading delay and film is, for the progress shown."""
SHARE_LOGS = 0.9
"""Share that is done when the last log is gathered."""


@dataclass(frozen=True, eq=False)
class _Car:
    """What some of the logs tell of the car."""

    delay: DelayEstimate
    film: FilmEstimate
    unsettled: Mask
    share: Coefficient | None = None
    estimate: Estimate | None = None
    usual_k: float = np.nan
    patterns: tuple[Finding, ...] = ()


@dataclass(frozen=True, eq=False)
class _One:
    """What is kept of one log."""

    name: str
    start_s: float
    counts: SampleCounts
    evidence: Evidence
    driving: DrivingSeconds
    cells: CellSums
    share: LogSums
    restraints: Restraints
    shared: Floats
    pressure_logged: bool
    findings: tuple[Finding, ...]
    inferred: tuple[Inferred, ...]
    bounds: BoundSums | None


def solve_batch(
    logs: Sequence[Callable[[], DrivenLog]],
    vehicle: Vehicle,
    settings: SolveSettings | None = None,
    progress: Progress | None = None,
) -> Summary:
    """Many logs → correction of ``vehicle.table`` per cell, with evidence, residual and findings.

    Parameters
    ----------
    logs : each reads a log, in the order they were driven; some are called twice.
    vehicle : with the table that is to be corrected.
    settings : of every stage; only the surface method.
    progress : called after every log; returning False raises CancelledError.

    Returns
    -------
    What was found; the logs themselves are not kept.

    Raises
    ------
    LogError
        If a channel is missing in one of them, or too little is left to fit.
    BadInputError
        For the method of averages, which needs all samples at once.
    """
    settings = settings or SolveSettings()
    if settings.method != "surface":
        raise BadInputError(Say.AVERAGES(most=MOST_JOINT))
    if vehicle.layers:
        raise BadInputError(Say.LAYERS(most=MOST_JOINT))
    step = stepper(progress)
    step(0.0, str(Say.DELAY()))
    gathering = Gathering(vehicle.table, len(logs))
    found: list[_One] = []
    start_s = 0.0
    # Impossible readings become NaN or infinite on the way; the sieve leaves them out.
    with np.errstate(all="ignore"):
        car = _car(logs, vehicle, settings)
        for i, read in enumerate(logs):
            done = SHARE_DELAY + (SHARE_LOGS - SHARE_DELAY) * i / len(logs)
            step(done, str(Say.LOG(number=i + 1, count=len(logs))))
            driven = read()
            refuse_unknown_tank(driven.log, vehicle, len(logs))
            found.append(_take(driven, start_s, vehicle, settings, car, gathering))
            start_s += driven.log.duration_s + JOINT_GAP_S
        step(SHARE_LOGS, str(Say.FITTING()))
        summary = _fit(found, gathering, vehicle, settings, car)
    step(1.0, str(Say.DONE()))
    return summary


def _car(
    logs: Sequence[Callable[[], DrivenLog]], vehicle: Vehicle, settings: SolveSettings
) -> _Car:
    """Delay and film from logs spread over the batch, as many as hold ``FOR_DELAY`` samples."""
    some: dict[int, DrivenLog] = {}
    # Steps of the golden section are spread evenly however many of them are taken.
    for i in np.argsort((np.arange(len(logs)) * GOLDEN) % 1.0).tolist():
        some[i] = logs[i]()
        if sum(len(d.log) for d in some.values()) >= FOR_DELAY:
            break
    try:
        solution = solve([some[i] for i in sorted(some)], vehicle, settings)
    except TooFewError:
        usual = DelayEstimate(settings.delay, False, note="defaults")
        return _Car(usual, FilmEstimate(), unsettled=np.zeros(vehicle.table.shape, bool))
    return _Car(
        delay=solution.delay,
        film=solution.film,
        usual_k=solution.prepared.terms.usual_k,
        patterns=solution.seen.of_the_drive,
        unsettled=solution.seen.unsettled,
        share=solution.measured.surface.of(Term.FILM),
        estimate=solution.measured.surface,
    )


def _take(
    driven: DrivenLog,
    start_s: float,
    vehicle: Vehicle,
    settings: SolveSettings,
    car: _Car,
    gathering: Gathering,
) -> _One:
    """Sift one log, hand its observations over, and keep what is to be said of it."""
    joined = join_logs([driven.log])
    frame = make_frame(joined, vehicle, pieces_of([driven]), settings.gauge)
    motion = Motion(frame)
    delay: DelaySettings = car.delay.settings
    prepared = prepare(motion, delay, settings.regimes, car.film.tau_s, car.usual_k)
    sifted = prepared.sift(settings.sieve)
    observations = with_all_terms(prepared.observe(sifted))
    both, bounds = _with_bounds(observations, prepared.bounds(sifted), car, vehicle)
    gathering.add(both)
    return _One(
        name=driven.log.name,
        start_s=start_s - float(driven.log.time_s[0]),
        counts=counts_of(frame, sifted, observations),
        evidence=gather_evidence(both, vehicle.table, frame.log.time_s),
        driving=driving_seconds(sifted, observations),
        cells=cell_sums(frame, observations, motion.nearest[observations.index]),
        share=log_sums(frame, observations, motion.durations_s)[0],
        restraints=restraints_of(sifted, car.unsettled, observations),
        pressure_logged=Role.FUEL_DP in frame.log,
        shared=shared_error_pct(frame, observations, settings.surface.gauge_pct),
        findings=find_faults(_film_known(prepared.conditions, car)),
        inferred=infer(prepared.conditions),
        bounds=bounds,
    )


def _with_bounds(
    observations: Observations, bounds: Bounds, car: _Car, vehicle: Vehicle
) -> tuple[Observations, BoundSums | None]:
    """Readings, and trims at their stop as the readings they amount to where some logs put the car.

    One piece says anew what they amount to after every fit. Here that is done with the logs that were
    read first; to read all of them again for it would take as long as all the rest.
    """
    if car.estimate is None or not len(bounds):
        return observations, None
    told = replace(bounds, at=with_all_terms(bounds.at))
    both = with_bounds(observations, told, car.estimate)
    return both, bound_sums(observations, both, told, vehicle.table.size)


def _film_known(conditions: Conditions, car: _Car) -> Conditions:
    """With the lean error that the film of the car makes of rising fuel."""
    if car.share is None:
        return conditions
    film = car.film
    thin = thin_by_film(
        conditions.frame, car.share.value, car.share.std_error, film.tau_s, film.tau_se_s
    )
    return replace(conditions, thin=thin)


def _fit(
    found: Sequence[_One],
    gathering: Gathering,
    vehicle: Vehicle,
    settings: SolveSettings,
    car: _Car,
) -> Summary:
    """One surface through everything that was gathered."""
    counts = reduce(SampleCounts.plus, (one.counts for one in found))
    if len(gathering) < MIN_OBSERVATIONS:
        raise LogError(
            Say.TOO_FEW(
                left=len(gathering), total=counts.total, logs=len(found), needed=MIN_OBSERVATIONS
            )
        )
    samples = gathering.samples()
    evidence = reduce(Evidence.plus, (one.evidence for one in found))
    heat = heat_by_cell(vehicle)
    fitted = fit_samples(samples, evidence, vehicle.table, settings.surface, heat=heat)
    bounds = [one.bounds for one in found if one.bounds is not None]
    if bounds:
        fitted = beyond_bounds(fitted, reduce(BoundSums.plus, bounds))
    restraints = reduce(Restraints.plus, (one.restraints for one in found))
    assert restraints.gaps is not None
    estimate = with_edge_error(fitted, edge_nodes(vehicle.table, restraints.gaps))
    coefficients = np.array(
        [next((c.value for c in estimate.shared if c.term is t), 0.0) for t in TERMS]
    )
    # A residual of another revision says nothing about how far this table is off.
    own = [one for one in found if not one.share.translated] or list(found)
    ended = end_of(
        estimate,
        reduce(CellSums.plus, (one.cells for one in own)),
        [one.share for one in found],
        in_order(
            (*car.patterns, *merged_findings([(f.name, f.start_s, f.findings) for f in found]))
        ),
        *acceptance(settings),
        coefficients=coefficients,
    )
    return Summary(
        vehicle=vehicle,
        estimate=estimate,
        delay=car.delay,
        film=car.film,
        residual=ended.residual,
        samples=counts,
        sieve=settings.sieve,
        findings=ended.findings,
        inferred=merged_inferences([one.inferred for one in found]),
        logs=ended.logs,
        pressure_logged=all(one.pressure_logged for one in found),
        shared_error_pct=np.mean([one.shared for one in found], axis=0),
        restraints=restraints,
        driving=reduce(DrivingSeconds.plus, (one.driving for one in found)).shares(
            vehicle.table.shape
        ),
    )
