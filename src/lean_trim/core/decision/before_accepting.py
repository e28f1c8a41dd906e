"""Everything that is to be minded before the proposal is accepted, in one list."""

from __future__ import annotations

from collections.abc import Sequence

from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Induction
from lean_trim.core.decision.cautions import (
    Caution,
    Kind,
    cautions_for,
    fault_caution,
    injector_caution,
    knock_caution,
    shape_caution,
    shape_faults,
)
from lean_trim.core.decision.decision import Decision, Origin, accept
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.decision.shortfall import shortfalls
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.messages import Message
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Mask


class Say:
    """Sentences of this module."""

    ONLY_CHOSEN = Message(
        "before_accepting.only_chosen", "With only the chosen accepted: {cells} out of line."
    )


def cautions_before(
    table: Table,
    decision: Decision,
    proposal: Proposal,
    estimate: Estimate | None = None,
    induction: Induction = "unknown",
    findings: Sequence[Finding] = (),
    knocked: Mask | None = None,
) -> list[Caution]:
    """What is to be minded before all cells are accepted, dangers first.

    Parameters
    ----------
    table : as it was driven on.
    decision : as it stands, on the scale that was driven: a moved one is no change of the mixture.
    proposal : that would be accepted.
    estimate : it was made from; None leaves out what it leaves undone.
    induction : of the engine.
    findings : of the drive.
    knocked : cells in which knock was seen, where its rule is off; None where it is on.

    Returns
    -------
    One caution a kind.
    """
    step = proposal.step_pct * (decision.origin == Origin.UNTOUCHED)
    out = cautions_for(table, step, None, proposal.policy)
    if knocked is not None:
        out = [*knock_caution(step, knocked, None), *out]
    if estimate is not None:
        left = shortfalls(estimate, proposal, induction)
        holes = [Caution(kind=Kind.HOLES, text=f.message) for f in left if f.severity == "danger"]
        out = [*fault_caution(findings), *holes, *out, *injector_caution(findings)]
    out += shape_caution(table, accept(decision, proposal).values)
    return sorted(out, key=lambda caution: not caution.is_danger)


def worse_with_fewer(
    table: Table, decision: Decision, proposal: Proposal, chosen: frozenset[int]
) -> str:
    """What accepting only some cells would add: a shape that is rougher than with all of them.

    Parameters
    ----------
    table : as it was driven on.
    decision, proposal : as for ``cautions_before``.
    chosen : flat indices.

    Returns
    -------
    A sentence, "" where there is nothing to add.
    """
    part = shape_faults(table, accept(decision, proposal, chosen).values)
    if not part or part == shape_faults(table, accept(decision, proposal).values):
        return ""
    return str(Say.ONLY_CHOSEN(cells=cells_in_words(part)))
