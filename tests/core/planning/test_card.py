"""The card: at most twelve short sentences to be read aloud, with what comes before the first state."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.planning.card import MOST_LINES, card_lines
from lean_trim.core.planning.plan import COAST_S, IDLE_S, LEAD_S, plan_drive
from lean_trim.core.sieve.rules_engine import starting
from tests.core.planning.test_choosing import BARO, known_of

MOST_WORDS = 40
"""Read aloud in a quarter of a minute (common practice, no source)."""


def states() -> tuple[list[float], list[float]]:
    rpm = np.repeat(np.arange(1500.0, 5001.0, 350.0), 6)
    kpa = np.tile(np.arange(30.0, 71.0, 8.0), 11)
    return rpm.tolist(), kpa.tolist()


def test_the_card_is_short_and_begins_with_what_does_not_count() -> None:
    plan = plan_drive(known_of(*states(), error=4.0), BARO, 10.0, "dyno")
    lines = card_lines(plan, "Heron")
    assert 6 < len(lines) <= MOST_LINES
    assert max(len(line.split()) for line in lines) <= MOST_WORDS
    assert "20 s at an even speed" in lines[1] and "flash" not in " ".join(lines)
    settled = card_lines(plan, "Heron", settle_min=12.0)
    assert "12 min" in settled[1] and "flash" in settled[1] and len(settled) <= MOST_LINES


def test_the_time_before_and_after_the_states_is_part_of_the_drive() -> None:
    plan = plan_drive(known_of(*states(), error=4.0), BARO, 6.0, "dyno")
    holding = sum(h.seconds for h in plan.held)
    assert holding + LEAD_S + IDLE_S + COAST_S < plan.seconds <= 360.0
    # It is there for the rule of the sieve that leaves a log's beginning out.
    (after,) = [k.default for k in starting.knobs if k.name == "after_s"]
    assert pytest.approx(after) == LEAD_S


def test_of_nothing_to_drive_the_card_says_so() -> None:
    plan = plan_drive(known_of([3000.0], [95.0], off=9.0, error=6.0), BARO, 10.0, "dyno")
    lines = card_lines(plan, "Heron")
    assert len(lines) == 2 and "nothing can be planned" in lines[0]
