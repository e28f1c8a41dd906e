"""What a proposal leaves undone: cells cut at a step limit, and lean holes in boost that nobody drove."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.vehicle import Induction
from lean_trim.core.decision.proposal import Proposal, Status
from lean_trim.core.decision.regions import boosted
from lean_trim.core.diagnosis.finding import Finding
from lean_trim.core.estimation.estimate import Estimate
from lean_trim.core.messages import Message
from lean_trim.core.text import signed
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    CUT = Message(
        "shortfall.cut",
        "{cells} cut at a step limit: asked {asked} %, written {written} % at the furthest. Drive "
        "again: the next step there is about {left} %.",
    )
    WAITS = Message(
        "shortfall.waits",
        "Fuel pressure was not logged: {cells} at full throttle need far more than the same engine "
        "speed does at part throttle, as with a pump that sags. Part of it is written, and they "
        "stay "
        "up to {left:.0f} % lean: do not run there. Log the pressure, or say that the supply is "
        "sound.",
    )
    ONE_SIDED = Message(
        "shortfall.one_sided",
        "At {node:.0f} rpm {cells} {stay} up to {left:.0f} % rich, for driving only reads them "
        "from "
        "{driven:.0f} rpm on: a breakpoint there would hold what the engine needs.",
    )
    HOLES = Message(
        "shortfall.holes",
        "In boost {cells} nobody drove {stay} up to {left:.0f} % lean, as far as is known: do not "
        "run "
        "there.",
    )


LEAST_LEFT_PCT = 1.0
"""What a limit leaves undone from which it is told, percent (a choice: the error of a gauge)."""
HOLE_PCT = 3.0
"""Lean by more than this, as far as the surface tells, is a hole (common practice, no source)."""


ONE_SIDED_ID = "read_from_one_side"
RPM_STEP = 50.0
"""A breakpoint is told to the nearest so many rpm."""


def shortfalls(
    estimate: Estimate, proposal: Proposal, induction: Induction = "unknown"
) -> tuple[Finding, ...]:
    """What has to be said before a proposal is taken.

    Parameters
    ----------
    estimate : what the drive needs.
    proposal : what would be written.
    induction : whether the engine can make boost; what is not known is taken for boosted.

    Returns
    -------
    Dangers first; none where everything asked is written.
    """
    left = left_over_pct(estimate, proposal)
    found = []
    open_boost = boosted(estimate.table, proposal.policy.atmospheric_kpa) & ~estimate.supported
    deep = open_boost & (left > HOLE_PCT)
    if deep.any() and induction != "atmospheric":
        said = Say.HOLES(
            cells=_cells(int(deep.sum())),
            stay="stays" if deep.sum() == 1 else "stay",
            left=float(left[deep].max()),
        )
        found.append(Finding("lean_hole_boost", "danger", 0.0, 0.0, said))
    waits = proposal.status == Status.WAITS
    if waits.any():
        said = Say.WAITS(cells=_cells(int(waits.sum())), left=max(0.0, float(left[waits].max())))
        found.append(Finding("supply_in_question", "danger", 0.0, 0.0, said))
    found += _one_sided(estimate, proposal, left)
    cut = (proposal.status == Status.LIMITED) & (np.abs(left) >= LEAST_LEFT_PCT)
    if cut.any():
        worst = np.unravel_index(int(np.argmax(np.where(cut, np.abs(left), -1.0))), cut.shape)
        said = Say.CUT(
            cells=_cells(int(cut.sum())),
            asked=signed(float(estimate.correction_pct[worst])),
            written=signed(float(proposal.step_pct[worst])),
            left=signed(float(left[worst])),
        )
        found.append(Finding("step_limited", "note", 0.0, 0.0, said))
    return tuple(found)


def _one_sided(estimate: Estimate, proposal: Proposal, left: Floats) -> list[Finding]:
    """Points an axis cannot hold: driving comes near from one side, and none of it is told apart."""
    if proposal.nearest_rpm is None:
        return []
    rich = np.isfinite(proposal.nearest_rpm) & (left <= -LEAST_LEFT_PCT)
    # Leaned by hardly more than their neighbours, they would have been leaned had they been driven.
    rich &= estimate.correction_pct < 0.0
    if not rich.any():
        return []
    worst = np.unravel_index(int(np.argmin(np.where(rich, left, 0.0))), rich.shape)
    column = int(worst[1])
    here = rich[:, column]
    said = Say.ONE_SIDED(
        cells=_cells(int(here.sum())),
        stay="stays" if here.sum() == 1 else "stay",
        node=float(proposal.table.axes[1].points[column]),
        driven=round(float(np.median(proposal.nearest_rpm[here, column])) / RPM_STEP) * RPM_STEP,
        left=float(-left[worst]),
    )
    return [Finding(ONE_SIDED_ID, "note", 0.0, 0.0, said)]


def left_over_pct(estimate: Estimate, proposal: Proposal) -> Floats:
    """What the estimate still needs once a proposal is written, percent, in the table's shape.

    Returns the second step; 0 where the estimate says nothing.
    """
    asked = 1.0 + np.nan_to_num(estimate.correction_pct) / 100.0
    left = 100.0 * (asked / (1.0 + proposal.step_pct / 100.0) - 1.0)
    return np.where(np.isfinite(estimate.correction_pct), left, 0.0)


def _cells(count: int) -> str:
    return f"{count} cell" if count == 1 else f"{count} cells"
