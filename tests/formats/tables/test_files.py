"""Tables in and out."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.core.data.tables import maf_curve, ve_table
from lean_trim.core.errors import BadInputError
from lean_trim.formats.tables import parse_table, read_table, table_text, write_table

AXIS = st.lists(st.integers(1, 20000), min_size=2, max_size=12, unique=True).map(sorted)


@given(AXIS, AXIS, st.integers(0, 2**31), st.sampled_from([",", "\t", ";"]))
def test_a_grid_reads_back_as_written(
    rpm: list[int], load: list[int], seed: int, delimiter: str
) -> None:
    pressure = [kpa / 20.0 for kpa in load]
    values = np.round(np.random.default_rng(seed).uniform(1.0, 150.0, (len(pressure), len(rpm))), 3)
    table = ve_table(rpm, pressure, values)
    back = parse_table(table_text(table, delimiter), "ve", "x")
    assert back.same_axes(table)
    np.testing.assert_allclose(back.values, values)


def test_a_curve_reads_back_as_written(tmp_path: Path) -> None:
    curve = maf_curve([1000.0, 2500.5, 8000.0], [2.198, 9.0, 120.125])
    write_table(curve, tmp_path / "maf.csv")
    back = read_table(tmp_path / "maf.csv", "maf")
    assert back.same_axes(curve)
    np.testing.assert_allclose(back.values, curve.values)
    assert (tmp_path / "maf.csv").read_text().splitlines()[0] == "Hz,g/s"
    assert [p.name for p in tmp_path.iterdir()] == ["maf.csv"]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("kPa\\rpm,800,1600\n20,50,60\n40,55,x\n", "line 3, column 3: 'x' is not a number"),
        ("kPa\\rpm,800,1600\n20,50,60\n40,55\n", "line 3: 1 cells, the header has 2 columns"),
        ("kPa\\rpm,1600,800\n20,50,60\n40,55,60\n", "not rising: 1600 is followed by 800"),
        ("kPa\\rpm,800,nan\n20,50,60\n40,55,60\n", "no number at point 2"),
        ("kPa\\rpm,800,1600\n20,50,60\n40,nan,60\n", "nan at MAP 40"),
        ("kPa\\rpm,800,1600\n", "1 rows; a table needs"),
    ],
)
def test_bad_grids_name_the_place(text: str, words: str) -> None:
    with pytest.raises(BadInputError) as error:
        parse_table(text, "ve", "ve.csv")
    assert words in str(error.value)
    assert "ve.csv" in str(error.value)


def test_bad_curves_name_what_is_allowed() -> None:
    with pytest.raises(BadInputError, match="allowed is 'Hz,g/s' or 'V,g/s'"):
        parse_table("Hz,kg\n1,2\n2,3\n", "maf", "maf.csv")
    with pytest.raises(BadInputError, match="it must rise"):
        parse_table("Hz,g/s\n1,5\n2,3\n", "maf", "maf.csv")


def test_a_missing_or_binary_file_is_named(tmp_path: Path) -> None:
    with pytest.raises(BadInputError, match="none.csv: cannot be read"):
        read_table(tmp_path / "none.csv", "ve")
    (tmp_path / "bin.csv").write_bytes(bytes(range(256)))
    with pytest.raises(BadInputError, match="it is not text"):
        read_table(tmp_path / "bin.csv", "ve")
