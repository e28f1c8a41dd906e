"""``lean-trim injectors`` on a drive of the simulated car with other injectors than its sheet says."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lean_trim.cli.main import main
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.truth import truth_for

pytestmark = pytest.mark.slow


def with_good_table(vehicle: Vehicle) -> Vehicle:
    """Heron as it was when the table had been made good: what an injector change usually begins with."""
    rows, columns = vehicle.table.axes
    mesh = np.meshgrid(rows.points, columns.points, indexing="ij")
    right = truth_for(vehicle).ve_surface(mesh[1], mesh[0])
    jitter = 1.0 + 0.005 * np.random.default_rng(3).standard_normal(right.shape)
    return vehicle.with_table(vehicle.table.with_values(np.round(right * jitter, 1)))


@pytest.fixture(scope="module")
def swapped(tmp_path_factory: pytest.TempPathFactory, heron_vehicle: Vehicle) -> Path:
    folder = tmp_path_factory.mktemp("swap")
    vehicle = with_good_table(heron_vehicle)
    truth = replace(truth_for(vehicle), flow_scale=0.93, dead_time_shift_ms=0.12)
    write_log_csv(simulate(vehicle, 5, 14.0, truth=truth), folder / "drive.csv")
    write_vehicle(vehicle, folder)
    return folder


def told(folder: Path, trust: str, *more: str) -> dict[str, Any]:
    words = [
        "injectors",
        "--vehicle",
        str(folder / "vehicle.json"),
        "--log",
        str(folder / "drive.csv"),
    ]
    words += ["--out", str(folder / "out"), "--airflow-trusted", trust, "--quiet", *more]
    assert main(words) == 0
    found: dict[str, Any] = json.loads((folder / "out" / "injectors.json").read_text())
    return found


def test_swapped_injectors_are_told_within_their_errors(
    swapped: Path, heron_vehicle: Vehicle
) -> None:
    found = told(swapped, "2")
    assert found["identifiable"] and "equation" not in found["message"]
    assert found["flow_scale"] == pytest.approx(0.93, rel=0.015)
    assert found["dead_time_shift_ms"] == pytest.approx(0.12, abs=0.03)
    assert found["flow_scale_se"] >= 0.02 * found["flow_scale"] * 0.999
    assert [row["volts"] for row in found["dead_time"]] == heron_vehicle.injectors.volts.tolist()


def test_a_table_nobody_vouches_for_tells_the_dead_time_only(swapped: Path) -> None:
    found = told(swapped, "6")
    assert not found["identifiable_flow"] and found["identifiable_dead_time"]
    assert not found["identifiable"]
    assert "table" in found["reasons"]["flow"]


def test_a_bench_figure_makes_the_flow_known(swapped: Path, heron_vehicle: Vehicle) -> None:
    measured = f"{0.93 * heron_vehicle.injectors.flow_g_per_s:.3f}:1"
    found = told(swapped, "6", "--flow-measured", measured)
    assert found["identifiable"] and found["flow_scale"] == pytest.approx(0.93, rel=0.01)


@pytest.mark.parametrize(
    ("option", "text"),
    [
        ("--fuel-weighed", "much"),
        ("--flow-measured", "-3"),
        ("--pulses", "2:1:14:9"),
        ("--pulses", "5:2"),
    ],
)
def test_measurements_that_cannot_be_end_with_2(
    swapped: Path, capsys: pytest.CaptureFixture[str], option: str, text: str
) -> None:
    words = ["--vehicle", str(swapped / "vehicle.json"), "--log", str(swapped / "drive.csv")]
    assert (
        main(["injectors", *words, "--out", str(swapped / "no"), "--quiet", f"{option}={text}"])
        == 2
    )
    assert capsys.readouterr().err.count("\n") == 1


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        ({"flow_g_per_s": None}, "flow_g_per_s"),
        ({"flow_g_per_s": -3.0}, "allowed is a number from 0.1 to 200"),
        ({"rated_pressure_kpa": None}, "rated_pressure_kpa"),
        ({"dead_time_ms": {"8": 0.5, "14": 1.5}}, "has to fall with voltage"),
    ],
)
def test_bad_injector_data_end_with_2_and_one_sentence(
    tmp_path: Path,
    heron_vehicle: Vehicle,
    capsys: pytest.CaptureFixture[str],
    edit: dict[str, object],
    words: str,
) -> None:
    sheet = write_vehicle(heron_vehicle, tmp_path / "car")
    data = json.loads(sheet.read_text())
    data["injectors"] |= edit
    sheet.write_text(json.dumps(data))
    args = ["--log", str(tmp_path / "none.csv"), "--out", str(tmp_path / "out")]
    assert main(["injectors", "--vehicle", str(sheet), *args]) == 2
    said = capsys.readouterr().err
    assert words in said and said.count("\n") == 1


def test_a_trust_that_is_none_is_refused(tmp_path: Path, heron_vehicle: Vehicle) -> None:
    sheet = write_vehicle(heron_vehicle, tmp_path / "car")
    args = ["--log", "a.csv", "--out", str(tmp_path / "out"), "--airflow-trusted", "-1"]
    assert main(["injectors", "--vehicle", str(sheet), *args]) == 2


def test_open_times_that_were_worked_out_are_said_to_be(swapped: Path) -> None:
    lines = [line.split(",") for line in (swapped / "drive.csv").read_text().splitlines()]
    kept = [i for i, name in enumerate(lines[0]) if "ulse" not in name and "duty" not in name]
    assert len(kept) < len(lines[0])
    other = swapped / "without"
    other.mkdir()
    (other / "drive.csv").write_text("\n".join(",".join(row[i] for i in kept) for row in lines))
    for path in (*swapped.glob("*.json"), *swapped.glob("*.csv")):
        if path.name != "drive.csv":
            (other / path.name).write_bytes(path.read_bytes())
    found = told(other, "2")
    assert "ECU's own equation" in found["message"]
    assert found["dead_time_shift_ms"] == pytest.approx(0.12, abs=0.03)
