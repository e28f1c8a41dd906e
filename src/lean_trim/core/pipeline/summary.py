"""What a solve found, without the log it found it in: as small for a batch as for a drive."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.driving_shares import DrivingShares, driving_seconds
from lean_trim.core.decision.knock import knock_cells, knock_readings, sagging_cells
from lean_trim.core.decision.restraints import Restraints
from lean_trim.core.diagnosis.contradiction import implausible
from lean_trim.core.diagnosis.delivery import DeliveryEnd, commanded_flow
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.inference import Inferred
from lean_trim.core.diagnosis.of_fit import gauge_in_question
from lean_trim.core.drive.frame import Frame
from lean_trim.core.drive.trim_stops import trim_stops, whole_scale
from lean_trim.core.estimation.bounds import HALF_NORMAL_MEAN, UNKNOWN_PCT
from lean_trim.core.estimation.carried import PlaceMeans
from lean_trim.core.estimation.cell_evidence import MIN_SHARE
from lean_trim.core.estimation.delay_fit import DelayEstimate
from lean_trim.core.estimation.edge_nodes import gaps_along
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.film_fit import FilmEstimate
from lean_trim.core.estimation.log_shares import LogShare
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.estimation.residual import Residual
from lean_trim.core.pipeline.carrying import DriveEvidence, driving_with, means_of, restraints_with
from lean_trim.core.pipeline.look import Look
from lean_trim.core.pipeline.planning import reached_in
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.sieve.sieve import SieveSettings, Sifted
from lean_trim.core.types import Floats, Mask

MOSTLY_IN_FORCE = 0.5
SEEN_ELSEWHERE_S = 0.5
"""Share of a table below which the other one was in force, and seconds that count (choices)."""


@dataclass(frozen=True)
class SampleCounts:
    """Samples there were, were used and for how many seconds.

    Hit by which rule, and blank or impossible in which channel.
    """

    total: int
    used: int
    used_s: float
    hit: Mapping[str, int]
    blank: Mapping[Role, int]
    impossible: Mapping[Role, int]

    def plus(self, other: SampleCounts) -> SampleCounts:
        """Counts of both."""
        return SampleCounts(
            self.total + other.total,
            self.used + other.used,
            self.used_s + other.used_s,
            Counter(self.hit) + Counter(other.hit),
            Counter(self.blank) + Counter(other.blank),
            Counter(self.impossible) + Counter(other.impossible),
        )


@dataclass(frozen=True, eq=False)
class Summary:
    """Everything a round is decided and reported from.

    Attributes
    ----------
    samples : what was there and what was used.
    restraints : what speaks on a proposal beside the estimate.
    shared_error_pct : standard error that all cells have in common, for their gauge, percent.
    driving : how each cell was driven.
    places : what the drive said place by place; None where nobody needs it.
    pressure_logged : whether differential fuel pressure was; in every log, where there are several.
    The rest is as in ``Solution``.
    """

    vehicle: Vehicle
    estimate: Estimate
    delay: DelayEstimate
    film: FilmEstimate
    residual: Residual
    samples: SampleCounts
    sieve: SieveSettings
    findings: tuple[Finding, ...]
    inferred: tuple[Inferred, ...]
    logs: tuple[LogShare, ...]
    restraints: Restraints
    shared_error_pct: Floats
    pressure_logged: bool
    driving: DrivingShares
    places: PlaceMeans | None = None


def counts_of(frame: Frame, sifted: Sifted, observations: Observations) -> SampleCounts:
    """Count the samples of a log.

    Parameters
    ----------
    frame : the log seen through its calibration.
    sifted : what the sieve made of it.
    observations : what it let through.

    Returns
    -------
    Counts that can be added to those of other logs.
    """
    return SampleCounts(
        len(frame.log),
        int(sifted.used.sum()),
        float(observations.seconds.sum()),
        sifted.counts,
        frame.holes.blank,
        frame.holes.impossible,
    )


def shared_error_pct(frame: Frame, observations: Observations, gauge_pct: float) -> Floats:
    """What the gauge makes of all cells alike, which no driving with it removes.

    Parameters
    ----------
    frame : a log seen through its calibration.
    observations : its used samples.
    gauge_pct : standard deviation of the gauge at lambda 1 before anything is known, percent.

    Returns
    -------
    Percent, in the table's shape; larger where a rich mixture is wanted.
    """
    table = frame.vehicle.table
    mesh = observations.mesh
    weight = observations.seconds[:, None] * mesh.weights
    cells = mesh.cells.ravel()
    whole = np.bincount(cells, weight.ravel(), table.size)
    target = frame.target[observations.index][:, None] * weight
    mean = np.bincount(cells, target.ravel(), table.size) / np.maximum(whole, 1e-12)
    undriven = float(np.mean(frame.target[observations.index])) if len(observations) else 1.0
    wanted = np.where(whole > 0.0, mean, undriven)
    share = frame.gauge.error_at(wanted, gauge_pct / 100.0)
    return np.asarray(100.0 * share).reshape(table.shape)


def restraints_of(
    sifted: Sifted, unsettled: Mask, observations: Observations, seen: Look | None = None
) -> Restraints:
    """What one log says beside its estimate.

    Parameters
    ----------
    sifted : what the sieve made of it.
    unsettled : cells nothing may be taken out of until a pattern is settled, in the table's shape.
    observations : what it let through.
    seen : what else was found: where fuel ends, and how its need drifted; None for neither.

    Returns
    -------
    In the table's shape.
    """
    delivery = None if seen is None else seen.delivery
    drift = None if seen is None else seen.drift
    fault = sagging_cells(sifted) | unsettled
    return Restraints(
        knock=knock_cells(sifted),
        knock_at=knock_readings(sifted),
        fault=fault,
        least_pct=_least_pct(sifted),
        unproven=_unproven(sifted, delivery),
        gaps=gaps_along(sifted.conditions.frame, observations),
        not_in_force=_not_in_force(sifted),
        # The drift was taken off to the drive's mean.
        richer_pct=0.0 if drift is None else drift.richer_pct,
    )


def _not_in_force(sifted: Sifted) -> Mask | None:
    """Cells the drive was in while the other table of a blended ECU was in force; None of other ECUs."""
    conditions = sifted.conditions
    table = conditions.frame.vehicle.table
    if conditions.frame.two is None:
        return None
    motion = conditions.motion
    elsewhere = conditions.airflow_source.share < MOSTLY_IN_FORCE
    seconds = np.bincount(
        motion.nearest[elsewhere], motion.durations_s[elsewhere], minlength=table.size
    )
    return np.asarray(seconds >= SEEN_ELSEWHERE_S).reshape(table.shape)


def _unproven(sifted: Sifted, delivery: DeliveryEnd | None) -> Mask:
    """Cells read where fuel may not have arrived."""
    frame = sifted.conditions.frame
    table = frame.vehicle.table
    out = np.zeros(table.size, bool)
    if delivery is not None:
        near = delivery.near(commanded_flow(frame))
        out[frame.mesh.cells[near][frame.mesh.weights[near] >= MIN_SHARE]] = True
    return out.reshape(table.shape)


def _least_pct(sifted: Sifted) -> Floats:
    """What feedback at its stop has shown to be needed; minus infinity where it arrives."""
    conditions = sifted.conditions
    frame = conditions.frame
    table = frame.vehicle.table
    scale = whole_scale(frame, conditions.regime)
    if scale <= 1.0:
        return np.full(table.shape, -np.inf)
    out = np.full(table.size, 100.0 * (scale - 1.0))
    # Where it was seen at its stop, more is wanted than it gave; how much more, nobody knows.
    at_stop = trim_stops(frame) > 0
    seen = frame.mesh.cells[at_stop][frame.mesh.weights[at_stop] >= MIN_SHARE]
    out[seen] = 100.0 * (scale * (1.0 + HALF_NORMAL_MEAN * UNKNOWN_PCT / 100.0) - 1.0)
    return out.reshape(table.shape)


def own_restraints(solution: Solution) -> Restraints:
    """What the drive of a solution itself says beside its estimate."""
    return restraints_of(
        solution.sifted, solution.seen.unsettled, solution.observations, solution.seen
    )


def evidence_of(solution: Solution) -> DriveEvidence:
    """What is kept of a solved round for the ones after it.

    Parameters
    ----------
    solution : with faults looked for.

    Returns
    -------
    Of its own drive alone, whatever was carried to it.
    """
    return DriveEvidence(
        table=solution.frame.vehicle.table,
        means=places_of(solution),
        restraints=own_restraints(solution),
        driving=driving_seconds(solution.sifted, solution.observations),
        doubted=is_doubted(solution),
        reached=reached_in(solution),
    )


def places_of(solution: Solution) -> PlaceMeans:
    """What a drive said place by place, of its own samples alone."""
    return means_of(
        solution.prepared,
        solution.observations,
        solution.measured.surface,
        solution.settings.surface.huber,
    )


def is_doubted(solution: Solution) -> bool:
    """Whether something speaks against a drive as a whole, so that it is compared with no other.

    Parameters
    ----------
    solution : of one round.

    Returns
    -------
    True for a log that does not fit the vehicle, and for a gauge that is in question.
    """
    return (
        bool(solution.contradictions)
        or implausible(solution.residual.rms) is not None
        or gauge_in_question(solution.findings) is not None
    )


def summary_of(solution: Solution) -> Summary:
    """What a solution found.

    Parameters
    ----------
    solution : of one round.

    Returns
    -------
    The same without the log.
    """
    sifted = solution.sifted
    before = solution.measured.before
    return Summary(
        vehicle=solution.frame.vehicle,
        estimate=solution.estimate,
        delay=solution.delay,
        film=solution.film,
        residual=solution.residual,
        samples=counts_of(solution.frame, sifted, solution.observations),
        sieve=sifted.settings,
        findings=solution.findings,
        inferred=solution.inferred,
        logs=solution.logs,
        pressure_logged=Role.FUEL_DP in solution.frame.log,
        shared_error_pct=shared_error_pct(
            solution.frame, solution.observations, solution.settings.surface.gauge_pct
        ),
        restraints=restraints_with(own_restraints(solution), before),
        driving=driving_with(driving_seconds(sifted, solution.observations), before).shares(
            solution.estimate.table.shape
        ),
    )
