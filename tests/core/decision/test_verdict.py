"""A round is judged only by what was written and driven, where both drives were, and with enough of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.decision.round_verdict import (
    LEAST_CELLS,
    LEAST_USED_S,
    NOISE_FLOOR_PCT,
    UNJUDGED,
    DrivenCells,
    compare,
)

GRID = 100


def driven(off: float, cells: int = 40, seconds: float = 10.0, curve: bool = False) -> DrivenCells:
    """A drive that was off by so much in the first cells of a table."""
    size = 30 if curve else GRID
    gaps = np.full(size, np.nan)
    gaps[:cells] = off
    spent = np.zeros(size)
    spent[:cells] = seconds
    return DrivenCells(gaps, spent, curve)


@pytest.mark.parametrize(
    ("before", "after", "written", "word"),
    [
        (7.0, 2.0, 80, "better"),
        (7.0, 9.0, 80, "worse"),
        (1.0, 3.0, 80, "worse"),
        (3.0, 3.1, 80, "no change"),
        (1.2, 1.3, 80, "noise floor"),
        (7.0, 2.0, 0, "same table"),
        (1.2, 1.3, 0, "same table"),
        (5.0, 4.75, 80, "no change"),
        (5.0, 4.6, 80, "better"),
        (4.6, 5.0, 80, "worse"),
        (4.75, 5.0, 80, "no change"),
        (NOISE_FLOOR_PCT, NOISE_FLOOR_PCT - 0.2, 80, "noise floor"),
        (4.0, NOISE_FLOOR_PCT - 0.2, 80, "better"),
    ],
)
def test_words(before: float, after: float, written: int, word: str) -> None:
    found = compare(driven(before), driven(after), written)
    assert found.word == word and found.cells == 40
    assert (found.before, found.after) == pytest.approx((before, after))
    assert "in 40 common cells" in found.said


@pytest.mark.parametrize("after", [1.0, 2.0, 7.0, 7.1, 9.0])
def test_nothing_written_is_never_better_nor_good_enough(after: float) -> None:
    said = compare(driven(7.0), driven(after), 0).said
    assert "same table" in said
    for word in ("Better", "Good enough", "Worse", "No real change", "Noise floor", "pay"):
        assert word not in said


def test_only_cells_both_drives_visited_are_compared() -> None:
    before = driven(2.0, cells=20)
    # Bad only where the second drive never was.
    gaps = before.gap_pct.copy()
    gaps[10:20] = 30.0
    found = compare(replace(before, gap_pct=gaps), driven(1.0, cells=10, seconds=20.0), 50)
    assert (found.word, found.cells) == ("better", 10)
    assert found.before == pytest.approx(2.0)


def test_one_cell_of_a_minute_is_no_verdict() -> None:
    """Once seen: "off 6.0 → 0.8 %: better" from one cell and 0.0 of 0.9 minutes."""
    found = compare(driven(6.0), driven(0.8, cells=1, seconds=0.5), 50)
    assert found.word == UNJUDGED and np.isnan(found.after)
    assert found.said.startswith("No verdict: 0 s of the drive after could be used; 60 s")


@pytest.mark.parametrize(
    ("cells", "seconds", "judged"),
    [
        (LEAST_CELLS, LEAST_USED_S / LEAST_CELLS, True),
        (LEAST_CELLS, 0.99 * LEAST_USED_S / LEAST_CELLS, False),
        (LEAST_CELLS - 1, LEAST_USED_S, False),
    ],
)
def test_a_minute_and_ten_common_cells_are_needed(cells: int, seconds: float, judged: bool) -> None:
    for pair in (
        (driven(6.0), driven(2.0, cells, seconds)),
        (driven(6.0, cells, seconds), driven(2.0)),
    ):
        assert (compare(*pair, 50).word != UNJUDGED) == judged


@pytest.mark.parametrize(("points", "judged"), [(10, True), (9, False)])
def test_of_a_curve_a_third_of_its_points_is_needed(points: int, judged: bool) -> None:
    found = compare(driven(6.0, 30, curve=True), driven(2.0, points, curve=True), 20)
    assert (found.word != UNJUDGED) == judged


def test_of_a_small_grid_a_third_of_its_cells_will_do() -> None:
    small = DrivenCells(np.full(12, 3.0), np.full(12, 20.0), is_curve=False)
    assert small.least_common == 4


@pytest.mark.parametrize("which", ["before", "after"])
def test_a_drive_in_doubt_is_not_compared(which: str) -> None:
    pair = {"before": driven(6.0), "after": driven(0.8)}
    pair[which] = replace(pair[which], doubted=True)
    found = compare(pair["before"], pair["after"], 50)
    assert found.word == UNJUDGED and f"the drive {which} has to be settled" in found.said


def test_what_was_not_kept_and_other_axes_are_not_compared() -> None:
    assert "kept no cells" in compare(None, driven(1.0), 50).said
    other = DrivenCells(np.full(64, 3.0), np.full(64, 20.0), is_curve=False)
    assert "other axes" in compare(driven(3.0), other, 50).said
