"""Faults and facts that are not airflow, told before anyone corrects a table for them.

A new fault is a file of ``faults`` and a line in ``FAULTS``.
"""

from __future__ import annotations

from lean_trim.core.diagnosis.faults import airflow, enrichment, mixture, readings, supply
from lean_trim.core.diagnosis.finding import RANK, Fault, Finding
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.messages import Message

FAULTS: tuple[Fault, ...] = (
    mixture.LEAN_AT_LOAD,
    mixture.KNOCK,
    supply.PRESSURE,
    mixture.STUCK,
    supply.DUTY,
    supply.VOLTAGE,
    airflow.SENSOR_END,
    enrichment.NOT_REACHED,
    enrichment.TRIM_LEFT_ON,
    enrichment.HIDDEN_FUEL,
    airflow.OTHER_CALIBRATION,
    readings.IMPOSSIBLE,
)


class Say:
    """Sentences of this module."""

    NOT_CONVERGED = Message(
        "findings.not_converged",
        "The fit had not come to rest after {iterations} passes: corrections may be off by more than their "
        "errors say. Drive longer, or leave out a log that does not agree with the others.",
    )


def find_faults(conditions: Conditions) -> tuple[Finding, ...]:
    """Look for every fault.

    Parameters
    ----------
    conditions : one joined log with its regimes and aligned lambda.

    Returns
    -------
    What was found, dangers first, then in the order of time.
    """
    found = [f for fault in FAULTS if (f := fault.find(conditions)) is not None]
    return tuple(sorted(found, key=lambda f: (RANK[f.severity], f.first_time_s)))


def with_fit(findings: tuple[Finding, ...], estimate: Estimate) -> tuple[Finding, ...]:
    """Add what the fit itself has to say.

    Parameters
    ----------
    findings : of the log; what an earlier fit said of itself is dropped.
    estimate : the fit's result.

    Returns
    -------
    The findings, with one more where the robust fit did not come to rest.
    """
    kept = tuple(f for f in findings if f.id != NOT_CONVERGED_ID)
    if estimate.converged:
        return kept
    said = Say.NOT_CONVERGED(iterations=estimate.iterations)
    return (*kept, Finding(NOT_CONVERGED_ID, "warning", 0.0, 0.0, said))


NOT_CONVERGED_ID = "fit_not_converged"
