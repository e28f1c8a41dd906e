"""Logs: what is refused, slopes, hold-offs."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log, concatenate, extend_mask, rate_per_s
from lean_trim.core.errors import LogError

TIME = np.arange(100) * 0.04


def test_impossible_logs_are_refused() -> None:
    with pytest.raises(LogError, match="at least 2"):
        Log(np.array([0.0]), {})
    with pytest.raises(LogError, match="runs backwards after sample 2"):
        Log(np.array([0.0, 1.0, 0.5]), {})
    with pytest.raises(LogError, match="no time in sample 2"):
        Log(np.array([0.0, np.nan]), {})
    with pytest.raises(LogError, match="rpm has 3 samples, time has 2"):
        Log(np.array([0.0, 1.0]), {Role.RPM: np.zeros(3)})


def test_missing_channels_are_all_named() -> None:
    with pytest.raises(LogError, match=r"engine speed \(rpm\), lambda \(lambda_measured\)"):
        Log(TIME, {}).require([Role.RPM, Role.LAMBDA])


def test_slope_of_a_straight_line_is_exact_inside() -> None:
    slope = rate_per_s(TIME, 3.0 * TIME - 7.0, 0.2)
    np.testing.assert_allclose(slope[5:-5], 3.0, rtol=1e-9)


def test_slope_ignores_noise_better_than_a_difference() -> None:
    noisy = np.random.default_rng(0).standard_normal(100)
    assert np.std(rate_per_s(TIME, noisy, 0.4)) < 0.2 * np.std(np.gradient(noisy, TIME))


@given(st.lists(st.integers(0, 99), max_size=6), st.floats(0.0, 1.0), st.floats(0.0, 1.0))
def test_spread_marks_exactly_the_samples_within_the_hold_off(
    on: list[int], before: float, after: float
) -> None:
    from lean_trim.core.kernels.log_loops import SAME_TIME_S

    mask = np.zeros(100, bool)
    mask[on] = True
    expected = np.array(
        [
            any(TIME[i] - before - SAME_TIME_S <= t <= TIME[i] + after + SAME_TIME_S for i in on)
            for t in TIME
        ],
        bool,
    )
    np.testing.assert_array_equal(extend_mask(mask, TIME, before, after), expected)


def test_durations_do_not_count_gaps_as_driving() -> None:
    log = Log(np.array([0.0, 0.1, 0.2, 50.0, 50.1]), {})
    assert log.durations_s.sum() < 1.0


def test_pieces_are_joined_and_missing_channels_become_nan() -> None:
    joined = concatenate([Log(TIME, {Role.RPM: TIME}), Log(TIME + 10, {Role.MAP: TIME})])
    assert len(joined) == 200
    assert np.isnan(joined[Role.MAP][:100]).all()
