"""Two airflow tables in one calibration: each is corrected where it was in force, and nowhere else."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from lean_trim.cli.main import main
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import AirflowSourceSettings, Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.pipeline.solve import solve
from lean_trim.features.registry import FEATURES
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.tables import read_table
from lean_trim.formats.vehicle_sheet import read_vehicle, write_vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.dunlin import dunlin
from lean_trim.simcar.truth import truth_for

pytestmark = pytest.mark.slow
MINUTES = 12.0


@pytest.fixture(scope="module")
def drive() -> Log:
    return simulate(dunlin(), seed=3, minutes=MINUTES)


def without(log: Log, *roles: Role) -> Log:
    return Log(log.time_s, {r: v for r, v in log.channels.items() if r not in roles}, log.name)


def correct(folder: Path, log: Log, vehicle: Vehicle, *words: str) -> tuple[int, Vehicle]:
    """Through the command, as a user would; the vehicle with what was written."""
    sheet = write_vehicle(vehicle, folder)
    write_log_csv(log, folder / "drive.csv")
    out = folder / "out"
    base = [
        "correct",
        "--vehicle",
        str(sheet),
        "--log",
        str(folder / "drive.csv"),
        "--out",
        str(out),
    ]
    code = main([*base, "--quiet", *words], FEATURES)
    if code:
        return code, vehicle
    done = vehicle.seen_by("maf").with_table(read_table(out / "maf.csv", "maf"))
    done = done.seen_by("ve").with_table(read_table(out / "ve.csv", "ve"))
    return code, done.seen_by("maf")


def error_pct(vehicle: Vehicle) -> np.ndarray:
    """How far a table is off the simulated engine, percent."""
    table = vehicle.table
    points = np.meshgrid(*(a.points for a in table.axes), indexing="ij")
    true = truth_for(vehicle).airflow_value(vehicle, tuple(p.ravel() for p in points))
    return np.asarray(100.0 * (true.reshape(table.shape) / table.values - 1.0))


def seconds_in_force(vehicle: Vehicle, log: Log) -> np.ndarray:
    """Seconds of warm closed loop on that table, in the cell nearest to them."""
    at = [log[Role.MAF_HZ]] if vehicle.airflow == "maf" else [log[Role.MAP], log[Role.RPM]]
    maf = log[Role.AIRFLOW_SOURCE]
    used = (maf == 1.0) if vehicle.airflow == "maf" else (maf == 0.0)
    used &= (log[Role.CLOSED_LOOP] > 0.5) & (log[Role.COOLANT] > 75.0) & vehicle.table.inside(*at)
    nearest = vehicle.table.nearest(*at)
    seconds = np.bincount(nearest[used], log.durations_s[used], minlength=vehicle.table.size)
    return np.asarray(seconds).reshape(vehicle.table.shape)


@pytest.mark.parametrize("flagged", [True, False])
def test_each_table_is_right_where_it_was_in_force_after_two_rounds(
    tmp_path: Path, drive: Log, flagged: bool
) -> None:
    vehicle = dunlin()
    logs = []
    for number in (1, 2):
        log = drive if number == 1 else simulate(vehicle, seed=4, minutes=MINUTES)
        logs.append(log)
        # The second drive is on tables that agree, which no pulse width tells apart.
        told = log if flagged or number == 2 else without(log, Role.AIRFLOW_SOURCE)
        code, vehicle = correct(tmp_path / str(number), told, vehicle)
        assert code == 0
    for name in ("maf", "ve"):
        before = error_pct(dunlin().seen_by(name))  # type: ignore[arg-type]
        seen = vehicle.seen_by(name)  # type: ignore[arg-type]
        at = sum(seconds_in_force(seen, log) for log in logs) >= 4.0
        left = error_pct(seen)
        assert at.sum() >= (6 if name == "maf" else 12)
        assert np.sqrt(np.mean(before[at] ** 2)) > 2.5
        assert np.sqrt(np.mean(left[at] ** 2)) < 1.0


def test_where_a_table_was_not_in_force_it_is_as_it_was_and_says_so(
    tmp_path: Path, drive: Log
) -> None:
    code, after = correct(tmp_path, drive, dunlin())
    assert code == 0
    before = dunlin().seen_by("ve").table
    changed = after.seen_by("ve").table.values != before.values
    # The ECU takes the VE table below 1900 rpm, and above only while the pressure moves.
    assert changed.any() and not changed[:, before.axes[1].points > 2300.0].any()
    told = json.loads((tmp_path / "out" / "round.json").read_text())
    assert told["airflow"] == "blended" and {"maf", "ve"} == set(told["airflow_tables"])
    others = [c for c in told["cells"] if c.get("limited_by") == "other_table_in_force"]
    assert others and all(c["before"] == c["after"] for c in others)
    assert {c["table"] for c in told["cells"]} == {"maf", "ve"}
    assert len(told["cells"]) == 12 + 120
    assert told["airflow_tables"]["ve"]["samples"]["used"] > 500


def test_an_ecu_forced_onto_one_table_leaves_the_other_whole(tmp_path: Path) -> None:
    forced = replace(dunlin(), airflow_source=AirflowSourceSettings(kind="table", of="maf"))
    log = without(simulate(forced, seed=3, minutes=6.0), Role.AIRFLOW_SOURCE)
    code, after = correct(tmp_path, log, forced)
    assert code == 0
    assert np.array_equal(after.seen_by("ve").table.values, dunlin().seen_by("ve").table.values)
    assert (after.table.values != dunlin().table.values).any()
    told = json.loads((tmp_path / "out" / "round.json").read_text())
    assert "other airflow source" in told["airflow_tables"]["ve"]["why"]


def test_what_cannot_be_told_is_refused_in_words(
    tmp_path: Path, drive: Log, capsys: pytest.CaptureFixture[str]
) -> None:
    blind = without(drive, Role.AIRFLOW_SOURCE, Role.PULSE_WIDTH, Role.DUTY)
    assert correct(tmp_path, blind, dunlin())[0] == 2
    assert "which of the two airflow tables was in force" in capsys.readouterr().err
    with pytest.raises(BadInputError, match="which of the two"):
        solve([blind], dunlin())
    no_pressure = without(drive, Role.MAP)
    assert correct(tmp_path / "p", no_pressure, dunlin())[0] == 2
    ruled = replace(dunlin(), airflow_source=replace(dunlin().airflow_source, kind="rule"))
    assert correct(tmp_path / "r", blind, ruled)[0] == 0


def test_the_sheet_comes_back_with_both_tables_and_says_whose_limits_it_means(
    tmp_path: Path,
) -> None:
    path = write_vehicle(dunlin(), tmp_path)
    back, warnings = read_vehicle(path)
    assert (
        warnings == []
        and back.other is not None
        and (back.airflow, back.other.airflow) == ("maf", "ve")
    )
    assert back.limits == dunlin().limits and back.seen_by("ve").limits.resolution == 0.1
    assert back.seen_by("ve").seen_by("maf").table is back.table
    sheet = json.loads(path.read_text())
    sheet["table_limits"] = {"resolution": 0.1, "lowest": 1, "highest": 200}
    path.write_text(json.dumps(sheet))
    with pytest.raises(BadInputError, match="does not say of which table"):
        read_vehicle(path)
    del sheet["table_limits"], sheet["tables"]["ve"]
    path.write_text(json.dumps(sheet))
    with pytest.raises(BadInputError, match=r"tables\.ve"):
        read_vehicle(path)
