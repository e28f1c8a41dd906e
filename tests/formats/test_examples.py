"""The shipped examples are what their script makes, and each is read without a question."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from campaigns.dresses import differences, ending
from campaigns.dressing.examples import EXAMPLES, FOLDER, LEARNED, example_drive, learned_text
from lean_trim.cli.main import main
from lean_trim.core.learned.reading import CellState, read_learned
from lean_trim.formats.decode.columns import ReadOptions
from lean_trim.formats.logs import open_log
from lean_trim.formats.tables import read_table
from lean_trim.formats.tables.block import block_of_file
from lean_trim.formats.tables.learned_map import learned_map
from lean_trim.formats.vehicle_sheet import write_vehicle


@pytest.mark.parametrize("name", EXAMPLES)
def test_an_example_is_its_drive_and_asks_nothing(name: str) -> None:
    dress = EXAMPLES[name]
    vehicle, log = example_drive(dress.car)
    dbc = (FOLDER / name).with_suffix(".dbc")
    options = ReadOptions(dbc=dbc if dbc.exists() else None)
    mapped = open_log(FOLDER / name, vehicle.stoich_afr, None, None, False, vehicle, options).mapped
    assert mapped.doubts == ()
    expected = ending(log, float(dress.marks.get("last_s", log.duration_s)))
    assert differences(mapped.log, expected, dress) == []


@pytest.mark.parametrize(
    ("name", "kind", "car"), [("heron-table.txt", "ve", "heron"), ("tern-curve.txt", "maf", "tern")]
)
def test_the_tables_to_paste_are_those_of_the_cars(name: str, kind: str, car: str) -> None:
    np.testing.assert_allclose(
        read_table(FOLDER / name, kind).values, example_drive(car)[0].table.values
    )


def test_the_learned_map_to_paste_is_understood() -> None:
    assert (FOLDER / LEARNED).read_text(encoding="utf-8") == learned_text()
    table = example_drive("heron")[0].table
    reading = read_learned(learned_map(block_of_file(FOLDER / LEARNED), table))
    assert reading.count(CellState.LEARNED) > 40 and reading.count(CellState.SPREAD) > 20


@pytest.mark.slow
def test_dresses_of_one_drive_are_corrected_alike(tmp_path: Path) -> None:
    """Through the command, as a user would."""
    sheet = write_vehicle(example_drive("heron")[0], tmp_path / "car")
    found = []
    for name in ("heron-evening.csv", "heron-gauges.csv.gz", "heron.mf4"):
        out = tmp_path / name
        assert (
            main(
                [
                    "correct",
                    "--vehicle",
                    str(sheet),
                    "--log",
                    str(FOLDER / name),
                    "--out",
                    str(out),
                    "--quiet",
                ]
            )
            == 0
        )
        cells = json.loads((out / "round.json").read_text())["cells"]
        found.append(np.array([c["step_pct"] or 0.0 for c in cells]))
    for other in found[1:]:
        assert np.abs(other - found[0]).max() < 1.0
