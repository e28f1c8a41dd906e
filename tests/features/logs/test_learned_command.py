"""``lean-trim learned``: from a simulated ECU that learns by itself to a table nearer to the truth."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from lean_trim.cli.main import main
from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import Holds, airflow_grid
from lean_trim.core.learned.reading import CellState, read_learned
from lean_trim.features.registry import FEATURES
from lean_trim.formats.tables import read_table, write_table
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.cars import truth_of
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.simcar.self_learning import LearnedTrims, LearningEcu, learn_along


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("learned")
    write_vehicle(heron(), made)
    return made


@pytest.fixture(scope="module")
def long_drive() -> Log:
    """As long as an ECU is driven before it is read out."""
    return simulate(heron(), seed=3, minutes=40.0, truth=truth_of("heron", heron()))


def run(folder: Path, *words: str) -> int:
    sheet = ("--vehicle", str(folder / "vehicle.json"), "--out", str(folder / "out"))
    return main(["learned", *sheet, *words], FEATURES)


def error_pct(values: np.ndarray) -> np.ndarray:
    """How far the table is off the simulated engine, percent."""
    table = heron().table
    rows, columns = np.meshgrid(*(a.points for a in table.axes), indexing="ij")
    true = truth_of("heron", heron()).ve_surface(columns.ravel(), rows.ravel())
    return np.asarray(100.0 * (true.reshape(table.shape) / values - 1.0))


def grid(found: LearnedTrims, cells: np.ndarray) -> object:
    return airflow_grid(found.ecu.rpm, found.ecu.map_kpa, cells, holds=Holds.FUEL_TRIM)


@pytest.mark.parametrize(
    "ecu",
    [
        LearningEcu(speed_per_s=0.3),
        LearningEcu(speed_per_s=0.3, spread=0.5, reach=2),
        LearningEcu(speed_per_s=1.0, rich_bias_pct=2.0, locked_below_rpm=1500.0),
        LearningEcu(rpm=tuple(range(750, 6750, 750)), map_kpa=(20.0, 40.0, 60.0, 80.0, 100.0)),
    ],
)
def test_half_of_the_error_goes_where_it_learned_and_nothing_changes_elsewhere(
    folder: Path, long_drive: Log, ecu: LearningEcu
) -> None:
    found = learn_along(long_drive, ecu)
    read_out = folder / "trims.csv"
    write_table(grid(found, found.trim_pct), read_out)  # type: ignore[arg-type]
    assert run(folder, "--map", str(read_out), "--rich-bias", str(ecu.rich_bias_pct)) == 0
    table = heron().table
    after = read_table(folder / "out" / "ve.csv", "ve").values
    told = json.loads((folder / "out" / "learned.json").read_text())
    assert {"corrected", "kept"} <= {c["status"] for c in told["cells"]}
    rows, columns = np.meshgrid(*(a.points for a in table.axes), indexing="ij")
    at = rows.ravel(), columns.ravel()

    def near(cells: np.ndarray) -> np.ndarray:
        share = grid(found, np.where(cells, 1.0, 0.0)).lookup(*at)  # type: ignore[attr-defined]
        return np.asarray((share - 100.0 >= 0.5).reshape(table.shape))

    learned = near(found.seconds * ecu.speed_per_s > 2.0)
    before = error_pct(table.values)
    may = learned & ~((rows > 80.0) & (before < 0.0))
    left = error_pct(after)
    assert may.sum() > 15
    assert np.sqrt(np.mean(left[may] ** 2)) < 0.5 * np.sqrt(np.mean(before[may] ** 2))
    changed = after != table.values
    # A hole among learned cells may get fuel; nothing else changes where it did not learn, but what
    # an ECU spread so thickly that it looks learned, and is nearer to the truth for it.
    elsewhere = changed & ~near(found.seconds > 0.0)
    if ecu.spread:
        assert np.abs(left[elsewhere]).mean() < np.abs(before[elsewhere]).mean()
    else:
        assert (after >= table.values)[elsewhere].all()
    assert elsewhere.sum() <= 8 and elsewhere.sum() < 0.12 * changed.sum()
    assert not (changed & (rows > 80.0) & (after < table.values)).any()


def test_a_flare_is_found_in_what_an_ecu_learned(long_drive: Log) -> None:
    quick = LearningEcu(speed_per_s=1.5)
    calm = learn_along(long_drive, quick)
    wrecked = calm.trim_pct.copy()
    wrecked[3, 6] += 15.0
    reading = read_learned(grid(calm, wrecked))  # type: ignore[arg-type]
    assert calm.seconds[3, 6] > 10.0 and reading.state[3, 6] == CellState.FLARE


def test_what_it_refuses(folder: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert run(folder, "--map", str(folder / "ve.csv")) == 2
    assert "otherwise this is another table" in capsys.readouterr().err
    assert run(folder, "--map", str(folder / "nowhere.csv")) == 2
    trims = folder / "few.csv"
    trims.write_text("kPa\\rpm,1000,2000,3000\n40,1,0,2\n60,0,0,0\n90,0,0,1\n", encoding="utf-8")
    assert run(folder, "--map", str(trims), "--rich-bias", "9") == 2
    assert "allowed are 0 to 5" in capsys.readouterr().err
