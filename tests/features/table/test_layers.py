"""Several VE tables over a cam's position: each is told apart from the others, by command and by solve."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.cli.main import main
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.proposal import PolicySettings
from lean_trim.core.drive.layers import layer_shares
from lean_trim.core.errors import LogError
from lean_trim.core.pipeline.batch import solve_batch
from lean_trim.core.pipeline.proposing import propose_for
from lean_trim.core.pipeline.solve import DrivenLog, solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.features.registry import FEATURES
from lean_trim.formats.logs import open_log, write_log_csv
from lean_trim.formats.tables import read_table
from lean_trim.formats.vehicle_sheet import read_vehicle, write_vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.godwit import CHANNEL, godwit, godwit_truth

pytestmark = pytest.mark.slow
MINUTES = 15.0
IN_FORCE = 0.95
LEAST_S = 3.0


@pytest.fixture(scope="module")
def drive() -> Log:
    return simulate(godwit(), seed=3, minutes=MINUTES, truth=godwit_truth(godwit()))


def write_drive(log: Log, path: Path, header: str = CHANNEL) -> None:
    """As the logger of this car would, under its own name for the cam."""
    write_log_csv(log, path)
    text = path.read_text()
    assert "Cam or flap position" in text
    path.write_text(text.replace("Cam or flap position", header, 1))


def correct(folder: Path, *words: str) -> int:
    base = (
        "correct",
        "--vehicle",
        str(folder / "vehicle.json"),
        "--log",
        str(folder / "drive.csv"),
    )
    return main([*base, "--out", str(folder / "out"), "--quiet", *words], FEATURES)


def off_pct(vehicle: Vehicle, name: str) -> np.ndarray:
    """How far a table is off the simulated engine, percent."""
    seen = vehicle.seen_by(name)
    at = np.meshgrid(*(a.points for a in seen.table.axes), indexing="ij")
    true = godwit_truth(vehicle).airflow_value(seen, tuple(at))
    return np.asarray(100.0 * (seen.table.values / true - 1.0))


def in_force(vehicle: Vehicle, name: str, log: Log) -> np.ndarray:
    """Cells in which a table was in force alone in warm closed loop, for three seconds at least."""
    table = vehicle.seen_by(name).table
    used = layer_shares(log, vehicle)[name] >= IN_FORCE
    used &= (log[Role.CLOSED_LOOP] > 0.5) & (log[Role.COOLANT] > 75.0)
    near = table.nearest(log[Role.MAP], log[Role.RPM])
    seconds = np.bincount(near[used], log.durations_s[used], minlength=table.size)
    return seconds.reshape(table.shape) >= LEAST_S


def rms(values: np.ndarray) -> float:
    return float(np.sqrt(np.mean(values**2)))


def test_both_tables_are_right_where_they_were_in_force_after_a_round(
    tmp_path: Path, drive: Log
) -> None:
    vehicle = godwit()
    write_vehicle(vehicle, tmp_path)
    write_drive(drive, tmp_path / "drive.csv")
    assert correct(tmp_path) == 0
    done = vehicle
    for name in ("ve", "ve_2"):
        done = done.seen_by(name).with_table(read_table(tmp_path / "out" / f"{name}.csv", "ve"))
    for name in ("ve", "ve_2"):
        cells = in_force(vehicle, name, drive)
        assert cells.sum() >= 5
        assert rms(off_pct(vehicle, name)[cells]) > 1.2
        assert rms(off_pct(done, name)[cells]) < 1.0
    told = json.loads((tmp_path / "out" / "round.json").read_text())
    assert {cell["table"] for cell in told["cells"]} == {"ve", "ve_2"}
    assert set(told["airflow_tables"]) == {"ve", "ve_2"} and told["airflow"] == "ve"


def test_what_is_between_two_positions_tells_of_both(drive: Log) -> None:
    """With the samples between two positions twice as many cells are told, with errors that are true."""
    vehicle = godwit().seen_by("ve_2")
    whole = solve([drive], vehicle).estimate
    shares = layer_shares(drive, vehicle)["ve_2"]
    alone = np.asarray((shares < IN_FORCE) & (shares > 0.0))
    apart = solve([drive], vehicle, left_out_by_hand=alone).estimate
    assert 1.5 * apart.supported.sum() < whole.supported.sum()
    left = (off_pct(vehicle, "ve_2") + whole.correction_pct)[whole.supported]
    assert rms(left / whole.own_error_pct[whole.supported]) < 1.5


def test_no_cell_that_was_a_part_only_is_made_worse_by_what_the_other_table_is_wrong(
    drive: Log,
) -> None:
    for name in ("ve", "ve_2"):
        vehicle = godwit().seen_by(name)
        summary = summary_of(solve([drive], vehicle))
        written = propose_for(summary, PolicySettings()).table
        moved = written.values != vehicle.table.values
        before = off_pct(vehicle, name)[moved]
        after = off_pct(vehicle.with_table(written), name)[moved]
        assert rms(after) < 0.5 * rms(before)
        assert np.abs(after).max() < 6.0 and after.min() > -3.5


def test_a_log_without_the_position_is_refused_in_words(
    tmp_path: Path, drive: Log, capsys: pytest.CaptureFixture[str]
) -> None:
    write_vehicle(godwit(), tmp_path)
    write_drive(drive, tmp_path / "drive.csv", header="Something else")
    assert correct(tmp_path) == 2
    assert "where the cam or flap was" in capsys.readouterr().err
    assert correct(tmp_path, "--column", "table_position=Something else") == 0


def test_other_cars_take_no_cam_for_anything(tmp_path: Path, drive: Log) -> None:
    path = tmp_path / "drive.csv"
    write_drive(drive, path)
    plain = replace(godwit(), layered=None)
    log = open_log(path, plain.stoich_afr, vehicle=plain).mapped.log
    assert Role.TABLE_POSITION not in log
    # And these tables are nothing for the many logs of a batch, nor for drives on other tables.
    with pytest.raises(Exception, match="several VE tables"):
        solve_batch([lambda: DrivenLog(drive)], godwit())
    with pytest.raises(LogError, match="driven on other tables"):
        solve([DrivenLog(drive, godwit(99).table)], godwit())


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"table_position": None}, "where each is in force alone"),
        ({"table_position": {"channel": "x", "ve": 0.0, "ve_2": 0.0}}, "for two tables"),
        ({"table_position": {"channel": "x", "ve": 0.0}}, "table_position.ve_2 is missing"),
        ({"tables": {"ve": "ve.csv"}}, "names only one"),
        ({"airflow_table": {"rows": "map", "holds": "ms"}}, "airflow_table.holds"),
    ],
)
def test_a_sheet_that_does_not_fit_is_refused(
    tmp_path: Path, change: dict[str, object], said: str
) -> None:
    sheet = write_vehicle(godwit(), tmp_path)
    told = json.loads(sheet.read_text()) | change
    sheet.write_text(json.dumps({k: v for k, v in told.items() if v is not None}))
    with pytest.raises(Exception, match=said):
        read_vehicle(sheet)


def test_a_sheet_comes_back_as_it_was_written(tmp_path: Path) -> None:
    vehicle = godwit().seen_by("ve_2")
    back, warnings = read_vehicle(write_vehicle(vehicle, tmp_path))
    assert not warnings and back.airflow_tables == ("ve", "ve_2")
    for name in back.airflow_tables:
        mine, theirs = vehicle.seen_by(name), back.seen_by(name)
        assert np.array_equal(mine.table.values, theirs.table.values)
        assert mine.own_layer.at == theirs.own_layer.at
    assert back.layered is not None and back.layered.channel == CHANNEL
