"""Pasted tables: with and without axes, turned, falling, in other units and other spellings."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.errors import BadInputError
from lean_trim.core.types import Floats
from lean_trim.formats.tables.arrange import arrange, arrange_curve, with_axes
from lean_trim.formats.tables.block import block_of_file, block_of_text

RPM = np.array([800.0, 1600.0, 3200.0, 6400.0])
KPA = np.array([30.0, 60.0, 100.0])
CELLS = np.round(np.add.outer(KPA / 2.0, RPM / 200.0), 1)


def text(rows: list[list[object]], delimiter: str = "\t") -> str:
    return "\n".join(delimiter.join(map(str, row)) for row in rows)


def upright() -> list[list[object]]:
    return [["kPa\\rpm", *RPM], *([y, *row] for y, row in zip(KPA, CELLS, strict=True))]


def dressed(name: str) -> str:
    rows = upright()
    if name == "blank corner":
        rows[0][0] = ""
    if name == "no corner":
        rows[0] = rows[0][1:]
    if name == "transposed":
        rows = [list(column) for column in zip(*rows, strict=True)]
        rows[0][0] = "rpm\\kPa"
    if name == "transposed, nameless":
        rows = [list(column) for column in zip(*rows, strict=True)]
        rows[0][0] = ""
    if name == "falling":
        rows = [rows[0], *rows[:0:-1]]
    if name == "axis below":
        rows = [*rows[1:], rows[0]]
    if name == "axis at the right":
        rows = [row[::-1] for row in rows]
    made = text(rows, ";" if name == "semicolons" else "," if name == "commas" else "\t")
    if name == "decimal commas":
        made = made.replace(".", ",")
    return made if name != "white space" else made.replace("kPa\\rpm", "kPa").replace("\t", "   ")


@pytest.mark.parametrize(
    "name",
    [
        "as it is",
        "blank corner",
        "no corner",
        "transposed",
        "transposed, nameless",
        "falling",
        "axis below",
        "axis at the right",
        "semicolons",
        "commas",
        "decimal commas",
        "white space",
    ],
)
def test_a_table_is_the_same_however_it_is_pasted(name: str) -> None:
    found = arrange(block_of_text(dressed(name), "the clipboard"))
    assert found.rows is not None and found.columns is not None
    np.testing.assert_array_equal(found.rows, KPA)
    np.testing.assert_array_equal(found.columns, RPM)
    np.testing.assert_array_equal(found.cells, CELLS)
    assert bool(found.notes) == (name.startswith(("transposed", "falling", "axis at the right")))


def test_a_first_row_of_cells_is_never_taken_for_an_axis_unasked() -> None:
    """Cells that rise look like an axis, and so does an axis with a number in its corner."""
    found = arrange(block_of_text(text(CELLS.tolist()), "the clipboard"))
    assert found.needs_axes
    np.testing.assert_array_equal(found.cells, CELLS)
    numbered = [[0, *RPM], *([y, *row] for y, row in zip(KPA, CELLS, strict=True))]
    block = block_of_text(text(numbered), "the clipboard")
    assert arrange(block).cells.shape == (4, 5)
    told = arrange(block, first_are_axes=True)
    assert told.rows is not None
    np.testing.assert_array_equal(told.rows, KPA)


@pytest.mark.parametrize("turned", [False, True])
def test_axes_given_apart_turn_the_cells_where_they_have_to(turned: bool) -> None:
    cells: Floats = CELLS.T if turned else CELLS
    found = with_axes(arrange(block_of_text(text(cells.tolist()), "x")), KPA[::-1], RPM)
    np.testing.assert_array_equal(found.cells, CELLS[::-1])
    assert found.notes
    with pytest.raises(BadInputError, match="3 points for engine speed; the cells have 4 columns"):
        with_axes(arrange(block_of_text(text(CELLS.tolist()), "x")), KPA, RPM[:3])


@pytest.mark.parametrize(
    ("made", "words"),
    [
        ("kPa\\rpm\t800\t1600\n20\t50\tx\n40\t55\t60", "line 2, cell 3: 'x' is not a number"),
        ("kPa\\rpm\t800\t1600\n20\t50\n40\t55\t60", "line 2: 2 cells where others have 3"),
        ("kPa\\rpm\t800\t1600\n20\t50\t\n40\t55\t60", "line 2, cell 3: '' is not a number"),
        ("kPa\\rpm\t800\t1600\t1200\n20\t50\t51\t52\n40\t55\t60\t61", "1600 is followed by 1200"),
        ("", "holds no table"),
        ("1,000\t2,000\n3,000\t4,000", "may be a thousand or a decimal"),
    ],
)
def test_what_cannot_be_a_table_is_refused_with_its_place(made: str, words: str) -> None:
    with pytest.raises(BadInputError) as error:
        arrange(block_of_text(made, "the clipboard"))
    assert words in str(error.value)


def test_thousands_are_read_where_decimal_points_tell_them_apart() -> None:
    found = arrange(block_of_text("\t1,000\t2,000\n20\t50.5\t51.5\n40\t55.5\t60.5", "x"))
    assert found.columns is not None
    np.testing.assert_array_equal(found.columns, [1000.0, 2000.0])


@pytest.mark.parametrize("lying", [False, True])
@pytest.mark.parametrize("head", [True, False])
def test_a_curve_may_stand_or_lie_with_or_without_a_header(lying: bool, head: bool) -> None:
    rows: list[list[object]] = [[1000.0, 2.5], [4000.0, 30.0], [9000.0, 140.0]]
    rows = [["Hz", "g/s"], *rows] if head else rows
    rows = [list(column) for column in zip(*rows, strict=True)] if lying else rows
    found = arrange_curve(block_of_text(text(rows), "x"))
    np.testing.assert_array_equal(found.signal, [1000.0, 4000.0, 9000.0])
    np.testing.assert_array_equal(found.flow, [2.5, 30.0, 140.0])
    assert (found.signal_label, found.flow_label) == (("Hz", "g/s") if head else ("", ""))


def test_a_sheet_of_a_workbook_holds_a_table(tmp_path: Path) -> None:
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "VE"
    for row in upright():
        sheet.append([float(c) if isinstance(c, float) else c for c in row])
    book.save(tmp_path / "tables.xlsx")
    found = arrange(block_of_file(tmp_path / "tables.xlsx"))
    np.testing.assert_array_equal(found.cells, CELLS)
    book.create_sheet("other")
    book.save(tmp_path / "two.xlsx")
    with pytest.raises(BadInputError, match="several sheets; name one of VE, other"):
        block_of_file(tmp_path / "two.xlsx")
    assert block_of_file(tmp_path / "two.xlsx", "VE").rows[0][0] == "kPa\\rpm"
