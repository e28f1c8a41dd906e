"""Pasted tables become what they are, or the question that is left."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.table_kinds import Holds, Rows, holds_of, rows_of
from lean_trim.core.data.tables import Table
from lean_trim.formats.tables.block import block_of_text
from lean_trim.formats.tables.form import GridForm
from lean_trim.workspace.vehicle.pasting import (
    AFR_OF_FUEL,
    AFR_OF_PETROL,
    Pasted,
    TableWords,
    points_in,
    understand,
)

RPM = "800\t1600\t3200\t6400"


def made(corner: str, rows: list[str], cells: str = "60\t70\t80\t75") -> str:
    return "\n".join([f"{corner}\t{RPM}", *(f"{row}\t{cells}" for row in rows)])


def paste(
    text: str, words: TableWords | None = None, kind: str = "ve", stoich: float = 14.7
) -> Pasted:
    return understand(block_of_text(text, "the clipboard"), kind, words or TableWords(), stoich)  # type: ignore[arg-type]


def table(pasted: Pasted) -> Table:
    assert pasted.table is not None, pasted.problem
    return pasted.table


def test_ve_over_kpa_needs_no_word() -> None:
    found = table(paste(made("kPa\\rpm", ["20", "60", "100"])))
    assert (rows_of(found), holds_of(found)) == (Rows.MAP, Holds.VE)
    np.testing.assert_array_equal(found.axes[0].points, [20.0, 60.0, 100.0])


@pytest.mark.parametrize(
    ("corner", "rows", "kpa"),
    [
        ("psi", ["2.9", "8.7", "14.5"], [20.0, 60.0, 100.0]),
        ("bar\\rpm", ["0.2", "0.6", "1.0"], [20.0, 60.0, 100.0]),
        ("psig", ["-11.796", "-5.994", "-0.192"], [20.0, 60.0, 100.0]),
        ("inHg", ["5.906", "17.718", "29.53"], [20.0, 60.0, 100.0]),
    ],
)
def test_a_corner_that_names_a_pressure_is_believed(
    corner: str, rows: list[str], kpa: list[float]
) -> None:
    """Factors of NIST SP 811."""
    found = table(paste(made(corner, rows)))
    np.testing.assert_allclose(found.axes[0].points, kpa, rtol=2e-3)
    np.testing.assert_allclose(found.axes[0].shown, [float(r) for r in rows], atol=1e-5)


@pytest.mark.parametrize("rows", [["0.2", "0.6", "1.0"], ["3", "9", "15"], ["-12", "-6", "0"]])
def test_pressures_that_cannot_be_kpa_are_asked_and_not_guessed(rows: list[str]) -> None:
    found = paste(made("", rows))
    assert found.table is None and found.ask == "row unit"
    assert "Choose it" in found.problem
    unit = "bar" if rows[-1] == "1.0" else "psi gauge" if rows[0] == "-12" else "psi"
    said = TableWords(form=GridForm(row_unit=unit), row_said=True)
    assert float(table(paste(made("", rows), said)).axes[0].points[-1]) == pytest.approx(
        101.3, abs=3.0
    )


def test_fractions_are_taken_for_what_they_are_and_handed_back_so() -> None:
    found = paste(made("kPa", ["20", "100"], "0.60\t0.70\t0.80\t0.75"))
    np.testing.assert_allclose(table(found).values[0], [60.0, 70.0, 80.0, 75.0])
    np.testing.assert_allclose(table(found).shown[0], [0.60, 0.70, 0.80, 0.75])
    assert "fractions" in found.notes[0]


def test_throttle_load_and_trims_are_told_by_choice_or_corner() -> None:
    found = table(
        paste(
            made("g/rev\\rpm", ["0.2", "0.9"], "0\t-2\t3.5\t0"),
            TableWords(form=GridForm(holds=Holds.FUEL_TRIM)),
        )
    )
    assert (rows_of(found), holds_of(found)) == (Rows.LOAD_PER_REV, Holds.FUEL_TRIM)
    np.testing.assert_allclose(found.values[0], [100.0, 98.0, 103.5, 100.0])
    throttle = table(
        paste(made("", ["0", "50", "100"]), TableWords(form=GridForm(rows=Rows.THROTTLE)))
    )
    assert rows_of(throttle) is Rows.THROTTLE


def test_cells_without_axes_are_shown_and_asked() -> None:
    found = paste("60\t70\t80\n62\t72\t82")
    assert found.ask == "axes" and found.cells is not None
    said = TableWords(rows_text="20, 100", columns_text="800 1600\t3200")
    np.testing.assert_array_equal(
        table(paste("60\t70\t80\n62\t72\t82", said)).axes[1].points, [800.0, 1600.0, 3200.0]
    )
    wrong = paste("60\t70\t80\n62\t72\t82", replace(said, columns_text="800 1600"))
    assert wrong.table is None and "2 points for engine speed" in wrong.problem


def test_axes_may_be_pasted_as_a_row_or_a_column() -> None:
    for text in ("20 40 60", "20\t40\t60", "20\n40\n60", "20;40;60", "20, 40, 60"):
        np.testing.assert_array_equal(points_in(text), [20.0, 40.0, 60.0])
    np.testing.assert_array_equal(points_in("0,2 0,6 1,0"), [0.2, 0.6, 1.0])


def test_a_curve_without_a_unit_of_flow_is_asked() -> None:
    found = paste("1000\t2.5\n4000\t30\n9000\t140", kind="maf")
    assert found.table is None and found.ask == "flow unit"
    kg = table(paste("1000\t9\n4000\t108\n9000\t504", TableWords(flow_unit="kg/h"), "maf"))
    np.testing.assert_allclose(kg.values, [2.5, 30.0, 140.0])
    assert kg.shown_unit == "kg/h"
    labelled = table(paste("V\tg/s\n0.8\t2.5\n2.4\t30\n4.6\t140", kind="maf"))
    assert labelled.axes[0].unit == "V"


def test_a_target_in_afr_asks_for_its_scale_where_it_matters() -> None:
    text = made("kPa", ["20", "100"], "14.1\t14.1\t12.7\t12.0")
    found = paste(text, kind="target", stoich=14.1)
    assert found.table is None and found.ask == "scale"
    ours = table(paste(text, TableWords(target_unit=AFR_OF_FUEL), "target", 14.1))
    assert ours.values[0, 0] == pytest.approx(1.0)
    petrol = table(paste(text, TableWords(target_unit=AFR_OF_PETROL), "target", 14.1))
    assert petrol.values[0, 0] == pytest.approx(14.1 / 14.7)
    assert (
        table(paste(made("kPa", ["20", "100"], "1\t1\t0.9\t0.85"), kind="target")).values[0, 2]
        == 0.9
    )
    # With petrol in the tank both scales are one.
    assert (
        table(paste(made("kPa", ["20", "100"], "14.7\t14.7\t13\t12"), kind="target")).values[0, 0]
        == 1.0
    )


def test_what_is_impossible_is_refused_in_a_sentence() -> None:
    found = paste(made("kPa", ["20", "100"], "60\t70\t1e308\t75"))
    assert found.table is None and "is no VE; allowed are 1 to 400" in found.problem
