"""A measured table with everything its drive shows beside it, and what is kept of both."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trim.core.explore.events import Event, find_events, tip_in_cells
from lean_trim.core.pipeline.solve import Solution, conclude, look_through
from lean_trim.core.pipeline.summary import Summary, evidence_of, summary_of
from lean_trim.core.types import Mask
from lean_trim.job.evidence_rows import stored_evidence
from lean_trim.job.records import StoredEvidence
from lean_trim.workspace.kept import program_mark
from lean_trim.workspace.kept_solution import solution_bytes


@dataclass(frozen=True, eq=False)
class Looked:
    """A whole solution with what is kept of it.

    Attributes
    ----------
    solution : in which faults were looked for.
    summary : of it.
    events : along its drive.
    tip_in : cells beside tip-ins.
    evidence : what it says to later rounds.
    data : the solution as it is kept.
    """

    solution: Solution
    summary: Summary
    events: tuple[Event, ...]
    tip_in: Mask
    evidence: StoredEvidence
    data: bytes


def looked_at(measured: Solution) -> Looked:
    """Look for everything a drive shows that is not airflow; for a thread of its own.

    Returns the same with what was seen, and what is kept of it.
    """
    # Remembered for whoever keeps this; reading all code would hold the window.
    program_mark()
    whole = conclude(measured.measured, look_through(measured.measured))
    events = find_events(whole)
    tip_in = tip_in_cells(whole)
    data = solution_bytes(whole, events, tip_in)
    evidence = stored_evidence(evidence_of(whole))
    return Looked(whole, summary_of(whole), events, tip_in, evidence, data)
