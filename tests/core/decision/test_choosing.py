"""Cells chosen by what they have in common."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.decision.choices import Choice
from lean_trim.core.decision.choosing import Known, chosen_by
from lean_trim.core.decision.decision import accept, undecided
from lean_trim.core.decision.driving_shares import DrivingShares
from lean_trim.core.decision.proposal import PolicySettings, propose
from tests.core.decision.test_confirmation import TABLE
from tests.core.decision.test_proposal import LIMITS, estimate

ASKED = np.array([[6.0, 0.0, -5.0], [1.0, 2.0, -7.0], [0.0, 0.0, 9.0]])


def known() -> Known:
    seen = np.ones((3, 3), bool)
    seen[2] = False
    return Known(table=TABLE, decision=undecided(TABLE), seen=seen, asked_pct=ASKED)


def cells(choice: Choice, of: Known) -> list[int]:
    return np.flatnonzero(chosen_by(choice, of)).tolist()


def test_by_what_the_drive_says() -> None:
    assert cells(Choice.UNVISITED, known()) == [6, 7, 8]
    # The ninth asks for 9 %, by its neighbours only.
    assert cells(Choice.FAR, known()) == [0, 2, 5]


def test_by_tip_ins() -> None:
    tip_in = np.zeros((3, 3), bool)
    tip_in[1, :2] = True
    assert cells(Choice.TIP_IN, known()) == []
    assert cells(Choice.TIP_IN, replace(known(), tip_in=tip_in)) == [3, 4]


def test_by_what_is_decided() -> None:
    proposal = propose(estimate(ASKED), PolicySettings(), LIMITS)
    table = proposal.table
    start = undecided(table.with_values(np.full((3, 3), 80.0)))
    of = Known(
        table=table, decision=start, seen=np.ones((3, 3), bool), asked_pct=ASKED, proposal=proposal
    )
    waiting = cells(Choice.UNDECIDED, of)
    assert waiting == np.flatnonzero(proposal.step_pct).tolist()
    decided = Known(
        table=table,
        decision=accept(start, proposal, waiting[:2]),
        seen=of.seen,
        asked_pct=ASKED,
        proposal=proposal,
    )
    assert cells(Choice.UNDECIDED, decided) == waiting[2:]


def test_by_region() -> None:
    idle = np.zeros((3, 3))
    idle[0, 0] = 0.9
    full = np.zeros((3, 3))
    full[1, 1] = 0.8
    driving = DrivingShares(idle=idle, full=full, end_at=np.inf)
    of = Known(
        table=TABLE,
        decision=undecided(TABLE),
        seen=np.ones((3, 3), bool),
        asked_pct=ASKED,
        driving=driving,
    )
    assert cells(Choice.IDLE, of) == [0]
    assert cells(Choice.FULL, of) == [4]
    assert cells(Choice.BOOST, of) == [6, 7, 8]
    assert cells(Choice.PART, of) == [1, 2, 3, 5]
