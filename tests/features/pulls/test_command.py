"""``lean-trim pulls`` on a simulated drive, against what its own throttle says."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from campaigns.pulls import CAMPAIGN
from lean_trim.cli.main import main
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.vehicle_sheet import write_vehicle


@pytest.fixture
def folder(tmp_path: Path, heron_vehicle: Vehicle, short_log: Log) -> Path:
    write_vehicle(heron_vehicle, tmp_path)
    write_log_csv(short_log, tmp_path / "drive.csv")
    return tmp_path


def words(folder: Path, *more: str) -> list[str]:
    given = ["pulls", "--vehicle", str(folder / "vehicle.json"), "--log", str(folder / "drive.csv")]
    return [*given, "--out", str(folder / "out"), *more]


def test_every_full_pull_is_found_to_its_samples(
    folder: Path, short_log: Log, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(words(folder)) == 0
    found = json.loads((folder / "out" / "pulls.json").read_text())
    full = [p for p in found["pulls"] if p["kind"] == "full"]
    open_wide = short_log[Role.THROTTLE] > 95.0
    edges = np.flatnonzero(np.diff(open_wide.astype(int), prepend=0, append=0))
    runs = [(a, b - 1) for a, b in zip(edges[::2], edges[1::2], strict=True)]
    time = short_log.time_s
    expected = [(time[a], time[b]) for a, b in runs if time[b] - time[a] >= 2.0]
    assert expected and len(full) == len(expected)
    for pull, (start, end) in zip(full, expected, strict=True):
        assert (pull["start_s"], pull["end_s"]) == pytest.approx((start, end), abs=0.3)
        assert pull["rpm_to"] > pull["rpm_from"] and pull["boost_kpa_peak"] > 20.0 and pull["times"]
        assert pull["verdict"] and pull["enrichment_reached"] and pull["gear"] in (2, 3, 4)
    assert capsys.readouterr().out.count(" rpm in ") == len(found["pulls"])
    grid = (folder / "out" / "knock_grid.csv").read_text().splitlines()
    assert len(grid) == 15 and grid[0].startswith("kPa\\rpm,600,900")
    assert (folder / "out" / "knock.csv").read_text().startswith("start_s,end_s,knock_retard_deg")


def test_an_altitude_that_is_none_ends_with_2(
    folder: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert main(words(folder, "--altitude", "20000")) == 2
    assert "allowed are -500 to 6000 m" in capsys.readouterr().err


@pytest.mark.slow
@pytest.mark.parametrize("seed", [7102])
def test_pulls_are_found_in_logs_as_people_have_them(seed: int, tmp_path: Path) -> None:
    """A sample of ``./campaign pulls``: dressed logs of random cars."""
    result = CAMPAIGN.trial(tmp_path, seed)
    assert "failed" not in result and result["found"] == result["wanted"] > 0
