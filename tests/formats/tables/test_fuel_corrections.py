"""Corrections of fuel as they are pasted and read: units, grids either way, what is refused."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.fuel_corrections import (
    AFTER_CUT_FADE,
    CORRECTIONS,
    ENRICHMENT,
    KINDS,
    SPEED,
    WALL_SHARE,
    WARM_UP,
    cells_of,
    curve_of,
)
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.formats.tables import table_text, write_table
from lean_trim.formats.tables.block import block_of_text
from lean_trim.formats.tables.fuel_corrections import (
    CorrectionForm,
    correction_of,
    form_said,
    read_correction,
    units_of,
)
from lean_trim.formats.vehicle_sheet import read_vehicle, write_vehicle
from lean_trim.simcar.heron import heron_with_corrections


def pasted(text: str, name: str) -> tuple[CorrectionForm, np.ndarray, np.ndarray]:
    block = block_of_text(text, "pasted")
    form, _ = form_said(block, name)
    table = correction_of(block, name, form)
    return form, table.axes[0].points, cells_of(name, table)


@pytest.mark.parametrize(
    ("text", "cells"),
    [
        ("°C,%\n-20,40\n20,15\n80,0\n", "% added"),
        ("degF\tfactor\n-4\t1.40\n68\t1.15\n176\t1.00\n", "factor"),
        ("K;% of 100\n253,15;140\n293,15;115\n353,15;100\n", "% of 100"),
        # Nothing is named: the cell nearest to nothing tells.
        ("°C,enrichment\n-20,1.40\n20,1.15\n80,1.0\n", "factor"),
        ("°C,enrichment\n-20,140\n20,115\n80,100\n", "% of 100"),
    ],
)
def test_warm_up_is_understood_as_ecus_count_it(text: str, cells: str) -> None:
    form, points, percent = pasted(text, WARM_UP)
    assert form.cells == cells
    np.testing.assert_allclose(points, [-20, 20, 80], atol=1e-9)
    np.testing.assert_allclose(percent, [40, 15, 0], atol=1e-9)


def test_the_ecus_own_numbers_come_back_as_they_were() -> None:
    text = "degF,factor\n-4,1.4\n68,1.15\n176,1\n"
    block = block_of_text(text, "pasted")
    table = correction_of(block, WARM_UP, form_said(block, WARM_UP)[0])
    np.testing.assert_allclose(table.shown, [1.4, 1.15, 1.0])
    np.testing.assert_allclose(table.axes[0].shown, [-4, 68, 176])
    assert table_text(table) == text.replace("degF", "°F")


@pytest.mark.parametrize("down", [False, True])
def test_a_grid_is_read_with_engine_speed_across_or_down(down: bool) -> None:
    cells = np.array([[0.0, 0.0, 0.0], [12.0, 10.0, 8.0], [25.0, 20.0, 15.0]])
    rates = [0.0, 100.0, 300.0]
    speeds = [1000.0, 3000.0, 6000.0]
    rows, columns, body = (speeds, rates, cells.T) if down else (rates, speeds, cells)
    corner = "rpm\\%/s" if down else "%/s\\rpm"
    lines = [",".join([corner, *map(str, columns)])]
    lines += [",".join(map(str, [end, *row])) for end, row in zip(rows, body.tolist(), strict=True)]
    block = block_of_text("\n".join(lines), "pasted")
    table = correction_of(block, ENRICHMENT, form_said(block, ENRICHMENT)[0])
    assert [a.name for a in table.axes] == ["throttle rate", SPEED]
    np.testing.assert_allclose(cells_of(ENRICHMENT, table), cells)


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        (WARM_UP, "°C,%\n0,30\n500,0\n", "500"),
        (WARM_UP, "°C,%\n0,30\n80,900\n", "900"),
        (ENRICHMENT, "kPa/s,%\n100,5\n50,3\n200,9\n", "rising"),
        (AFTER_CUT_FADE, "rpm,s\n1000,0.4\n2000,x\n", "x"),
        (WALL_SHARE, "kPa,%\n20,18\n100,140\n", "140"),
    ],
)
def test_what_no_ecu_has_is_refused_by_place(name: str, text: str, words: str) -> None:
    block = block_of_text(text, "pasted")
    with pytest.raises(BadInputError, match=words) as told:
        correction_of(block, name, form_said(block, name)[0])
    assert "pasted" in str(told.value)


def test_a_file_whose_units_are_in_doubt_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "enrichment.csv"
    path.write_text("rate,%\n0,0\n100,8\n")
    with pytest.raises(
        BadInputError, match=r"unit of the axis; allowed are kPa/s, bar/s, psi/s, %/s"
    ):
        read_correction(path, ENRICHMENT)
    path.write_text("°C,%\n0,130\n80,100\n")
    with pytest.raises(
        BadInputError, match=r"no cell is near 0 % added.*; allowed are % added, factor, % of 100"
    ):
        read_correction(path, WARM_UP)
    path.write_text("°C,% of 100\n0,130\n80,100\n")
    np.testing.assert_allclose(cells_of(WARM_UP, read_correction(path, WARM_UP)), [30, 0])


def test_every_kind_goes_through_a_file_in_every_unit(tmp_path: Path) -> None:
    path = tmp_path / "table.csv"
    for name, kind in KINDS.items():
        points = [20.0, 60.0, 100.0] if kind.axes[0] != "time without fuel" else [0.5, 2.0, 8.0]
        cells = [0.0, 5.0, 10.0] if kind.adds else [0.2, 0.5, 0.9]
        for by in kind.axes:
            table = curve_of(name, points, cells, by)
            write_table(table, path)
            back = read_correction(path, name)
            np.testing.assert_allclose(back.values, table.values)
            assert back.axes[0].name == by
        assert set(units_of(name)) == {"axis", "cells"}


def test_a_sheet_keeps_them_and_tells_a_misspelt_one(
    tmp_path: Path, heron_vehicle: Vehicle
) -> None:
    vehicle = heron_with_corrections()
    sheet = write_vehicle(vehicle, tmp_path)
    again, warnings = read_vehicle(sheet)
    assert warnings == [] and tuple(again.corrections) == tuple(
        n for n in CORRECTIONS if n in vehicle.corrections
    )
    for name, table in vehicle.corrections.items():
        assert again.corrections[name].same_axes(table)
        np.testing.assert_allclose(again.corrections[name].values, table.values)
    data = json.loads(sheet.read_text())
    data["tables"]["warmup"] = data["tables"].pop("warm_up")
    sheet.write_text(json.dumps(data))
    again, warnings = read_vehicle(sheet)
    assert WARM_UP not in again.corrections and "unknown table 'warmup'" in warnings[0]
    grid = replace(heron_vehicle, corrections={ENRICHMENT: _grid()})
    again, _ = read_vehicle(write_vehicle(grid, tmp_path))
    np.testing.assert_allclose(again.corrections[ENRICHMENT].values, _grid().values)


def _grid() -> object:
    block = block_of_text("kPa/s\\rpm,1000,5000\n0,0,0\n100,12,8\n400,30,20\n", "pasted")
    return correction_of(block, ENRICHMENT, form_said(block, ENRICHMENT)[0])
