"""Cells by what they have in common: not driven, far off, of a region, not decided."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.tables import Table
from lean_trim.core.decision.choices import FAR_PCT, Choice
from lean_trim.core.decision.decision import Decision, Origin
from lean_trim.core.decision.driving_shares import DrivingShares
from lean_trim.core.decision.proposal import Proposal, Status
from lean_trim.core.decision.regions import USUAL_KPA, Region, regions_of, with_words
from lean_trim.core.types import Floats, Mask

REGIONS = {
    Choice.IDLE: Region.IDLE,
    Choice.PART: Region.PART,
    Choice.FULL: Region.FULL,
    Choice.BOOST: Region.BOOST,
}


@dataclass(frozen=True, eq=False)
class Known:
    """What is known of a table's cells, in its shape; None where nothing was worked out.

    Attributes
    ----------
    table : as driven on.
    decision : as it stands.
    seen : cells used driving came near.
    asked_pct : what the drive asks, percent; NaN where it says nothing.
    proposal : what would be written.
    driving : how each cell was driven.
    words : cells the user put into another region.
    tip_in : cells the engine passed in tip-ins.
    """

    table: Table
    decision: Decision
    seen: Mask
    asked_pct: Floats
    proposal: Proposal | None = None
    driving: DrivingShares | None = None
    words: tuple[tuple[int, str], ...] = ()
    tip_in: Mask | None = None


def chosen_by(choice: Choice, known: Known) -> Mask:
    """The cells a choice stands for.

    Parameters
    ----------
    choice : what they have in common.
    known : of the table.

    Returns
    -------
    In the table's shape.
    """
    shape = known.table.shape
    none = np.zeros(shape, bool)
    if choice is Choice.UNVISITED:
        return ~known.seen
    if choice is Choice.TIP_IN:
        return none if known.tip_in is None else known.tip_in
    if choice is Choice.FAR:
        return np.asarray(known.seen & (np.abs(np.nan_to_num(known.asked_pct)) >= FAR_PCT))
    if choice is Choice.UNDECIDED or choice is Choice.FILLED:
        if known.proposal is None:
            return none
        waits = (known.proposal.step_pct != 0.0) & (known.decision.origin == Origin.UNTOUCHED)
        filled = known.proposal.status == Status.FILLED
        return np.asarray(
            (waits & ~known.decision.pinned) if choice is Choice.UNDECIDED else filled
        )
    driving = known.driving
    regions = regions_of(
        known.table,
        idle=none if driving is None else driving.idle,
        full=none if driving is None else driving.full,
        from_kpa=USUAL_KPA if driving is None else driving.boost_from_kpa,
    )
    return np.asarray(with_words(regions, known.words) == REGIONS[choice], bool)
