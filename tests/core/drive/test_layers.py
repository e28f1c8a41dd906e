"""How much of several VE tables is in force: worked by hand."""

from __future__ import annotations

import numpy as np

from lean_trim.core.drive.layers import shares_at


def test_the_two_tables_around_a_position_share_it_in_a_line() -> None:
    at = np.array([0.0, 10.0, 40.0])
    position = np.array([-5.0, 0.0, 2.5, 10.0, 25.0, 40.0, 60.0])
    wanted = np.array(
        [
            [1.0, 1.0, 0.75, 0.0, 0.0, 0.0, 0.0],
            [0.0, 0.0, 0.25, 1.0, 0.5, 0.0, 0.0],
            [0.0, 0.0, 0.0, 0.0, 0.5, 1.0, 1.0],
        ]
    )
    np.testing.assert_allclose(shares_at(position, at), wanted, atol=1e-12)


def test_where_the_position_is_not_known_no_share_is() -> None:
    assert np.isnan(shares_at(np.array([np.nan]), np.array([0.0, 1.0]))).all()
