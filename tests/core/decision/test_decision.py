"""What the user decides: accept, put back, pin, type."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.decision import Origin
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.decision.typed import share_in, type_in
from lean_trim.core.errors import BadInputError
from tests.core.decision.test_proposal import LIMITS, TABLE, estimate

PROPOSAL = propose(estimate(np.array([[5.0, 0.0, -5.0]] * 3)), PolicySettings(), LIMITS)


def test_accepting_all_takes_every_change_and_only_changes() -> None:
    result = decide.accept(decide.undecided(TABLE), PROPOSAL)
    np.testing.assert_allclose(result.values[:, 0], 84.0)
    np.testing.assert_array_equal(result.origin[:, 1], Origin.UNTOUCHED)
    assert result.changed == 6


def test_accepting_a_selection_leaves_the_rest() -> None:
    result = decide.accept(decide.undecided(TABLE), PROPOSAL, {0, 8})
    assert result.changed == 2
    assert result.values[2, 2] == pytest.approx(76.0)
    assert result.values[1, 0] == 80.0


def test_put_back_returns_to_the_driven_value() -> None:
    accepted = decide.accept(decide.undecided(TABLE), PROPOSAL)
    back = decide.put_back(accepted, TABLE, {0})
    assert back.values[0, 0] == 80.0
    assert back.changed == 5
    assert decide.put_back(accepted, TABLE).changed == 0


def test_pinned_cells_refuse_everything_until_released() -> None:
    pinned = decide.pin(decide.undecided(TABLE), TABLE, {0}, True)
    assert decide.accept(pinned, PROPOSAL).values[0, 0] == 80.0
    assert type_in(pinned, "=70", {0, 1}, LIMITS).values[0].tolist() == [80.0, 70.0, 80.0]
    released = decide.pin(pinned, TABLE, {0}, False)
    assert decide.accept(released, PROPOSAL).values[0, 0] == pytest.approx(84.0)


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("+3%", 82.4),
        ("-2,5 %", 78.0),
        ("x0.95", 76.0),
        ("*1.1", 88.0),
        ("=82", 82.0),
        ("82", 82.0),
        ("+2", 82.0),
        ("−1.5", 78.5),
    ],
)
def test_typed_input(text: str, value: float) -> None:
    result = type_in(decide.undecided(TABLE), text, {4}, LIMITS)
    assert result.values[1, 1] == pytest.approx(value)
    assert result.origin[1, 1] == Origin.BY_HAND
    assert result.changed == 1


@pytest.mark.parametrize("text", ["", "abc", "3%", "=", "x", "=3%", "++3", "1e5"])
def test_input_that_makes_no_sense_is_refused_with_what_is_allowed(text: str) -> None:
    with pytest.raises(BadInputError, match=r"is not understood; allowed are \+3%"):
        type_in(decide.undecided(TABLE), text, {4}, LIMITS)


def test_leaving_the_range_changes_nothing() -> None:
    with pytest.raises(BadInputError, match="range of 5 to 95; nothing was changed"):
        type_in(decide.undecided(TABLE), "x2", {4}, LIMITS)
    with pytest.raises(BadInputError, match="nothing was changed"):
        type_in(decide.undecided(TABLE), "-90", {4}, TableLimits(0.1, 5.0, 95.0))


def test_a_share_of_the_proposal_is_taken_in_the_chosen_cells() -> None:
    half = decide.accept_share(decide.undecided(TABLE), PROPOSAL, TABLE, {0, 1, 2}, 0.5, LIMITS)
    np.testing.assert_allclose(half.values[0], [82.0, 80.0, 78.0])
    assert half.changed == 2 and half.origin[0, 0] == Origin.ACCEPTED
    pinned = decide.pin(decide.undecided(TABLE), TABLE, {0}, True)
    held = decide.accept_share(pinned, PROPOSAL, TABLE, None, 0.5, LIMITS)
    assert held.values[0, 0] == 80.0 and held.values[1, 0] == 82.0


@pytest.mark.parametrize(
    ("text", "share"),
    [("50%", 0.5), (" 33,5 % ", 0.335), ("100%", 1.0), ("+5%", None), ("=50", None)],
)
def test_a_share_is_told_from_other_operations(text: str, share: float | None) -> None:
    assert share_in(text) == pytest.approx(share)


def test_more_than_the_whole_is_refused() -> None:
    with pytest.raises(BadInputError, match="more than the whole"):
        share_in("150%")
