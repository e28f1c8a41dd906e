"""``lean-trim plan``: written, read aloud, driven by the simulated car, refused where it cannot be."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from lean_trim.cli.main import main
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.table_kinds import Holds, Rows, airflow_grid
from lean_trim.core.pipeline.planning import plan_next
from lean_trim.core.pipeline.solve import solve
from lean_trim.features.registry import FEATURES
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.godwit import godwit, godwit_truth
from lean_trim.simcar.heron import heron
from lean_trim.simcar.planned import planned_legs, states_of
from lean_trim.simcar.tern import tern

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def drive() -> Log:
    return simulate(heron(), seed=1, minutes=10.0)


def plan(folder: Path, *words: str) -> int:
    base = ("plan", "--vehicle", str(folder / "vehicle.json"), "--log", str(folder / "drive.csv"))
    return main([*base, "--out", str(folder / "out"), *words], FEATURES)


@pytest.fixture
def heron_folder(tmp_path: Path, drive: Log) -> Path:
    write_vehicle(heron(), tmp_path)
    write_log_csv(drive, tmp_path / "drive.csv")
    return tmp_path


@pytest.mark.parametrize("where", ["dyno", "road"])
def test_a_plan_is_written_read_aloud_and_kept_to(
    heron_folder: Path, where: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert plan(heron_folder, "--where", where, "--minutes", "6") == 0
    told = json.loads((heron_folder / "out" / "plan.json").read_text())
    said = capsys.readouterr()
    assert "Lean at load destroys engines" in said.err and "Stop at once" in said.out
    assert len(told["card"]) <= 12 and max(map(len, told["card"])) < 120
    assert len(told["plan"]) >= 20 and told["minutes"] <= 6.0
    for state in told["plan"]:
        assert (
            state["cells"] and state["std_error_pct"]["after"] <= state["std_error_pct"]["before"]
        )
        assert (state["grade_pct"] is not None) is (where == "road")
        if where == "road":
            assert -2.01 <= state["grade_pct"] <= 4.01 and state["speed_kmh"] <= 130.0
            assert state["gear"] >= 2
    assert told["expected_rms_pct"]["after"] < told["expected_rms_pct"]["before"]
    cells = told["reachable"]
    assert len(cells) == heron().table.size
    # No load at low speed under full boost, and no idle pressure there: what nobody reaches is said.
    assert any(not c["reachable"] for c in cells) and any(c["reachable"] for c in cells)


def test_the_simulated_driver_drives_it(heron_folder: Path) -> None:
    assert plan(heron_folder, "--quiet", "--minutes", "5") == 0
    path = heron_folder / "out" / "plan.json"
    out = heron_folder / "planned.csv"
    words = ("--vehicle", str(heron_folder / "vehicle.json"), "--plan", str(path))
    assert main(["simulate", *words, "--minutes", "6", "--out", str(out), "--quiet"], FEATURES) == 0
    log = simulate(heron(), seed=2, minutes=6.0, legs=planned_legs(states_of(path)))
    held = 0
    states = states_of(path)
    for state in states:
        near = np.abs(log[Role.RPM] - state.rpm) < 120.0
        near &= np.abs(log[Role.MAP] - state.map_kpa) < 6.0
        held += log.durations_s[near].sum() > 2.0
    assert held > 0.8 * len(states)


def test_a_drive_of_a_minute_is_no_plan(
    heron_folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert plan(heron_folder, "--minutes", "1") == 2
    assert "allowed is 2 to 120" in capsys.readouterr().err


def test_without_road_speed_nothing_is_planned_for_the_road(
    heron_folder: Path, drive: Log, capsys: pytest.CaptureFixture[str]
) -> None:
    known = {r: v for r, v in drive.channels.items() if r not in (Role.SPEED, Role.GEAR)}
    write_log_csv(Log(drive.time_s, known, "drive"), heron_folder / "drive.csv")
    assert plan(heron_folder, "--where", "road") == 2
    assert "log the road speed" in capsys.readouterr().err
    assert plan(heron_folder, "--quiet") == 0


def test_a_file_that_is_no_plan_is_refused(
    heron_folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    words = ("--vehicle", str(heron_folder / "vehicle.json"), "--out", str(heron_folder / "x.csv"))
    assert main(["simulate", *words, "--plan", str(heron_folder / "vehicle.json")], FEATURES) == 2
    assert "is no plan.json" in capsys.readouterr().err


def test_a_curve_is_planned_by_its_flow(tmp_path: Path) -> None:
    vehicle = tern()
    write_vehicle(vehicle, tmp_path)
    write_log_csv(simulate(vehicle, seed=2, minutes=10.0), tmp_path / "drive.csv")
    assert plan(tmp_path, "--quiet") == 0
    told = json.loads((tmp_path / "out" / "plan.json").read_text())
    points = {next(iter(cell.values())) for s in told["plan"] for cell in s["cells"]}
    assert len(points) > vehicle.table.size / 2


def planned_states(folder: Path, *words: str) -> list[tuple[float, float]]:
    assert plan(folder, "--quiet", *words) == 0
    told = json.loads((folder / "out" / "plan.json").read_text())
    assert told["to_separate"] == []
    return [(s["rpm"], s["map_kpa"]) for s in told["plan"]]


def test_of_several_ve_tables_each_is_planned_where_it_is_in_force(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    car = godwit()
    write_vehicle(car, tmp_path)
    write_log_csv(
        simulate(car, seed=3, minutes=8.0, truth=godwit_truth(car)), tmp_path / "drive.csv"
    )
    first = planned_states(tmp_path)
    second = planned_states(tmp_path, "--airflow-table", "ve_2")
    # Its cam turns with engine speed.
    assert min(rpm for rpm, _ in first) < 1500.0
    assert min(rpm for rpm, _ in second) > 2000.0 and max(rpm for rpm, _ in second) > 5000.0
    assert plan(tmp_path, "--airflow-table", "maf") == 2
    assert "allowed are ve, ve_2" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("rows", "points"),
    [
        (Rows.THROTTLE, [0.0, 4.0, 8.0, 12.0, 18.0, 26.0, 40.0, 60.0, 100.0]),
        (Rows.LOAD_PER_REV, [0.1, 0.2, 0.4, 0.6, 0.8, 1.0, 1.3, 1.7, 2.2]),
    ],
)
def test_a_table_over_throttle_or_load_is_planned_by_how_that_went_with_the_state(
    drive: Log, rows: Rows, points: list[float]
) -> None:
    rpm = np.arange(500.0, 7001.0, 500.0)
    cells = np.full((len(points), len(rpm)), 78.0)
    vehicle = heron().with_table(airflow_grid(rpm, points, cells, rows, Holds.VE))
    solution = solve([drive], vehicle)
    made = plan_next(solution, np.zeros(cells.shape), 10.0)
    assert len(made.held) > 20
    along = solution.frame.coordinates[0]
    speed, pressure = solution.frame.log[Role.RPM], solution.frame.log[Role.MAP]
    apart = []
    for row, x, y in zip(made.known.at[0], made.known.rpm, made.known.map_kpa, strict=True):
        near = (np.abs(speed - x) < 120.0) & (np.abs(pressure - y) < 3.0)
        if near.sum() > 40:
            apart.append((row - np.median(along[near])) / (points[-1] - points[0]))
    assert len(apart) > 10 and np.median(np.abs(apart)) < 0.03
