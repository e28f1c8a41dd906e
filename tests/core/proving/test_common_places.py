"""Where both drives were, place stands against place."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.tables import ve_table
from lean_trim.core.estimation.carried import BETWEEN_DRIVES, PlaceMeans
from lean_trim.core.proving.common_places import LEAST_S, beside_surface

TABLE = ve_table([1000.0, 2000.0, 3000.0], [30.0, 60.0, 90.0], np.full((3, 3), 80.0))
SURFACE = np.log(TABLE.values)


def means_at(
    kpa: list[float],
    rpm: list[float],
    wanted: list[float],
    seconds: float = 2.0,
    error: float = 0.01,
) -> PlaceMeans:
    n = len(wanted)
    return PlaceMeans(
        at=np.array([kpa, rpm]),
        wanted=np.array(wanted),
        weight=np.full(n, 1.0 / error**2),
        seconds=np.full(n, seconds),
        others_pct=np.zeros(n),
        rpm=np.array(rpm),
        map_kpa=np.array(kpa),
        unit=1.0,
        scatter=1.0,
    )


def test_a_bend_of_one_place_is_told_there_and_nowhere_else() -> None:
    means = means_at([60.0, 61.0, 90.0], [2000.0, 2050.0, 3000.0], [84.0, 84.0, 80.0])
    at = np.array([[60.5, 90.0, 30.0], [2020.0, 3000.0, 1000.0]])
    off, variance = beside_surface(TABLE, SURFACE, means, at)
    # Both near places, each 1 % off by itself.
    assert off[0] == pytest.approx(np.log(84.0 / 80.0), abs=1e-9)
    assert variance[0] == pytest.approx(0.01**2 / 2.0 + BETWEEN_DRIVES**2)
    assert off[1] == pytest.approx(0.0, abs=1e-12)
    assert np.isnan(off[2]) and np.isnan(variance[2])


def test_a_moment_says_nothing() -> None:
    short = means_at([60.0], [2000.0], [84.0], seconds=0.5 * LEAST_S)
    off, _ = beside_surface(TABLE, SURFACE, short, np.array([[60.0], [2000.0]]))
    assert np.isnan(off).all()


def test_where_the_surface_says_nothing_neither_does_the_place() -> None:
    unknown = SURFACE.copy()
    unknown[1, 1] = np.nan
    off, _ = beside_surface(
        TABLE, unknown, means_at([60.0], [2000.0], [84.0]), np.array([[60.0], [2000.0]])
    )
    assert np.isnan(off).all()
