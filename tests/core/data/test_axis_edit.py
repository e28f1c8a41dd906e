"""Rows and columns put in, moved and taken out; what is read from the table is held against SciPy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.interpolate import RegularGridInterpolator

from lean_trim.core.data.axis_edit import insert_point, move_point, remove_point
from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.types import Floats

ROWS = Axis("MAP", "kPa", np.array([20.0, 40.0, 70.0, 100.0]))
COLUMNS = Axis("engine speed", "rpm", np.array([800.0, 1500.0, 3000.0, 6000.0]))
VALUES = np.random.default_rng(5).uniform(40.0, 95.0, (4, 4))
TABLE = Table((ROWS, COLUMNS), VALUES, "%", "VE")


def read(table: Table, map_kpa: Floats, rpm: Floats) -> Floats:
    """What an ECU reads, by a library that has nothing to do with ours."""
    axes = tuple(a.points for a in table.axes)
    return np.asarray(RegularGridInterpolator(axes, table.values)(np.stack([map_kpa, rpm], axis=1)))


def places() -> tuple[Floats, Floats]:
    """Anywhere on the table, its edges included."""
    rng = np.random.default_rng(6)
    rows = np.append(rng.uniform(20.0, 100.0, 150), ROWS.points)
    columns = np.append(rng.uniform(800.0, 6000.0, 150), COLUMNS.points)
    a, b = np.meshgrid(rows, columns)
    return a.ravel(), b.ravel()


@pytest.mark.parametrize(("axis", "value"), [(0, 55.5), (1, 850.0), (1, 4321.0)])
def test_a_point_put_in_changes_nothing_that_is_read(axis: int, value: float) -> None:
    edit = insert_point(TABLE, axis, value)
    assert edit.is_exact and value in edit.table.axes[axis].points
    np.testing.assert_allclose(read(edit.table, *places()), read(TABLE, *places()), rtol=1e-12)


def test_taken_out_again_it_is_the_same_table_bit_for_bit() -> None:
    edit = insert_point(TABLE, 1, 2222.0)
    back = remove_point(edit.table, 1, 2)
    assert back.is_exact
    np.testing.assert_allclose(back.table.values, TABLE.values, rtol=1e-14)
    np.testing.assert_array_equal(back.table.axes[1].points, COLUMNS.points)


def test_what_a_missing_point_costs_is_the_largest_difference_there_is() -> None:
    for edit in (remove_point(TABLE, 0, 2), move_point(TABLE, 1, 1, 2000.0)):
        off = 100 * np.abs(read(edit.table, *places()) / read(TABLE, *places()) - 1)
        assert not edit.is_exact
        assert off.max() <= edit.worst_pct + 1e-9
        assert off.max() > 0.95 * edit.worst_pct
        at = edit.worst_at
        here = read(edit.table, np.array([at[0]]), np.array([at[1]]))
        was = read(TABLE, np.array([at[0]]), np.array([at[1]]))
        assert 100 * abs(here / was - 1)[0] == pytest.approx(edit.worst_pct)


def test_a_moved_point_keeps_what_was_read_there() -> None:
    edit = move_point(TABLE, 1, 1, 2000.0)
    np.testing.assert_allclose(
        edit.table.values[:, 1], read(TABLE, ROWS.points, np.full(4, 2000.0))
    )
    np.testing.assert_array_equal(edit.table.values[:, [0, 2, 3]], TABLE.values[:, [0, 2, 3]])


def test_beyond_the_end_the_table_goes_on_as_an_ecu_reads_it() -> None:
    edit = insert_point(TABLE, 1, 7000.0)
    np.testing.assert_array_equal(edit.table.values[:, -1], TABLE.values[:, -1])
    assert edit.is_exact


def test_what_cannot_be_is_refused() -> None:
    with pytest.raises(BadInputError, match="a point of this axis already"):
        insert_point(TABLE, 1, 1500.0)
    with pytest.raises(BadInputError, match="beyond the neighbours"):
        move_point(TABLE, 1, 1, 3000.0)
    curve = Table(
        (Axis("maf", "Hz", np.array([1000.0, 2000.0])),), np.array([2.0, 5.0]), "g/s", "MAF"
    )
    with pytest.raises(BadInputError, match="two points"):
        remove_point(curve, 0, 0)
    assert insert_point(curve, 0, 1500.0).table.values[1] == pytest.approx(3.5)
