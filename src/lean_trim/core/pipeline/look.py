"""Everything a drive shows that is not airflow: faults of log and sensor, and patterns in what is asked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core.diagnosis.causes import brought_about, explained_by
from lean_trim.core.diagnosis.contradiction import Contradiction
from lean_trim.core.diagnosis.delivery import DeliveryEnd, find_delivery_end
from lean_trim.core.diagnosis.finding import RANK, Finding
from lean_trim.core.diagnosis.findings import look_for_faults
from lean_trim.core.diagnosis.inference import Inferred
from lean_trim.core.diagnosis.of_fit import (
    COLD_ID,
    ENDS_ID,
    GAUGE_ID,
    SLOW_ID,
    cold_engine,
    delivery_ends,
    gauge_off,
    sensor_slow,
)
from lean_trim.core.diagnosis.patterns.drift_knots import DriftCourse
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.estimation.delay_fit import DelayEstimate
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.estimation.observations import Observations
from lean_trim.core.pipeline.patterns import PatternReport, find_patterns
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.sieve.sieve import Sifted
from lean_trim.core.types import Mask


@dataclass(frozen=True, eq=False)
class Look:
    """What was seen.

    Attributes
    ----------
    findings : dangers first, causes before what follows from them.
    shown : samples of the log that show a pattern, (n,), by its id.
    unsettled : cells nothing may be taken out of until a pattern is settled, in the table's shape.
    delivery : where fuel ends; None where it arrives.
    drift : how the need for fuel moved; None where it stayed.
    inferred : what the log did not say.
    contradictions : logs whose fuel contradicts the sheet.
    done : False where nothing was looked for yet.
    """

    findings: tuple[Finding, ...]
    shown: Mapping[str, Mask]
    unsettled: Mask
    delivery: DeliveryEnd | None = None
    drift: DriftCourse | None = None
    inferred: tuple[Inferred, ...] = ()
    contradictions: tuple[Contradiction, ...] = ()
    done: bool = True

    @property
    def of_the_drive(self) -> tuple[Finding, ...]:
        """Findings that are no matter of one log: patterns, and what the fits tell of sensor and engine."""
        of_fit = (SLOW_ID, COLD_ID, ENDS_ID, GAUGE_ID)
        return tuple(f for f in self.findings if f.id in self.shown or f.id in of_fit)


OF_DELIVERY = ("unseen_sag", "lean_full_throttle")
"""Findings that a delivery which ends brings about."""
NOT_LOOKED = Look(findings=(), shown={}, unsettled=np.zeros(0, bool), done=False)
"""Stands where nothing was looked for yet."""


def look_at(
    prepared: Prepared,
    sifted: Sifted,
    observations: Observations,
    estimate: Estimate,
    delay: DelayEstimate,
    film_spread: float,
) -> Look:
    """Look for everything.

    Parameters
    ----------
    prepared, sifted, observations, estimate : of one solve by the surface.
    delay : as it was read from the log.
    film_spread : of the wall film's share before any driving.

    Returns
    -------
    Findings with their samples.
    """
    faults, seen = look_for_faults(prepared.conditions)
    found = find_patterns(prepared, observations, estimate, film_spread)
    faults, report = _without_brought_about(faults, found, prepared, seen)
    end = find_delivery_end(prepared.frame, observations, estimate)
    told = (
        delivery_ends(end),
        gauge_off(prepared.frame.gauge),
        sensor_slow(delay),
        cold_engine(estimate),
    )
    of_fit = [f for f in told if f is not None]
    findings = _without_symptoms(faults, report, prepared, seen)
    if end is not None:
        # What is asked for and does not arrive makes both; the one cause says it.
        findings = tuple(f for f in findings if f.id not in OF_DELIVERY)
    log_size = len(prepared.frame.log)
    return Look(
        findings=in_order((*findings, *of_fit)),
        shown=report.shown(log_size),
        unsettled=report.unsettled(estimate.table),
        delivery=end,
        drift=report.drift,
    )


def in_order(findings: Sequence[Finding]) -> tuple[Finding, ...]:
    """Dangers first; of equal rank in the order they come in.

    Returns the same in the order they are told.
    """
    return tuple(sorted(findings, key=lambda f: RANK[f.severity]))


def _without_brought_about(
    faults: Sequence[Finding], report: PatternReport, prepared: Prepared, seen: Mapping[str, Mask]
) -> tuple[tuple[Finding, ...], PatternReport]:
    """Faults, those that bring a pattern about saying so, and the patterns that are left."""
    shown = report.shown(len(prepared.frame.log))
    kept = list(faults)
    told = []
    for one in report.told:
        cause = brought_about(one.finding, shown[one.finding.id], kept, seen, prepared.conditions)
        if cause is None:
            told.append(one)
        else:
            kept[kept.index(cause[0])] = cause[1]
    return tuple(kept), replace(report, told=tuple(told))


def _without_symptoms(
    faults: Sequence[Finding], report: PatternReport, prepared: Prepared, seen: Mapping[str, Mask]
) -> tuple[Finding, ...]:
    """Faults and patterns, less what a pattern explains."""
    patterns = [t.finding for t in report.told]
    kept = list(faults)
    full = prepared.conditions.regime[report.observations.index] == Regime.FULL_THROTTLE
    for i, told in enumerate(report.told):
        asked = float(np.mean(told.effect[full])) if full.any() else 0.0
        explained = explained_by(patterns[i], asked, kept, seen, prepared.conditions)
        if explained is not None:
            symptom, cause = explained
            kept.remove(symptom)
            patterns[i] = replace(cause, severity=symptom.severity)
    return (*patterns, *kept)
