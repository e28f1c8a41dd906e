"""Faults and facts that are not airflow, told before anyone corrects a table for them."""

from __future__ import annotations

from lean_trim.core.diagnosis.causes import without_symptoms
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.diagnosis.odds import LEAST_TOLD
from lean_trim.core.diagnosis.registry import FAULTS
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.types import Mask


def find_faults(conditions: Conditions) -> tuple[Finding, ...]:
    """Look for every fault.

    Parameters
    ----------
    conditions : one joined log with its regimes and aligned lambda.

    Returns
    -------
    What was found, dangers first and causes before all others, then in the order of time; what a
    cause explains is not told as well.
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
    found = []
    shown = {}
    for fault in FAULTS:
        seen = fault.look(conditions)
        told = None if seen is None else fault.told(conditions, seen)
        if seen is not None and told is not None and told.probability >= LEAST_TOLD:
            found.append(told)
            shown[fault.id] = seen.mask
    return without_symptoms(found, shown, conditions), shown


def evidence_of(conditions: Conditions, finding_id: str) -> Mask | None:
    """Samples that show one fault.

    Returns shape (n,); None for what is not told by samples, such as what a fit says of itself.
    """
    fault = next((f for f in FAULTS if f.id == finding_id), None)
    seen = None if fault is None else fault.look(conditions)
    return None if seen is None else seen.mask
