"""Tables: interpolation against SciPy, and refusal of what cannot be a table."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import RegularGridInterpolator

from lean_trim.core.data.tables import Axis, maf_curve, ve_table
from lean_trim.core.errors import TableError

RPM = np.array([800.0, 1500.0, 2500.0, 6000.0])
MAP = np.array([20.0, 45.0, 100.0])
VALUES = np.array([[40.0, 45.0, 50.0, 48.0], [60.0, 66.0, 70.0, 64.0], [80.0, 88.0, 95.0, 90.0]])


@given(
    st.lists(st.tuples(st.floats(0.0, 120.0), st.floats(500.0, 7000.0)), min_size=1, max_size=20)
)
def test_lookup_agrees_with_scipy(points: list[tuple[float, float]]) -> None:
    table = ve_table(RPM, MAP, VALUES)
    at = np.array(points)
    reference = RegularGridInterpolator((MAP, RPM), VALUES)
    clamped = np.column_stack([np.clip(at[:, 0], 20, 100), np.clip(at[:, 1], 800, 6000)])
    np.testing.assert_allclose(table.lookup(at[:, 0], at[:, 1]), reference(clamped), rtol=1e-12)


@given(st.floats(-50.0, 300.0), st.floats(0.0, 9000.0))
def test_weights_add_to_one_and_are_not_negative(pressure: float, rpm: float) -> None:
    mesh = ve_table(RPM, MAP, VALUES).interpolate(np.array([pressure]), np.array([rpm]))
    assert mesh.weights.sum() == pytest.approx(1.0)
    assert (mesh.weights >= 0).all()
    assert (mesh.cells < 12).all()


def test_a_curve_interpolates_linearly_and_is_held_past_its_ends() -> None:
    curve = maf_curve([1000.0, 2000.0, 4000.0], [2.0, 6.0, 30.0])
    np.testing.assert_allclose(
        curve.lookup(np.array([500.0, 1500.0, 3000.0, 9000.0])), [2.0, 4.0, 18.0, 30.0]
    )


def test_nearest_cell_is_the_one_with_the_largest_weight() -> None:
    table = ve_table(RPM, MAP, VALUES)
    at = np.array([21.0, 99.0, 46.0]), np.array([1480.0, 5900.0, 2000.1])
    mesh = table.interpolate(*at)
    largest = mesh.cells[np.arange(3), mesh.weights.argmax(axis=1)]
    np.testing.assert_array_equal(table.nearest(*at), largest)


def test_nan_coordinates_give_nan_values() -> None:
    assert np.isnan(ve_table(RPM, MAP, VALUES).lookup(np.array([np.nan]), np.array([2000.0])))[0]


@pytest.mark.parametrize(
    ("points", "words"),
    [
        ([1.0, 3.0, 2.0], "not rising: 3 is followed by 2"),
        ([1.0, 1.0], "not rising"),
        ([1.0], "1 points; allowed are 2 to 512"),
        ([1.0, np.nan], "no number at point 2"),
    ],
)
def test_impossible_axes_are_refused_with_the_place(points: list[float], words: str) -> None:
    with pytest.raises(TableError, match=words):
        Axis("MAP", "kPa", np.array(points))


def test_another_shape_and_bad_cells_are_refused() -> None:
    with pytest.raises(TableError, match=r"shape \(2, 4\).*\(3, 4\)"):
        ve_table(RPM, MAP, VALUES[:2])
    bad = VALUES.copy()
    bad[1, 2] = np.nan
    with pytest.raises(TableError, match="nan at MAP 45 / engine speed 2500"):
        ve_table(RPM, MAP, bad)
    with pytest.raises(TableError, match="airflow falls from 9 to 8"):
        maf_curve([1.0, 2.0, 3.0], [3.0, 9.0, 8.0])


def test_tables_cannot_be_changed_in_place() -> None:
    table = ve_table(RPM, MAP, VALUES)
    with pytest.raises(ValueError, match="read-only"):
        table.values[0, 0] = 1.0
