"""Borders between regions: where they are taken hold of, and which cells change sides."""

from __future__ import annotations

import pytest

from lean_trim.ui.widgets.region_border import Border, border_at, moved

# Six rows of five: idle in a corner, boost from the fifth row on.
REGIONS = [
    *("idle", "part", "part", "part", "part"),
    *("idle", "part", "part", "part", "part"),
    *("part", "part", "part", "part", "part"),
    *("part", "part", "part", "part", "part"),
    *("boost", "boost", "boost", "boost", "boost"),
    *("boost", "boost", "boost", "boost", "boost"),
]
NEAR = (0.1, 0.15)


def test_a_border_is_taken_hold_of_where_it_is_seen_only() -> None:
    upright = border_at(REGIONS, 5, 1.05, 0.5, NEAR)
    assert upright == Border(True, 0, (0, 1), "idle", "part")
    flat = border_at(REGIONS, 5, 2.5, 4.1, NEAR)
    assert flat == Border(False, 3, (0, 1, 2, 3, 4), "part", "boost")
    # Between two cells of one region, in the middle of a tile, and at the table's own edge there is none.
    for across, down in (
        (1.05, 2.5),
        (1.5, 0.5),
        (0.02, 0.5),
        (2.5, 5.98),
        (-0.5, 4.0),
        (2.5, 7.0),
    ):
        assert border_at(REGIONS, 5, across, down, NEAR) is None


@pytest.mark.parametrize(
    ("to", "cells", "region"),
    [
        (1.2, set(), "part"),
        (3.1, {1, 2, 6, 7}, "idle"),
        (99.0, {1, 2, 3, 4, 6, 7, 8, 9}, "idle"),
        (-3.0, {0, 5}, "part"),
    ],
)
def test_the_region_it_is_pulled_away_from_grows(to: float, cells: set[int], region: str) -> None:
    border = border_at(REGIONS, 5, 1.05, 0.5, NEAR)
    assert border is not None
    found = moved(border, 5, 6, to)
    assert found == (frozenset(cells), region)


def test_a_border_between_rows_moves_down_and_up() -> None:
    border = border_at(REGIONS, 5, 2.5, 4.1, NEAR)
    assert border is not None
    assert moved(border, 5, 6, 5.0) == (frozenset(range(20, 25)), "part")
    assert moved(border, 5, 6, 2.9) == (frozenset(range(15, 20)), "boost")
