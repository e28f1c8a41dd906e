"""No reading with knock gets leaner, however little each of its cells shares in it."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.decision.knock import LEANEST_PCT, KnockReadings, no_leaner_where_read

VALUES = np.array([[60.0, 70.0], [80.0, 90.0]])


def change(step: np.ndarray, at: KnockReadings) -> np.ndarray:
    """What the ECU reads then over what it read, percent."""
    new = (VALUES * (1.0 + step / 100.0)).ravel()
    read = (new[at.cells] * at.weights).sum(axis=1)
    return 100.0 * (read / (VALUES.ravel()[at.cells] * at.weights).sum(axis=1) - 1.0)


@pytest.mark.parametrize("seed", range(6))
def test_whatever_is_leaned_no_reading_with_knock_is(seed: int) -> None:
    rng = np.random.default_rng(seed)
    weights = rng.dirichlet(np.ones(4), 50)
    at = KnockReadings(np.tile(np.arange(4), (50, 1)), weights)
    step = rng.uniform(-12.0, 6.0, (2, 2))
    held = no_leaner_where_read(step, VALUES, at)
    assert change(held, at).min() >= -LEANEST_PCT - 0.01
    assert (held >= step - 1e-12).all()
    # What adds fuel stays as it is.
    assert (held[step > 0.0] == step[step > 0.0]).all()


def test_a_cell_that_no_such_reading_shares_is_left_alone() -> None:
    at = KnockReadings(np.array([[0, 1]]), np.array([[0.5, 0.5]]))
    held = no_leaner_where_read(np.array([[-5.0, -5.0], [-5.0, -5.0]]), VALUES, at)
    np.testing.assert_allclose(held[1], -5.0)
    assert (held[0] > -0.4).all()
