"""The vehicle sheet: round trip and complaints."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lean_trim.core.data.vehicle import AirflowSourceSettings
from lean_trim.core.errors import BadInputError
from lean_trim.formats.vehicle_sheet import read_vehicle, write_vehicle
from tests.builders import maf_vehicle, small_vehicle


@pytest.fixture
def sheet(tmp_path: Path) -> Path:
    return write_vehicle(small_vehicle(), tmp_path)


def edit(path: Path, key: str, value: Any) -> None:
    data = json.loads(path.read_text())
    *parents, last = key.split(".")
    place = data
    for part in parents:
        place = place[part]
    if value is None:
        del place[last]
    else:
        place[last] = value
    path.write_text(json.dumps(data))


@pytest.mark.parametrize("vehicle", [small_vehicle(), maf_vehicle()], ids=["ve", "maf"])
def test_what_is_written_reads_back(vehicle: Any, tmp_path: Path) -> None:
    back, warnings = read_vehicle(write_vehicle(vehicle, tmp_path))
    assert warnings == []
    assert (back.name, back.displacement_l, back.cylinders, back.feedback) == (
        vehicle.name,
        vehicle.displacement_l,
        vehicle.cylinders,
        vehicle.feedback,
    )
    np.testing.assert_allclose(back.table.values, vehicle.table.values)
    np.testing.assert_allclose(
        back.injectors.dead_time_at([11.0, 20.0]), vehicle.injectors.dead_time_at([11.0, 20.0])
    )
    assert back.limits == vehicle.limits


def test_optional_keys_have_defaults_and_unknown_ones_warn(sheet: Path) -> None:
    for key in ("exhaust_volume_l", "redline_rpm", "table_limits"):
        edit(sheet, key, None)
    edit(sheet, "colour", "blue")
    vehicle, warnings = read_vehicle(sheet)
    assert (vehicle.sensor_place, vehicle.airflow_source) == ("downpipe", AirflowSourceSettings())
    assert vehicle.exhaust_volume_l == pytest.approx(3.0)
    assert warnings == [f"{sheet}: unknown key 'colour' is not used"]


@pytest.mark.parametrize(
    ("key", "value", "words"),
    [
        ("engine.cylinders", 0, "engine.cylinders is 0; allowed is a number from 1 to 16"),
        ("engine.displacement_l", "two", "engine.displacement_l is 'two'"),
        ("fuel.stoich_afr", None, "fuel.stoich_afr is missing; a number from 2 to 40"),
        ("airflow", "vane", "airflow is 'vane'; allowed is one of ve, maf"),
        ("feedback", None, "feedback is None; allowed is one of wideband, narrowband, none"),
        ("injectors.dead_time_ms", {}, "injectors.dead_time_ms"),
        ("injectors.dead_time_ms", {"12": 99}, "99 ms at 12 V; allowed is 0 to 10 ms"),
        ("sensor_place", "roof", "sensor_place is 'roof'; allowed is one of downpipe, tailpipe"),
        (
            "airflow_source",
            {"kind": "guess"},
            "airflow_source.kind is 'guess'; allowed is one of auto, table, flag, rule",
        ),
        (
            "airflow_source",
            {"kind": "rule", "ve_below_rpm": -1},
            "allowed is a number from 0 to 10000",
        ),
        ("tables.ve", None, "tables.ve is None"),
        ("tables.ve", "gone.csv", "gone.csv: cannot be read"),
    ],
)
def test_impossible_values_name_key_and_range(
    sheet: Path, key: str, value: Any, words: str
) -> None:
    edit(sheet, key, value)
    with pytest.raises(BadInputError) as error:
        read_vehicle(sheet)
    assert words in str(error.value)


def test_broken_files_are_named(tmp_path: Path) -> None:
    (tmp_path / "v.json").write_text("{\n 'name': 1}")
    with pytest.raises(BadInputError, match=r"v.json, line 2, column 2: not valid JSON"):
        read_vehicle(tmp_path / "v.json")
    (tmp_path / "v.json").write_text("[]")
    with pytest.raises(BadInputError, match="one JSON object"):
        read_vehicle(tmp_path / "v.json")
    with pytest.raises(BadInputError, match="cannot be read"):
        read_vehicle(tmp_path / "absent.json")


def test_sensor_place_and_airflow_source_are_read_and_written_back(
    sheet: Path, tmp_path: Path
) -> None:
    edit(sheet, "sensor_place", "tailpipe")
    edit(
        sheet,
        "airflow_source",
        {"kind": "rule", "ve_below_rpm": 2800, "ve_above_map_rate_pct_per_s": 90},
    )
    vehicle, warnings = read_vehicle(sheet)
    assert warnings == []
    assert vehicle.airflow_source == AirflowSourceSettings("rule", 2800.0, 90.0)
    back, _ = read_vehicle(write_vehicle(vehicle, tmp_path / "again"))
    assert (back.sensor_place, back.airflow_source) == ("tailpipe", vehicle.airflow_source)


def test_injector_keys_may_be_null_but_not_missing(sheet: Path, tmp_path: Path) -> None:
    data = json.loads(sheet.read_text())
    data["injectors"] = {"flow_g_per_s": None, "rated_pressure_kpa": None, "dead_time_ms": None}
    sheet.write_text(json.dumps(data))
    vehicle, _ = read_vehicle(sheet)
    assert not vehicle.injectors.is_known
    assert vehicle.injectors.rated_pressure_kpa == 300.0
    assert np.isnan(vehicle.injectors.dead_time_at([12.0, 14.0])).all()
    again, _ = read_vehicle(write_vehicle(vehicle, tmp_path / "again"))
    assert not again.injectors.is_known
    data["injectors"] = None
    sheet.write_text(json.dumps(data))
    assert not read_vehicle(sheet)[0].injectors.is_known
    del data["injectors"]
    sheet.write_text(json.dumps(data))
    with pytest.raises(BadInputError, match="injectors"):
        read_vehicle(sheet)


def test_what_the_rated_pressure_is_held_against_is_read(sheet: Path) -> None:
    edit(sheet, "injectors.pressure_reference", "atmosphere")
    assert read_vehicle(sheet)[0].injectors.pressure_reference == "atmosphere"
    edit(sheet, "injectors.pressure_reference", "vacuum")
    with pytest.raises(BadInputError, match="manifold, atmosphere, compensated"):
        read_vehicle(sheet)
