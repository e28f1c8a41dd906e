"""From a solution to the table that would be written, with everything the drive says against leaning."""

from __future__ import annotations

from lean_trim.core.decision.driving_shares import driving_shares
from lean_trim.core.decision.knock import knock_cells, sagging_cells
from lean_trim.core.decision.proposal import PolicySettings, Proposal, propose
from lean_trim.core.pipeline.solve import Solution


def propose_for(solution: Solution, policy: PolicySettings) -> Proposal:
    """Apply a policy to a solution.

    Parameters
    ----------
    solution : what a drive says.
    policy : how much of it is written at once.

    Returns
    -------
    The table that would be written, with the rule that decided each cell.
    """
    return propose(
        solution.estimate,
        policy,
        solution.frame.vehicle.limits,
        no_leaner=knock_cells(solution.sifted),
        driving=driving_shares(solution.sifted, solution.observations),
        faulty=sagging_cells(solution.sifted),
    )
