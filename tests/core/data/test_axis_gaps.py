"""A breakpoint that was lost is noticed; axes that become coarser as their makers wanted them are not."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.axis_gaps import gap_of, gaps_of
from lean_trim.core.data.table_kinds import airflow_grid
from lean_trim.core.data.tables import Axis, OwnUnit


def axis(*points: float, own: OwnUnit | None = None) -> Axis:
    return Axis("engine speed", "rpm", np.array(points), own)


@pytest.mark.parametrize(
    ("points", "at"),
    [
        ((500, 1000, 1500, 2500, 3000, 3500), 2000),
        ((20, 30, 40, 60, 70), 50),
        ((20, 30, 40, 80, 90), 50),
    ],
)
def test_one_long_step_among_even_ones_is_a_question(points: tuple[int, ...], at: int) -> None:
    said = gap_of(axis(*points), "row")
    assert said is not None and f"missing at {at} rpm?" in str(said)


@pytest.mark.parametrize(
    "points",
    [
        (500, 1000, 1500, 2000, 3000, 4000, 5000),
        (500, 700, 900, 1200, 1600, 2000),
        (600, 800, 1000, 1500, 2000, 2500, 3000, 4000, 5000),
        (10, 20, 40, 80, 160),
        (500, 1000),
        (500, 1000, 2000),
    ],
)
def test_an_axis_that_becomes_coarser_is_none(points: tuple[int, ...]) -> None:
    assert gap_of(axis(*points), "row") is None


def test_it_is_told_as_the_ecu_counts() -> None:
    own = OwnUnit("psi", 0.145038)
    found = gap_of(axis(*(np.array([2, 4, 6, 10, 12]) / 0.145038), own=own), "column")
    assert str(found) == (
        "Steps of engine speed are 2, 2, 4, 2 between 2 and 12 psi: is a column missing at 8 psi?"
    )


def test_both_axes_of_a_grid_are_looked_at() -> None:
    grid = airflow_grid(
        [500, 1000, 1500, 2500, 3000], [20, 40, 60, 100, 120], np.full((5, 5), 70.0)
    )
    assert [s.values["what"] for s in gaps_of(grid)] == ["row", "column"]
