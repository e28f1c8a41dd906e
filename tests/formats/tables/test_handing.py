"""A table handed over in every dress comes back as the same cells; workbooks and JSON are read by others."""

from __future__ import annotations

import io
import json
from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
import pytest

from lean_trim.core.data.tables import Axis, OwnUnit, Table
from lean_trim.core.errors import BadInputError
from lean_trim.formats.tables.block import block_of_file, block_of_text
from lean_trim.formats.tables.handing import (
    SEPARATORS,
    Dress,
    What,
    handed,
    handed_json,
    handed_text,
    handed_workbook,
)
from lean_trim.formats.tables.pasted_over import values_over

ROWS = Axis("MAP", "kPa", np.array([30.0, 60.5, 100.0]))
COLUMNS = Axis("engine speed", "rpm", np.array([800.0, 2000.0, 4000.0, 6500.0]))
DRIVEN = Table((ROWS, COLUMNS), np.linspace(40.0, 95.0, 12).round(1).reshape(3, 4), "%", "VE")
RESULT = DRIVEN.with_values((DRIVEN.values * np.linspace(0.97, 1.06, 12).reshape(3, 4)).round(1))
AXIS = Axis("maf", "Hz", np.array([1000.0, 2000.0, 4000.0]))
CURVE = Table((AXIS,), np.array([2.5, 7.25, 30.125]), "g/s", "MAF")
TOLD = "Heron, VE table, round 1"


# A curve without its axis is one column, which nobody can tell from a list.
@pytest.mark.parametrize(
    ("table", "axes"),
    [(RESULT, True), (RESULT, False), (CURVE, True)],
    ids=["grid", "bare grid", "curve"],
)
@pytest.mark.parametrize("decimal", [".", ","])
@pytest.mark.parametrize("separator", SEPARATORS.values(), ids=SEPARATORS)
@pytest.mark.parametrize("told", ["", TOLD])
def test_it_comes_back_from_every_dress(
    table: Table, axes: bool, decimal: str, separator: str, told: str
) -> None:
    if decimal == separator:
        with pytest.raises(BadInputError, match="both"):
            Dress(decimal=decimal, separator=separator)
        return
    dress = Dress(axes=axes, decimal=decimal, separator=separator, told=told)
    text = handed_text(handed(table, table, What.VALUE), dress)
    assert (f"# {told}" in text) == bool(told)
    back = values_over(block_of_text(text, "clipboard"), table)
    np.testing.assert_array_equal(back, table.values)


def test_changes_in_percent_as_multipliers_and_as_differences() -> None:
    share = RESULT.values / DRIVEN.values
    for what, expected, places in (
        (What.PERCENT, 100.0 * (share - 1.0), 0.00501),
        (What.FACTOR, 100.0 * share, 0.00501),
        (What.DIFFERENCE, RESULT.values - DRIVEN.values, 1e-9),
    ):
        of = handed(RESULT, DRIVEN, what)
        text = handed_text(of, Dress(what=what, axes=False))
        cells = np.array([[float(c) for c in line.split("\t")] for line in text.splitlines()])
        np.testing.assert_allclose(cells, expected, atol=places)
        assert of.unit == "%"


def test_chosen_cells_stand_in_their_rectangle_with_its_axes() -> None:
    chosen = np.zeros((3, 4), bool)
    chosen[1, 1] = chosen[2, 3] = True
    text = handed_text(handed(RESULT, DRIVEN, What.VALUE, chosen), Dress())
    lines = [line.split("\t") for line in text.splitlines()]
    assert lines[0] == ["kPa\\rpm", "2000", "4000", "6500"]
    assert lines[1][0] == "60.5" and lines[1][1] == f"{RESULT.values[1, 1]:g}"
    assert lines[1][2:] == ["", ""] and lines[2][1:3] == ["", ""]
    with pytest.raises(BadInputError, match="none is chosen"):
        handed(RESULT, DRIVEN, What.VALUE, np.zeros((3, 4), bool))


def test_a_workbook_is_read_by_others_and_by_us(tmp_path: Path) -> None:
    data = handed_workbook(handed(RESULT, DRIVEN, What.VALUE), Dress(told=TOLD))
    book = openpyxl.load_workbook(io.BytesIO(data))
    assert book["about"]["A1"].value == TOLD
    frame = pd.read_excel(io.BytesIO(data), sheet_name="table", index_col=0, engine="openpyxl")
    np.testing.assert_array_equal(frame.to_numpy(), RESULT.values)
    np.testing.assert_array_equal(frame.index.to_numpy(), ROWS.points)
    path = tmp_path / "table.xlsx"
    path.write_bytes(data)
    back = values_over(block_of_file(path, "table"), RESULT)
    np.testing.assert_array_equal(back, RESULT.values)


def test_json_holds_numbers_axes_and_where_it_comes_from(tmp_path: Path) -> None:
    for table in (RESULT, CURVE):
        text = handed_json(handed(table, table, What.VALUE), Dress(told=TOLD))
        data = json.loads(text)
        assert data["from"] == TOLD and data["what"] == "value"
        np.testing.assert_array_equal(np.array(data["cells"]), table.values)
        path = tmp_path / "table.json"
        path.write_text(text, encoding="utf-8")
        np.testing.assert_array_equal(values_over(block_of_file(path), table), table.values)
    path.write_text('{"rows": 3}', encoding="utf-8")
    with pytest.raises(BadInputError, match="holds no table"):
        block_of_file(path)


def test_the_ecus_own_numbers_are_written() -> None:
    trims = Table((ROWS, COLUMNS), np.full((3, 4), 105.0), "", "trims", OwnUnit("%", 1.0, -100.0))
    of = handed(trims, trims.with_values(np.full((3, 4), 100.0)), What.DIFFERENCE)
    assert of.cells[0, 0] == pytest.approx(5.0)
    assert (
        handed_text(handed(trims, trims, What.VALUE), Dress()).splitlines()[1].split("\t")[1] == "5"
    )
