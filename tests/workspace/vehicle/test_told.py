"""What a log tells of its car before there is a sheet."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.formats.logs import open_log, write_log_csv
from lean_trim.workspace.vehicle.draft import VehicleDraft, with_told
from lean_trim.workspace.vehicle.fields import Key
from lean_trim.workspace.vehicle.told import Told, told_by
from tests.builders import steady_states


def told(log: Log, tmp_path: Path) -> Told:
    path = tmp_path / "a.csv"
    write_log_csv(log, path)
    return told_by(open_log(path, 14.7, hashed=False), path)


def with_afr_target(log: Log, tmp_path: Path, afr: float) -> Told:
    import polars as pl

    columns = {"Time [s]": log.time_s, "RPM": log[Role.RPM], "MAP [kPa]": log[Role.MAP]}
    columns |= {"AFR target": log[Role.TARGET] * afr, "AFR measured": log[Role.LAMBDA] * afr}
    columns |= {"STFT [%]": log[Role.STFT], "LTFT [%]": log[Role.LTFT]}
    path = tmp_path / "afr.csv"
    pl.DataFrame(columns).write_csv(path)
    return told_by(open_log(path, 14.7, hashed=False), path)


def test_a_speed_density_car_with_wideband_is_told(short_log: Log, tmp_path: Path) -> None:
    found = told(short_log, tmp_path)
    assert (found.airflow, found.feedback) == ("ve", "wideband")
    assert found.has_target and found.has_width
    assert found.highest_rpm >= np.nanmax(short_log[Role.RPM]) * 0.97
    assert found.highest_kpa == pytest.approx(np.nanmax(short_log[Role.MAP]), rel=0.05)


@pytest.mark.parametrize(
    ("afr", "fuel"), [(14.1, "E10"), (14.7, "petrol"), (9.8, "E85"), (13.3, "")]
)
def test_the_fuel_is_told_by_where_the_target_rests(
    short_log: Log, tmp_path: Path, afr: float, fuel: str
) -> None:
    assert with_afr_target(short_log, tmp_path, afr).fuel == fuel


def test_no_trims_is_open_loop_and_no_lambda_is_narrowband(tmp_path: Path) -> None:
    log = steady_states()
    none = {r: v for r, v in log.channels.items() if r not in (Role.STFT, Role.LTFT)}
    assert told(Log(log.time_s, none, "a"), tmp_path).feedback == "none"
    blind = {r: v for r, v in log.channels.items() if r is not Role.LAMBDA}
    assert told(Log(log.time_s, blind, "a"), tmp_path).feedback == "narrowband"


def test_what_the_user_said_stands_against_the_log(short_log: Log, tmp_path: Path) -> None:
    found = with_afr_target(short_log, tmp_path, 9.8)
    assert with_told(VehicleDraft(), found).fuel == "E85"
    said = VehicleDraft(fuel="petrol").typed(Key.STOICH, "14.6")
    assert with_told(said, found).fuel == "petrol"
    lacking = Told(path=tmp_path / "a.csv")
    assert any("target" in what for what in with_told(VehicleDraft(), lacking).missing)


def test_what_a_log_lacks_is_told_before_anything_else(tmp_path: Path) -> None:
    log = steady_states()
    assert told(log, tmp_path).lacks == ()
    short = Log(log.time_s[:200], {r: v[:200] for r, v in log.channels.items()}, "a")
    [said] = told(short, tmp_path).lacks
    assert said.startswith(f"{short.duration_s:.0f} s are too short")
    bare = Log(log.time_s, {Role.COOLANT: log[Role.COOLANT]}, "a")
    lacks = told(bare, tmp_path).lacks
    assert lacks[0] == "no engine speed: nothing can be corrected with it"
    assert "which cell" in lacks[1] and "what the mixture was" in lacks[2]
