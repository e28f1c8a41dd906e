"""Compiled loops against plain NumPy and SciPy saying the same more slowly."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import signal

from lean_trim.core.data.log import extend_mask, rate_per_s, running_box, typical_step_s
from lean_trim.core.data.tables import maf_curve, ve_table
from lean_trim.core.drive.film import GAP_S
from lean_trim.core.drive.frame import mesh_along, read_along
from lean_trim.core.kernels.fuel_loops import misleading_excess, product, seconds_off, times_root
from lean_trim.core.kernels.log_loops import lag, lasting, onsets, share_of, still_spells
from lean_trim.core.kernels.mesh_loops import count_evidence, crossings, nearest_cell

RNG = np.random.default_rng(11)
TIME = np.cumsum(RNG.uniform(0.02, 0.06, 5000))


def test_slope_agrees_with_least_squares_in_every_window() -> None:
    values = np.sin(TIME) + 0.1 * RNG.standard_normal(5000)
    half = round(0.4 / typical_step_s(TIME) / 2)
    slope = rate_per_s(TIME, values, 0.4)
    for i in (half, 2047, 2048, 2049, 4990 - half):
        near = slice(i - half, i + half + 1)
        ramp = np.arange(-half, half + 1)
        assert slope[i] == pytest.approx(ramp @ values[near] / (ramp @ TIME[near]), rel=1e-9)


@settings(max_examples=40, deadline=None)
@given(st.lists(st.booleans(), min_size=2, max_size=60), st.floats(0, 0.5), st.floats(0, 0.5))
def test_hold_off_reaches_exactly_as_far_as_it_says(
    on: list[bool], before: float, after: float
) -> None:
    mask = np.array(on)
    time = TIME[: len(on)]
    gap = time[None, :] - time[:, None]
    expected = (mask[:, None] & (gap >= -before - 1e-9) & (gap <= after + 1e-9)).any(axis=0)
    np.testing.assert_array_equal(extend_mask(mask, time, before, after), expected)


def test_first_order_lag_agrees_with_a_filter_of_scipy() -> None:
    time = np.arange(400) * 0.04
    values = np.repeat([1.0, 3.0, 2.0, 2.5], 100)
    keep = np.exp(-0.04 / 0.5)
    expected, _ = signal.lfilter([1 - keep], [1, -keep], values, zi=[keep * values[0]])
    np.testing.assert_allclose(lag(time, values, 0.5, GAP_S), expected, rtol=1e-6)


def test_first_order_lag_starts_anew_after_a_gap() -> None:
    time = np.concatenate([np.arange(50) * 0.04, 100 + np.arange(50) * 0.04])
    values = np.repeat([1.0, 5.0], 50)
    np.testing.assert_allclose(lag(time, values, 0.5, GAP_S), values)


def test_running_box_is_a_convolution_with_repeated_ends() -> None:
    values = RNG.standard_normal(5000)
    half = round(0.3 / typical_step_s(TIME) / 2)
    padded = np.pad(values, half, mode="edge")
    expected = np.convolve(padded, np.full(2 * half + 1, 1 / (2 * half + 1)), mode="valid")
    np.testing.assert_allclose(running_box(values, TIME, 0.3), expected, atol=1e-12)


def test_onsets_ask_for_quiet_before_them() -> None:
    mask = np.zeros(100, bool)
    mask[[5, 6, 7, 60, 62]] = True
    np.testing.assert_array_equal(onsets(mask, np.arange(100) * 0.1, 1.0), [5, 60])


def test_mesh_along_a_log_is_the_tables_own_interpolation() -> None:
    table = ve_table([1000.0, 2000, 3500], [30.0, 60, 90, 150], 50 + 30 * RNG.random((4, 3)))
    at = RNG.uniform(10, 180, 500), RNG.uniform(500, 4000, 500)
    at[0][3] = np.nan
    fast = mesh_along(table, at)
    plain = table.interpolate(*at)
    np.testing.assert_array_equal(fast.cells, plain.cells)
    np.testing.assert_allclose(fast.weights, plain.weights)
    np.testing.assert_allclose(read_along(fast, table.values), table.lookup(*at))
    good = np.isfinite(at[0])
    np.testing.assert_array_equal(
        nearest_cell(fast.cells, fast.weights)[good], table.nearest(*at)[good]
    )
    curve = maf_curve([1.0, 2, 3], [1.0, 4, 9], "V")
    np.testing.assert_allclose(
        mesh_along(curve, (at[1],)).weights, curve.interpolate(at[1]).weights
    )


def test_cells_crossed_in_a_second_follow_from_rates_and_widths() -> None:
    """Cell 0 is 1000 wide and 20 high, cell 4 (second row, second column) 2000 and 30."""
    cells = np.array([0, 4])
    rows = np.array([20.0, 30.0])
    columns = np.array([1000.0, 2000.0])
    found = crossings(cells, np.array([10.0, -3.0]), np.array([100.0, 500.0]), rows, columns)
    np.testing.assert_allclose(found, [0.5 + 0.1, 0.1 + 0.25])
    curve = crossings(np.array([1]), np.array([80.0]), np.array([80.0]), np.empty(0), columns)
    np.testing.assert_allclose(curve, 0.04)


def test_only_what_lasts_is_kept_and_ends_count_as_lasting() -> None:
    mask = np.array([1, 0, 1, 1, 0, 1, 1, 1, 0, 1], bool)
    np.testing.assert_array_equal(
        lasting(mask, np.arange(10.0), 2.0), [1, 0, 0, 0, 0, 1, 1, 1, 0, 1]
    )


def test_coming_back_after_a_while_is_another_visit() -> None:
    cells = np.tile([0, 1], (6, 1))
    weights = np.tile([0.9, 0.1], (6, 1))
    time = np.array([0.0, 0.5, 1.0, 9.0, 9.5, 30.0])
    seconds, visits = count_evidence(cells, weights, np.full(6, 0.5), time, 3, 0.2, 2.0)
    np.testing.assert_array_equal(visits, [3, 0, 0])
    np.testing.assert_allclose(seconds, [2.7, 0.3, 0.0])


def test_products_along_a_log_agree_with_numpy() -> None:
    trim, lam, target, more = (RNG.uniform(0.7, 1.3, 500) for _ in range(4))
    np.testing.assert_allclose(
        product(trim, lam, target, more), trim * lam / target * more, rtol=1e-14
    )
    ratio = RNG.uniform(-0.1, 1.2, 500)
    expected = lam * np.sqrt(np.maximum(ratio, 0.01))
    np.testing.assert_allclose(times_root(lam.copy(), ratio, 0.01), expected, rtol=1e-14)
    np.testing.assert_allclose(
        share_of(trim.copy(), target, 1.0), trim / np.maximum(target, 1.0), rtol=1e-14
    )


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(0, 2), min_size=1, max_size=40), st.floats(0.01, 0.3))
def test_still_spells_are_the_long_runs_of_one_value(values: list[int], least: float) -> None:
    array = np.array(values, float)
    time = TIME[: len(values)]
    edges = [0, *(np.flatnonzero(np.diff(array)) + 1).tolist(), len(array)]
    runs = [(a, b) for a, b in itertools.pairwise(edges) if time[b - 1] - time[a] >= least]
    assert still_spells(array, time, least).tolist() == [list(r) for r in runs]


def test_excess_misleads_where_it_moves_or_is_not_proven() -> None:
    level = np.concatenate([np.ones(50), np.linspace(1.0, 1.2, 10), np.full(60, 1.2)])
    time = np.arange(len(level)) * 0.1
    half = 2
    excess = 100.0 * (level - 1.0)
    proven = np.arange(len(level)) < 100
    slope = np.abs(100.0 * np.gradient(level, time))
    out = misleading_excess(excess, level, time, half, proven, 5.0, 10.0)
    assert not out[:50].any()
    assert out[53:60].all() and slope[53:59].min() > 10.0
    assert not out[63:100].any()
    assert out[100:].all()
    assert seconds_off(level, proven, np.full(len(level), 0.1), 0.1) == pytest.approx(
        (10.0, 4.5), abs=0.11
    )
