"""Column minima and maxima against brute force, with gaps, NaN, uneven time and tails."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trim.core.explore.pyramid import Pyramid, touch


@settings(max_examples=60, deadline=None)
@given(
    st.integers(2, 3000),
    st.integers(0, 2**31),
    st.floats(0.0, 0.9),
    st.floats(0.05, 1.0),
    st.integers(1, 400),
    st.floats(0.0, 0.3),
)
def test_columns_agree_with_brute_force(
    n: int, seed: int, start: float, width: float, columns: int, nan_share: float
) -> None:
    """Every column holds its own samples' extremes.

    At coarse levels it may also hold those of a neighbour's block.
    """
    rng = np.random.default_rng(seed)
    time = np.cumsum(rng.uniform(0.01, 0.1, n))
    values = rng.standard_normal(n).cumsum()
    values[rng.random(n) < nan_share] = np.nan
    if not np.isfinite(values).any():
        values[0] = 1.0
    a = time[0] + start * (time[-1] - time[0])
    b = a + width * (time[-1] - time[0]) + 1e-3
    low, high = Pyramid(time, values).columns(a, b, columns)
    edges = np.linspace(a, b, columns + 1)
    slack = (b - a) / columns * 1.01
    for i in range(columns):
        own = values[(time >= edges[i]) & (time < edges[i + 1])]
        own = own[np.isfinite(own)]
        if len(own):
            assert low[i] <= own.min() + 1e-12
            assert high[i] >= own.max() - 1e-12
            near = values[(time >= edges[i] - slack) & (time < edges[i + 1] + slack)]
            assert low[i] >= np.nanmin(near) - 1e-12
            assert high[i] <= np.nanmax(near) + 1e-12


def test_gaps_are_left_open_and_short_steps_are_bridged() -> None:
    time = np.concatenate([np.arange(0, 10, 0.1), np.arange(50, 60, 0.1)])
    low, _ = Pyramid(time, np.sin(time)).columns(0.0, 60.0, 600)
    assert np.isnan(low[150:480]).all()
    assert np.isfinite(low[:95]).all()
    zoomed, _ = Pyramid(time, time).columns(1.0, 1.2, 100)
    np.testing.assert_allclose(zoomed, np.linspace(1.0, 1.2, 201)[1::2], atol=0.00101)


def test_nothing_is_drawn_outside_the_log() -> None:
    low, high = Pyramid(np.arange(10.0), np.ones(10)).columns(-5.0, 20.0, 50)
    assert np.isnan(low[:9]).all()
    assert np.isnan(high[-20:]).all()


def test_neighbouring_columns_touch_so_that_a_step_has_no_break() -> None:
    low, high = touch(np.array([0.0, 5.0, 5.0]), np.array([1.0, 6.0, 6.0]))
    assert low[1] == 1.0
    assert (high == [1.0, 6.0, 6.0]).all()
    low, high = touch(np.array([0.0, np.nan, 5.0]), np.array([1.0, np.nan, 6.0]))
    assert np.isnan(low[1])
    assert low[2] == pytest.approx(5.0)
