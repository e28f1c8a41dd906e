"""A learned map is read out of any dress, and nothing else is read as one."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trim.core.data.table_kinds import airflow_grid
from lean_trim.core.errors import BadInputError
from lean_trim.core.learned.reading import trims_of
from lean_trim.formats.tables import table_text
from lean_trim.formats.tables.block import block_of_text
from lean_trim.formats.tables.learned_map import learned_map

TABLE = airflow_grid(
    np.array([1000.0, 2000.0, 3000.0]), np.array([40.0, 60.0, 90.0]), np.full((3, 3), 80.0)
)
TRIMS = [[1.5, 0.0, -2.0], [0.0, 3.0, 4.0], [0.0, 0.0, 5.0]]


def read(text: str, unit: str = "") -> np.ndarray:
    return trims_of(learned_map(block_of_text(text, "the clipboard"), TABLE, unit))


@pytest.mark.parametrize(
    ("text", "unit"),
    [
        ("kPa\\rpm\t1000\t2000\t3000\n40\t1.5\t0\t-2\n60\t0\t3\t4\n90\t0\t0\t5", ""),
        ("kPa\\rpm;1000;2000;3000\n40;1,5;;-2\n60;;3;4\n90;;;5", ""),
        ("rpm\\kPa,40,60,90\n1000,1.5,0,0\n2000,0,3,0\n3000,-2,4,5", ""),
        ("\t1000\t2000\t3000\n90\t0\t0\t5\n60\t0\t3\t4\n40\t1.5\t0\t-2", ""),
        ("1.5\t0\t-2\n0\t3\t4\n0\t0\t5", ""),
        ("kPa\\rpm,1000,2000,3000\n40,1.015,1,0.98\n60,1,1.03,1.04\n90,1,1,1.05", "factor"),
        (
            "kPa\\rpm,1000,2000,3000\n40,101.5,100,98\n60,100,103,104\n90,100,100,105",
            "percent of 100",
        ),
        ("kPa\\rpm,1000,2000,3000\n40,0.015,0,-0.02\n60,0,0.03,0.04\n90,0,0,0.05", "fraction"),
        ("kPa\\rpm,1000,2000,3000\n40,1.5 %,,-2 %\n60,,3 %,4 %\n90,,,5 %", ""),
    ],
)
def test_every_dress_is_the_same_map(text: str, unit: str) -> None:
    assert read(text, unit) == pytest.approx(np.array(TRIMS))


def test_another_unit_of_pressure_is_read_by_its_corner_and_never_guessed() -> None:
    text = "{corner}\t1000\t2000\t3000\n5.8\t1.5\t0\t-2\n8.7\t0\t3\t4\n13.1\t0\t0\t5"
    found = learned_map(block_of_text(text.format(corner="psi\\rpm"), "x"), TABLE)
    # 1 psi = 6.894757 kPa, NIST SP 811.
    assert found.axes[0].points == pytest.approx([39.99, 59.98, 90.32], abs=0.01)
    with pytest.raises(BadInputError, match="without a unit"):
        read(text.format(corner=""))


def test_a_ve_table_and_a_table_of_targets_are_not_taken_for_one() -> None:
    with pytest.raises(BadInputError, match="otherwise this is another table"):
        read(table_text(TABLE, "\t"))
    targets = "kPa\\rpm,1000,2000,3000\n40,1,1,1\n60,1,1,0.95\n90,0.85,0.84,0.83"
    with pytest.raises(BadInputError, match="otherwise this is another table"):
        read(targets)
    spark = "kPa\\rpm,1000,2000,3000\n40,22,30,35\n60,18,26,30\n90,10,18,24"
    with pytest.raises(BadInputError, match="cells nobody visited"):
        read(spark)


def test_small_numbers_and_impossible_ones_are_asked_about() -> None:
    with pytest.raises(BadInputError, match="percent or fractions"):
        read("kPa\\rpm,1000,2000,3000\n40,0.02,0,-0.02\n60,0,0.03,0.04\n90,0,0,0.05")
    with pytest.raises(BadInputError, match=r"\+400 %"):
        read("kPa\\rpm,1000,2000,3000\n40,1.5,0,-2\n60,0,3,400\n90,0,0,5")
    with pytest.raises(BadInputError, match="without axes"):
        read("\n".join(["1\t2\t-3\t4\t0"] * 6))
    with pytest.raises(BadInputError, match="is no unit of trims"):
        read("1.5\t0\t-2\n0\t3\t4\n0\t0\t5", "furlong")
