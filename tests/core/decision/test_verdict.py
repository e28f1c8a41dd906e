"""A round is judged only by what was written and driven."""

from __future__ import annotations

import math

import pytest

from lean_trim.core.decision.round_verdict import verdict_sentence, verdict_word


@pytest.mark.parametrize(
    ("before", "after", "written", "word"),
    [
        (7.0, 2.0, 80, "better"),
        (7.0, 9.0, 80, "worse"),
        (3.0, 3.1, 80, "no change"),
        (1.2, 1.3, 80, "noise floor"),
        (7.0, 2.0, 0, "same table"),
        (1.2, 1.3, 0, "same table"),
        (math.nan, 2.0, 80, "unknown"),
        (7.0, math.nan, 0, "unknown"),
    ],
)
def test_words(before: float, after: float, written: int, word: str) -> None:
    assert verdict_word(before, after, written) == word


@pytest.mark.parametrize("after", [1.0, 2.0, 7.0, 7.1, 9.0])
def test_nothing_written_is_never_better_nor_good_enough(after: float) -> None:
    said = verdict_sentence(7.0, after, 0)
    assert "same table" in said
    for word in ("Better", "Good enough", "Worse", "No real change", "Noise floor", "pay"):
        assert word not in said
