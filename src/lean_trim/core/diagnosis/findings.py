"""Faults and facts that are not airflow, told before anyone corrects a table for them."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.causes import without_symptoms
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.registry import FAULTS
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Mask


class Say:
    """Sentences of this module."""

    NOT_CONVERGED = Message(
        "findings.not_converged",
        "The fit had not come to rest after {iterations} passes: corrections may be off by more than their "
        "errors say. Drive longer, or leave out a log that does not agree with the others.",
    )

    NOTHING_NEAR = Message(
        "findings.nothing_near",
        "No cell can be changed: nowhere did the used driving stay {needed:g} s between the same points of "
        "the table; {seconds:.0f} s were used in all. Hold a steady speed and load for 5 s at a time, at as "
        "many states as the road allows.",
    )
    NOTHING_SURE = Message(
        "findings.nothing_sure",
        "No cell can be changed: the surest is known to ± {best:.1f} %, and {needed:g} % is asked for. "
        "Samples scatter by {scatter:.1f} % and stay alike for {alike:.1f} s{why}. Drive the same states "
        "again, warm and steady, 10 s each.",
    )
    DRIFT = Message(
        "findings.drift",
        ": something drifts that is not the table, a sensor, heat or feedback still learning",
    )


LONG_S = 2.0
"""Residuals that stay alike for longer than this are no noise (common practice, no source)."""


def find_faults(conditions: Conditions) -> tuple[Finding, ...]:
    """Look for every fault.

    Parameters
    ----------
    conditions : one joined log with its regimes and aligned lambda.

    Returns
    -------
    What was found, dangers first and causes before all others, then in the order of time; what a cause
    explains is not told as well.
    """
    return look_for_faults(conditions)[0]


def look_for_faults(conditions: Conditions) -> tuple[tuple[Finding, ...], dict[str, Mask]]:
    """The same, with the samples that show each fault.

    Parameters
    ----------
    conditions : one joined log with its regimes and aligned lambda.

    Returns
    -------
    The findings, and masks of shape (n,) by their ids; also of those another finding explains.
    """
    found, shown = [], {}
    for fault in FAULTS:
        seen = fault.look(conditions)
        told = None if seen is None else fault.told(conditions, seen)
        if seen is not None and told is not None:
            found.append(told)
            shown[fault.id] = seen.mask
    return without_symptoms(found, shown, conditions), shown


def evidence_of(conditions: Conditions, finding_id: str) -> Mask | None:
    """Samples that show one fault.

    Parameters
    ----------
    conditions : it was found in.
    finding_id : of a finding.

    Returns
    -------
    Shape (n,); None for what is not told by samples, such as what a fit says of itself.
    """
    fault = next((f for f in FAULTS if f.id == finding_id), None)
    seen = None if fault is None else fault.look(conditions)
    return None if seen is None else seen.mask


def with_fit(
    findings: tuple[Finding, ...], estimate: Estimate, least_s: float, most_error_pct: float
) -> tuple[Finding, ...]:
    """Add what the fit itself has to say.

    Parameters
    ----------
    findings : of the log; what an earlier fit said of itself is dropped.
    estimate : the fit's result.
    least_s, most_error_pct : driving near a cell, and error, that license a change.

    Returns
    -------
    The findings, with more where the robust fit did not come to rest, or nothing is known well enough.
    """
    kept = tuple(f for f in findings if f.id not in (NOT_CONVERGED_ID, NOTHING_ID))
    if not estimate.converged:
        said = Say.NOT_CONVERGED(iterations=estimate.iterations)
        kept = (*kept, Finding(NOT_CONVERGED_ID, "warning", 0.0, 0.0, said))
    if estimate.supported.any():
        return kept
    return (*kept, Finding(NOTHING_ID, "warning", 0.0, 0.0, _why_nothing(estimate, least_s, most_error_pct)))


def _why_nothing(estimate: Estimate, least_s: float, most_error_pct: float) -> Said:
    """Too little driving, or too much scatter for it: each asks for another drive."""
    error = np.where(estimate.near_s >= least_s, estimate.std_error_pct, np.inf)
    state = estimate.state
    if state is None or not np.isfinite(error).any():
        return Say.NOTHING_NEAR(needed=least_s, seconds=float(estimate.seconds.sum()))
    why = str(Say.DRIFT()) if state.inflation > LONG_S else ""
    return Say.NOTHING_SURE(
        best=float(error.min()),
        needed=most_error_pct,
        scatter=100.0 * state.scale,
        alike=state.inflation,
        why=why,
    )


NOT_CONVERGED_ID = "fit_not_converged"
NOTHING_ID = "nothing_supported"
