"""Nodes that driving reads from one side, against a hand-worked example."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.tables import ve_table
from lean_trim.core.estimation.edge_nodes import CURVATURE, edge_nodes, gaps_of

TABLE = ve_table([600.0, 1200.0, 1800.0], [25.0, 40.0, 55.0], np.full((3, 3), 60.0))


def nodes(rpm: np.ndarray, kpa: np.ndarray):
    mesh = TABLE.interpolate(kpa, rpm)
    return edge_nodes(TABLE, gaps_of(TABLE, (kpa, rpm), mesh.cells, mesh.weights))


def test_an_idle_between_two_nodes_leaves_the_lower_one_in_doubt() -> None:
    """By hand: half the curvature times (850 - 600)(1200 - 600), here 0.2 per (1000 rpm)²: 1.5 %."""
    rpm = np.concatenate([np.full(50, 850.0), np.full(50, 1500.0)])
    found = nodes(rpm, np.full(100, 40.0))
    by_hand = 100.0 * 0.5 * CURVATURE[1] / 1000.0**2 * 250.0 * 600.0
    assert found.error_pct[1, 0] == pytest.approx(by_hand)
    assert found.beside[1, 0] == 4
    # Read from both sides: 1200; not read at all: nothing is said here.
    assert found.error_pct[1, 1] == 0.0 and found.beside[1, 1] == -1


def test_driving_at_the_node_takes_the_doubt_away() -> None:
    rpm = np.concatenate([np.full(50, 610.0), np.full(50, 1500.0)])
    assert nodes(rpm, np.full(100, 40.0)).error_pct[1, 0] == 0.0


def test_two_drives_are_as_good_as_one_that_holds_both() -> None:
    low, high = np.full(20, 610.0), np.full(20, 1500.0)
    kpa = np.full(20, 40.0)
    gaps = []
    for rpm in (low, high):
        mesh = TABLE.interpolate(kpa, rpm)
        gaps.append(gaps_of(TABLE, (kpa, rpm), mesh.cells, mesh.weights))
    both = edge_nodes(TABLE, gaps[0].plus(gaps[1]))
    whole = nodes(np.concatenate([low, high]), np.concatenate([kpa, kpa]))
    np.testing.assert_array_equal(both.error_pct, whole.error_pct)
    np.testing.assert_array_equal(both.beside, whole.beside)
