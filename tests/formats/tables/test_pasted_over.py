"""A pasted table takes the place of the cells that are there only where it is the same table."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.table_kinds import airflow_grid
from lean_trim.core.data.tables import OwnUnit, Table, maf_curve
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision.decision import Origin, moved_by_hand, pin, undecided
from lean_trim.core.errors import BadInputError
from lean_trim.formats.tables import table_text
from lean_trim.formats.tables.block import block_of_text
from lean_trim.formats.tables.pasted_over import values_over

RPM = [800.0, 1600.0, 3200.0, 6400.0]
KPA = [20.0, 60.0, 100.0]
LIMITS = TableLimits(resolution=0.1, lowest=10.0, highest=150.0)


def grid() -> Table:
    return airflow_grid(RPM, KPA, 50.0 + np.arange(12.0).reshape(3, 4))


def over(text: str, table: Table) -> np.ndarray:
    return values_over(block_of_text(text, "the clipboard"), table)


def test_the_same_table_comes_back_with_axes_without_them_and_turned() -> None:
    table = grid()
    text = table_text(table, "\t")
    np.testing.assert_allclose(over(text, table), table.values)
    bare = "\n".join(line.split("\t", 1)[1] for line in text.splitlines()[1:])
    np.testing.assert_allclose(over(bare, table), table.values)
    cells = [line.split("\t") for line in text.splitlines()]
    turned = "\n".join("\t".join(row) for row in zip(*cells, strict=True))
    np.testing.assert_allclose(over(turned, table), table.values)


def test_a_curve_comes_back_by_its_points() -> None:
    curve = maf_curve([1500.0, 3000.0, 6000.0], [2.0, 12.0, 80.0])
    np.testing.assert_allclose(
        over("Hz\tg/s\n1500\t2.1\n3000\t12\n6000\t81\n", curve), [2.1, 12, 81]
    )
    with pytest.raises(BadInputError, match="2 points; this curve has 3"):
        over("Hz\tg/s\n1500\t2.1\n3000\t12\n", curve)
    with pytest.raises(BadInputError, match="other steps or another unit"):
        over("Hz\tg/s\n1.5\t2.1\n3\t12\n6\t81\n", curve)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda t: "\n".join(t.splitlines()[:3]), "this table has 3 × 4"),
        (lambda t: t.replace("1600", "1700"), "other steps or another unit"),
        (lambda t: t.replace("57", "soon"), "not a number"),
    ],
)
def test_another_table_is_refused(change: object, words: str) -> None:
    text = change(table_text(grid(), "\t"))  # type: ignore[operator]
    with pytest.raises(BadInputError, match=words):
        over(text, grid())


def test_cells_are_read_as_the_ecu_counts_them() -> None:
    table = Table(grid().axes, grid().values, "%", "VE", OwnUnit("0..1", 0.01))
    text = table_text(table, "\t")
    np.testing.assert_allclose(over(text, table), table.values, atol=1e-6)


def test_only_what_differs_is_decided_and_pinned_cells_stay() -> None:
    table = grid()
    wanted = table.values.copy()
    wanted[1, 1] += 2.0
    wanted[2, 2] += 2.0
    held = pin(undecided(table), table, [10], True)
    found = moved_by_hand(held, wanted, LIMITS)
    assert found.changed == 1 and found.origin[1, 1] == Origin.BY_HAND
    assert found.values[2, 2] == table.values[2, 2]
    wanted[0, 0] = 400.0
    with pytest.raises(BadInputError, match="leaves the table's range"):
        moved_by_hand(undecided(table), wanted, LIMITS)
