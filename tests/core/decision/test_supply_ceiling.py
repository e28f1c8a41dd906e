"""How much of a need that grows with flow is written while nobody logged the fuel pressure."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.decision.proposal import PolicySettings, Status, propose
from lean_trim.core.decision.restraints import no_restraints
from lean_trim.core.decision.shortfall import shortfalls
from lean_trim.core.decision.supply_ceiling import WRITTEN_PCT, supply_ceiling_pct
from lean_trim.core.decision.written import written_words
from tests.builders import small_vehicle
from tests.core.decision.test_proposal import LIMITS, TABLE, estimate

WIDE = replace(LIMITS, highest=300.0)
VEHICLE = replace(small_vehicle(), table=TABLE)
ASKED = np.array([[2.0, 2.0, 2.0], [2.0, 2.0, 2.0], [2.0, 2.0, 24.0]])


def proposed(policy: PolicySettings):
    asked = estimate(ASKED)
    ceiling = supply_ceiling_pct(VEHICLE, asked)
    held = replace(no_restraints((3, 3)), ceiling_pct=ceiling)
    return asked, propose(asked, policy, WIDE, held)


def test_eight_percent_more_than_at_little_flow_is_written_and_the_rest_waits() -> None:
    asked, proposal = proposed(PolicySettings())
    waits = proposal.status == Status.WAITS
    assert waits.any() and not waits[0].any()
    assert proposal.step_pct[waits].max() <= 2.0 + WRITTEN_PCT + 0.2
    danger = shortfalls(asked, proposal)[0]
    assert danger.id == "supply_in_question" and danger.severity == "danger"
    assert "Fuel pressure was not logged" in danger.message and "do not run there" in danger.message


def test_a_word_on_the_supply_writes_it_whole() -> None:
    asked, proposal = proposed(PolicySettings(supply_sound=True))
    assert not (proposal.status == Status.WAITS).any()
    np.testing.assert_allclose(proposal.step_pct, ASKED, atol=0.2)
    assert "supply_in_question" not in {f.id for f in shortfalls(asked, proposal)}


def test_a_need_that_is_alike_at_all_flows_waits_for_nothing() -> None:
    asked = estimate(15.0)
    assert (supply_ceiling_pct(VEHICLE, asked) >= 15.0 + WRITTEN_PCT - 1e-9).all()


def test_what_is_written_is_said_with_where_and_what_stays_lean() -> None:
    asked, proposal = proposed(PolicySettings())
    lines = written_words(asked, proposal, 4.2, 1.1)
    assert lines[0].startswith("9 of 9 cells change: at the most +")
    assert "6000 rpm" in lines[0]
    assert "off by 4.2 % (rms)" in lines[1] and "± 1.1 %" in lines[1]
    assert "stays more than 3 % lean" in lines[2]


def test_no_boost_no_danger_of_it() -> None:
    asked = replace(estimate(10.0), supported=np.zeros((3, 3), bool))
    kept = propose(asked, PolicySettings(unvisited="keep"), WIDE)
    assert "lean_hole_boost" in {f.id for f in shortfalls(asked, kept)}
    assert "lean_hole_boost" not in {f.id for f in shortfalls(asked, kept, "atmospheric")}


@pytest.mark.parametrize("error", [0.5, 1.0, 2.0, 4.0])
def test_a_leaning_is_written_as_far_as_it_is_proven(error: float) -> None:
    doubted = replace(estimate(-5.0), own_error_pct=np.full((3, 3), error))
    step = propose(doubted, PolicySettings(), WIDE).step_pct[0, 0]
    assert step == pytest.approx(min(0.0, -5.0 + max(0.0, error - 1.5)), abs=0.1)
    richer = replace(estimate(5.0), own_error_pct=np.full((3, 3), error))
    assert propose(richer, PolicySettings(), WIDE).step_pct[0, 0] == pytest.approx(5.0, abs=0.1)
