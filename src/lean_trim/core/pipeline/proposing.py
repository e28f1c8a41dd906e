"""From what was found to the table that would be written, with everything the drive says against leaning."""

from __future__ import annotations

from dataclasses import replace

from lean_trim.core.decision.proposal import PolicySettings, Proposal, propose
from lean_trim.core.decision.supply_ceiling import supply_ceiling_pct
from lean_trim.core.pipeline.summary import Summary


def propose_for(summary: Summary, policy: PolicySettings) -> Proposal:
    """Apply a policy to what was found.

    Parameters
    ----------
    summary : what a drive, or a batch of logs of them, says.
    policy : how much of it is written at once.

    Returns
    -------
    The table that would be written, with the rule that decided each cell.
    """
    ceiling = (
        None if summary.pressure_logged else supply_ceiling_pct(summary.vehicle, summary.estimate)
    )
    return propose(
        summary.estimate,
        policy,
        summary.vehicle.limits,
        restraints=replace(summary.restraints, ceiling_pct=ceiling),
        driving=summary.driving,
    )
