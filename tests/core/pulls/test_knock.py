"""The ledger of knock holds every event once, with where it was; the grid holds the largest."""

from __future__ import annotations

import csv
import io
from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.channels import Role
from lean_trim.core.data.tables import Axis
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.pipeline.pulls import PullReport, find_pulls
from lean_trim.core.pulls.knock import By, along, by_of, knock_events, knock_samples, largest_retard
from lean_trim.features.pulls.knock_csv import knock_grid, knock_list
from tests.builders import without
from tests.core.pulls.test_pull import COUNT, START, run_up

ROWS = Axis("pressure", "kPa", np.array([50.0, 100.0, 180.0]))
COLUMNS = Axis("speed", "rpm", np.array([2000.0, 3000.0, 4000.0, 5000.0, 6000.0]))


@pytest.fixture
def knocked(heron_vehicle: Vehicle) -> PullReport:
    """Two events in the pull: 2.5° near 3700 rpm, given back in steps, and 4° near 5800 rpm."""
    retard = np.zeros(COUNT)
    retard[START + 48 : START + 54] = 2.5
    retard[START + 60 : START + 66] = 1.0
    retard[START + 198 : START + 204] = 4.0
    return find_pulls([run_up(knock=retard)], heron_vehicle)


def test_events_are_told_once_with_where_they_were(knocked: PullReport) -> None:
    first, second = knock_events(knocked.conditions, knocked.pulls)
    assert (first.deg, second.deg) == (2.5, 4.0) and first.pull == second.pull == 0
    assert first.rpm == pytest.approx(3700.0, abs=60.0) and second.rpm == pytest.approx(
        5800.0, abs=60.0
    )
    # Given back in steps is one event, to its end.
    assert first.end_s - first.start_s == pytest.approx(17 / 50.0, abs=0.03)
    assert first.map_kpa == pytest.approx(178.0) and np.isnan(first.spark_deg)


def test_the_grid_holds_the_largest_retard_where_it_was_driven(knocked: PullReport) -> None:
    samples = knock_samples(knocked.conditions, knocked.baro_kpa)
    grid = largest_retard([samples], By.MAP, ROWS, COLUMNS)
    assert grid[2].tolist() == pytest.approx([np.nan, 0.0, 2.5, 0.0, 4.0], nan_ok=True)
    assert grid[0, 1] == 0.0 and np.isnan(grid[1]).all()
    boost = largest_retard([samples], By.BOOST, Axis("b", "kPa", np.array([0.0, 80.0])), COLUMNS)
    assert boost[1, 4] == 4.0
    # Of several drives the largest of all, and where one alone was driven, its own.
    mild = replace(samples, retard_deg=0.5 * samples.retard_deg)
    np.testing.assert_array_equal(largest_retard([mild, samples], By.MAP, ROWS, COLUMNS), grid)


def test_other_axes_need_what_they_are_read_by(knocked: PullReport, heron_vehicle: Vehicle) -> None:
    load = along(knocked.conditions, By.LOAD, knocked.baro_kpa)
    flow = along(knocked.conditions, By.AIRFLOW, knocked.baro_kpa)
    rpm = knocked.conditions.frame.log[Role.RPM]
    np.testing.assert_allclose(load * rpm / 60.0, flow)
    blind = find_pulls([without(run_up(), Role.THROTTLE)], heron_vehicle)
    with pytest.raises(BadInputError, match="no throttle"):
        along(blind.conditions, By.THROTTLE, blind.baro_kpa)
    assert By.THROTTLE not in knock_samples(blind.conditions, blind.baro_kpa).by
    assert by_of(heron_vehicle.table.axes[0]) is By.MAP and by_of(COLUMNS) is None


def test_files_hold_what_was_seen(knocked: PullReport) -> None:
    rows = list(
        csv.DictReader(io.StringIO(knock_list(knock_events(knocked.conditions, knocked.pulls))))
    )
    assert [row["knock_retard_deg"] for row in rows] == ["2.5", "4"] and rows[0]["pull"] == "1"
    assert rows[0]["spark_deg"] == ""
    samples = knock_samples(knocked.conditions, knocked.baro_kpa)
    text = knock_grid(largest_retard([samples], By.MAP, ROWS, COLUMNS), ROWS, COLUMNS, "kPa")
    assert text.splitlines()[0] == "kPa\\rpm,2000,3000,4000,5000,6000"
    assert text.splitlines()[3] == "180,,0,2.5,0,4" and text.splitlines()[2] == "100,,,,,"


def test_a_drive_without_knock_has_no_events(heron_vehicle: Vehicle) -> None:
    for log in (run_up(), without(run_up(), Role.KNOCK)):
        report = find_pulls([log], heron_vehicle)
        assert knock_events(report.conditions, report.pulls) == ()
