"""Times and numbers as they are written everywhere."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.core.text import clock, decimals_of, evenly_written, fixed, signed, span_text


@pytest.mark.parametrize(
    ("time_s", "decimals", "text"),
    [
        (0.0, 1, "0:00.0"),
        (179.96, 1, "3:00.0"),
        (59.999, 2, "1:00.00"),
        (119.7, 0, "2:00"),
        (3723.4, 1, "62:03.4"),
        (-4.0, 1, "-0:04.0"),
        (-0.01, 1, "0:00.0"),
    ],
)
def test_times_are_rounded_before_they_are_split(time_s: float, decimals: int, text: str) -> None:
    assert clock(time_s, decimals) == text


@given(st.floats(-1e6, 1e6), st.integers(0, 3))
def test_no_sixty_seconds_are_ever_written(time_s: float, decimals: int) -> None:
    minutes, rest = clock(time_s, decimals).lstrip("-").split(":")
    assert float(rest) < 60.0
    assert 60 * int(minutes) + float(rest) == pytest.approx(
        abs(time_s), abs=0.5 * 10.0**-decimals + 1e-6
    )


@given(st.floats(-1.0, 1.0), st.integers(0, 3))
def test_zero_has_no_sign(value: float, decimals: int) -> None:
    for text in (fixed(value, decimals), signed(value, decimals)):
        if float(text) == 0.0:
            assert text[0] not in "+-"
    assert float(signed(value, decimals)) == float(fixed(value, decimals))


def test_signs_and_gaps() -> None:
    assert signed(0.34) == "+0.3"
    assert signed(-0.04) == "0.0"
    assert fixed(-0.04, 1) == "0.0"
    assert signed(math.nan) == fixed(math.inf, 2) == "–"


@pytest.mark.parametrize(
    ("resolution", "decimals"),
    [(1.0, 0), (0.1, 1), (0.25, 2), (0.5, 1), (0.001, 3), (0.0625, 4), (5.0, 0)],
)
def test_decimals_show_every_step(resolution: float, decimals: int) -> None:
    assert decimals_of(resolution) == decimals


@pytest.mark.parametrize(
    ("points", "texts"),
    [
        ((20.0, 28.0), ("20", "28")),
        ((20.0, 28.5), ("20.0", "28.5")),
        ((0.1, 0.25, 1.0), ("0.10", "0.25", "1.00")),
        ((1 / 3, 2.0), ("0.333", "2.000")),
        ((), ()),
    ],
)
def test_points_of_an_axis_have_the_same_decimals(
    points: tuple[float, ...], texts: tuple[str, ...]
) -> None:
    assert evenly_written(points) == texts


@pytest.mark.parametrize(
    ("low", "high", "text"),
    [
        (24.1, 30.0, "24.10 to 30.00"),
        (0.811, 1.36, "0.811 to 1.360"),
        (854.0, 6188.2, "854 to 6188"),
        (1.0, 5.0, "1 to 5"),
        (-0.2, 100.0, "-0.2 to 100.0"),
    ],
)
def test_both_ends_of_a_range_have_the_same_decimals(low: float, high: float, text: str) -> None:
    assert span_text(low, high) == text
