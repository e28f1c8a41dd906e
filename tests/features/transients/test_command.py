"""The transients command on a demo drive and on logs that cannot tell."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from lean_trim.cli.main import main
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle
from tests.builders import without


@pytest.fixture
def folder(tmp_path: Path, heron_vehicle: Vehicle, short_log: Log) -> Path:
    write_vehicle(heron_vehicle, tmp_path)
    write_log_csv(short_log, tmp_path / "drive.csv")
    return tmp_path


def words(folder: Path, log: str = "drive.csv") -> list[str]:
    vehicle = str(folder / "vehicle.json")
    return [
        "transients",
        "--vehicle",
        vehicle,
        "--log",
        str(folder / log),
        "--out",
        str(folder / "out"),
    ]


def test_the_file_holds_what_the_contract_names(
    folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(words(folder)) == 0
    told = capsys.readouterr().out
    assert "Wall film: X 0.2" in told and "Lean under load destroys engines" in told
    found = json.loads((folder / "out" / "transients.json").read_text(encoding="utf-8"))
    assert found["wall_x"] == pytest.approx(0.2, abs=0.06) and 0.0 < found["wall_x_se"] < 0.05
    assert found["wall_tau_s"] == pytest.approx(0.4, abs=0.1) and 0.0 < found["wall_tau_s_se"] < 0.1
    kinds = {c["kind"] for c in found["classes"]}
    assert {"tip-in", "tip-out", "after fuel cut", "gear change"} <= kinds
    one = found["classes"][0]
    assert len(one["mean_error_pct"]) == len(found["grid_s"]) and len(one["seen"]) == one["events"]
    assert {"given", "needed", "proposed", "said", "expected_lean_pct"} <= set(found["proposed"][0])
    cold = found["warm_up"][0]
    assert {"coolant_c", "lambda_error_pct", "std_error_pct", "seconds"} <= set(cold)
    # All of what its ECU adds while cold is too much: nothing of the fuel stays unburnt.
    assert cold["enrichment_pct"] > 8.0 and abs(cold["proposed_enrichment_pct"]) < 2.5
    assert found["barometer"][0]["baro_kpa"] == pytest.approx(98.5, abs=2.0)
    # Its ECU cuts above 1700 rpm from 45 °C on, and gives fuel back below 1300.
    cut = found["fuel_cut"]
    assert 1690.0 <= cut["enters_from_rpm"] < 2100.0
    assert cut["fuel_back_at_rpm"] == pytest.approx(1300.0, abs=60.0)
    assert cut["enters_from_coolant_c"] >= 45.0 and cut["cuts"] > 10
    assert {"mean_error_pct", "oscillation_period_s", "oscillation_size"} <= set(found["idle"])


def test_without_pulse_width_nothing_is_invented(
    folder: Path, short_log: Log, capsys: pytest.CaptureFixture[str]
) -> None:
    write_log_csv(without(short_log, Role.PULSE_WIDTH, Role.DUTY), folder / "plain.csv")
    assert main(words(folder, "plain.csv")) == 0
    assert "Wall film: not known, no pulse width" in capsys.readouterr().out
    found = json.loads((folder / "out" / "transients.json").read_text(encoding="utf-8"))
    assert found["wall_x"] is None and found["wall_tau_s"] is None and found["proposed"] == []
    assert "no pulse width" in found["wall_film"]["why"] and found["classes"]
