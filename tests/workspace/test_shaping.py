"""Shaping, the deliberate word, and the trail, on the open job: saved first, one undo a gesture."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lean_trim.core.decision.confirmation import Danger
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.shaping import Shape
from tests.deciding import accept_knowingly
from tests.race.conftest import Bench

BOOST_CELL = 204
"""112 kPa, 6000 rpm: above atmospheric; its drive asks for less fuel."""
PART_CELLS = frozenset({69, 70, 71, 85, 86, 87, 101, 102, 103})
"""Three by three in the middle of the part-throttle range."""


def decided(bench: Bench) -> Decision:
    current = bench.workspace.open.round
    assert current is not None
    return current.decided


def test_leaner_above_atmospheric_waits_for_a_word_and_is_kept_with_its_date(
    driven: Bench, job_path: Path
) -> None:
    deciding = driven.workspace.deciding
    assert not deciding.accept()
    assert decided(driven).changed == 0
    waiting = deciding.confirming.waiting
    assert waiting is not None
    (warned,) = waiting.warned
    assert warned.danger is Danger.BOOST and BOOST_CELL in warned.cells
    assert deciding.confirm()
    current = driven.workspace.open.round
    assert current is not None
    assert decided(driven).values.ravel()[BOOST_CELL] < current.table.values.ravel()[BOOST_CELL]
    assert deciding.confirming.waiting is None
    driven.workspace.opening.close_job()
    driven.open(job_path)
    current = driven.workspace.open.round
    assert current is not None
    assert current.steps[-1].warned[0].danger is Danger.BOOST
    assert current.steps[-1].made.startswith("20")


def test_the_other_cells_alone_need_no_word(driven: Bench) -> None:
    deciding = driven.workspace.deciding
    deciding.accept()
    waiting = deciding.confirming.waiting
    assert waiting is not None
    (warned,) = waiting.warned
    assert deciding.confirm(others_only=True)
    left = decided(driven).origin.ravel()
    assert not left[list(warned.cells)].any()
    assert decided(driven).changed > 50


def test_a_word_given_for_a_cell_is_not_asked_for_again(driven: Bench) -> None:
    deciding = driven.workspace.deciding
    cells = frozenset({BOOST_CELL})
    assert not deciding.type_in("x0.98", cells)
    assert deciding.confirm()
    assert deciding.type_in("x0.99", cells)
    # Beyond the largest step it is another danger.
    assert not deciding.type_in("x0.8", cells)
    waiting = deciding.confirming.waiting
    assert waiting is not None and [w.danger for w in waiting.warned] == [Danger.LIMIT]


def test_what_waits_is_dropped_when_something_else_is_decided(driven: Bench) -> None:
    deciding = driven.workspace.deciding
    deciding.accept()
    assert deciding.type_in("+1%", frozenset({70}))
    assert deciding.confirming.waiting is None
    assert not deciding.confirm()
    assert decided(driven).changed == 1


def test_every_shape_goes_the_way_of_accepting_and_back_bit_for_bit(driven: Bench) -> None:
    workspace = driven.workspace
    shaping = workspace.shaping
    start = decided(driven)
    accept_knowingly(workspace.deciding, PART_CELLS)
    states = [start, decided(driven)]
    for act in (
        lambda: shaping.shape(Shape.SMOOTH, PART_CELLS),
        lambda: shaping.shape(Shape.BLEND, PART_CELLS),
        lambda: shaping.shape(Shape.STRAIGHTEN, PART_CELLS),
        lambda: shaping.nudge(PART_CELLS, 1.0),
        lambda: shaping.copy(PART_CELLS) and shaping.lay(frozenset({89})),
        lambda: shaping.shape(Shape.FILL, PART_CELLS),
    ):
        assert act() or workspace.deciding.confirm()
        states.append(decided(driven))
    for earlier in states[-2::-1]:
        workspace.navigation.undo()
        assert np.array_equal(decided(driven).values, earlier.values)
        assert np.array_equal(decided(driven).origin, earlier.origin)
    assert workspace.history.count() == 0


def test_a_held_nudge_key_is_one_undo(driven: Bench) -> None:
    workspace = driven.workspace
    start = decided(driven).values
    assert workspace.shaping.nudge(frozenset({70}), 1.0)
    for _ in range(4):
        assert workspace.shaping.nudge(frozenset({70}), 1.0, goes_on=True)
    assert decided(driven).values.ravel()[70] > 1.04 * start.ravel()[70]
    current = workspace.open.round
    assert current is not None and len(current.steps) == 1
    workspace.navigation.undo()
    assert np.array_equal(decided(driven).values, start)


def test_a_pinned_cell_is_not_shaped(driven: Bench) -> None:
    workspace = driven.workspace
    workspace.deciding.pin(frozenset({86}))
    before = decided(driven).values.ravel()[86]
    assert workspace.shaping.nudge(PART_CELLS, 1.0)
    assert decided(driven).values.ravel()[86] == before
    assert decided(driven).values.ravel()[85] > before * 0


def test_yesterdays_step_is_undone_after_reopening(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    start = decided(driven).values
    workspace.deciding.type_in("+3%", frozenset({70, 71}))
    middle = decided(driven).values
    assert workspace.shaping.shape(Shape.SMOOTH, PART_CELLS) or workspace.deciding.confirm()
    workspace.opening.close_job()
    driven.open(job_path)
    assert workspace.history.undo_text.startswith("Smooth")
    workspace.navigation.undo()
    assert np.array_equal(decided(driven).values, middle)
    workspace.navigation.undo()
    assert np.array_equal(decided(driven).values, start)
    workspace.navigation.redo()
    assert np.array_equal(decided(driven).values, middle)
    # What was undone before closing is not offered as done.
    workspace.opening.close_job()
    driven.open(job_path)
    assert workspace.history.count() == 1


def test_one_goes_back_to_a_step_and_that_can_be_undone(driven: Bench) -> None:
    deciding = driven.workspace.deciding
    for text in ("+3%", "+2%", "+1%"):
        assert deciding.type_in(text, frozenset({70}))
    states = [stood.after.values for stood in deciding.trail]
    assert deciding.go_back_to(0)
    assert np.array_equal(decided(driven).values, states[0])
    assert deciding.trail[-1].step.text == "Go back to “Set +3% on 1 cell”"
    driven.workspace.navigation.undo()
    assert np.array_equal(decided(driven).values, states[2])
    assert deciding.go_back_to(-1)
    assert decided(driven).changed == 0


def test_nothing_to_change_makes_no_step(driven: Bench) -> None:
    workspace = driven.workspace
    workspace.deciding.pin(PART_CELLS)
    count = workspace.history.count()
    assert not workspace.shaping.nudge(PART_CELLS, 1.0)
    assert workspace.history.count() == count
    assert "Nothing changes" in driven.said


def test_half_is_taken_of_what_was_accepted_whole(driven: Bench) -> None:
    deciding = driven.workspace.deciding
    accept_knowingly(deciding, PART_CELLS)
    whole = decided(driven).values
    assert accept_knowingly(deciding, PART_CELLS, share=0.5)
    current = driven.workspace.open.round
    assert current is not None
    base = current.table.values
    cells = list(PART_CELLS)
    made = (decided(driven).values / base - 1.0).ravel()[cells]
    np.testing.assert_allclose(made, (whole / base - 1.0).ravel()[cells] / 2, atol=0.001)
