"""What a solution says of its round, as the job keeps it."""

from __future__ import annotations

from lean_trim import __version__
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.decision.round_verdict import DrivenCells
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.pipeline.summary import is_doubted
from lean_trim.job.database import now
from lean_trim.job.records import Outcome, StoredEvidence, StoredProposal, Verdict
from lean_trim.job.writing import as_kept


def outcome_of(
    solution: Solution, proposal: Proposal | None, table_name: str, evidence: StoredEvidence
) -> Outcome:
    """What a solution says of its round, as it is kept.

    Parameters
    ----------
    solution : of one round.
    proposal : for its table, None if it was not made.
    table_name : the table under correction.
    evidence : what its drive says, for later rounds.

    Returns
    -------
    Verdict, proposal and evidence with version and date.
    """
    figures = solution.residual
    estimate = solution.estimate
    driven = DrivenCells(
        as_kept(figures.gap_pct),
        as_kept(figures.seconds),
        is_curve=len(estimate.table.axes) == 1,
        doubted=is_doubted(solution),
    )
    verdict = Verdict(
        figures.rms,
        figures.trim_rms,
        figures.within_3,
        program=__version__,
        judged=now(),
        driven=driven,
    )
    if proposal is None:
        return Outcome(table_name, verdict, {}, evidence)
    stored = StoredProposal(
        asked_pct=as_kept(estimate.correction_pct),
        step_pct=as_kept(proposal.step_pct),
        std_error_pct=as_kept(estimate.own_error_pct),
        status=tuple(str(s) for s in proposal.status.ravel()),
        program=__version__,
        made=now(),
    )
    return Outcome(table_name, verdict, {table_name: stored}, evidence)
