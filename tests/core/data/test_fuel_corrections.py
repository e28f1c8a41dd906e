"""Corrections of fuel as tables: what their cells mean, and that a calibration carries them into the car."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.calibration import calibration_of, with_calibration
from lean_trim.core.data.fuel_corrections import (
    AXIS_RANGES,
    AXIS_UNITS,
    CORRECTIONS,
    ENRICHMENT,
    KINDS,
    LEAST,
    THROTTLE_RATE,
    WALL_TIME,
    WARM_UP,
    cells_of,
    curve_of,
)
from lean_trim.core.data.vehicle import Vehicle


def test_cells_of_what_is_added_are_the_whole_fuel_and_shown_as_percent() -> None:
    table = curve_of(WARM_UP, [0, 40, 80], [30, 10, 0])
    np.testing.assert_allclose(table.values, [130, 110, 100])
    np.testing.assert_allclose(table.shown, [30, 10, 0])
    np.testing.assert_allclose(cells_of(WARM_UP, table), [30, 10, 0])
    assert table.shown_unit == "%" and table.axes[0].name == "coolant"
    taken = curve_of(ENRICHMENT, [-300, 0, 300], [-20, 0, 15], by=THROTTLE_RATE)
    assert taken.axes[0].unit == "%/s" and taken.values[0] == 80.0


def test_a_time_of_nothing_is_the_least_there_is() -> None:
    assert curve_of(WALL_TIME, [0, 80], [0.5, 0.0]).values[1] == LEAST


def test_every_kind_names_axes_that_have_a_unit_and_a_range() -> None:
    for kind in KINDS.values():
        for axis in (*kind.axes, *filter(None, (kind.also,))):
            assert axis in AXIS_UNITS and AXIS_RANGES[axis][0] < AXIS_RANGES[axis][1]
        assert kind.low < kind.high


def test_a_calibration_carries_them_into_the_car_and_back(heron_vehicle: Vehicle) -> None:
    warm_up = curve_of(WARM_UP, [0, 40, 80], [30, 10, 0])
    vehicle = replace(heron_vehicle, corrections={WARM_UP: warm_up})
    calibration = calibration_of(vehicle)
    assert calibration[WARM_UP] is warm_up and set(calibration) >= {"ve", WARM_UP}
    assert with_calibration(heron_vehicle, calibration).corrections == {WARM_UP: warm_up}
    # A revision without one is driven without one, whatever the sheet said.
    assert with_calibration(vehicle, calibration.without_table(WARM_UP)).corrections == {}
    assert len(CORRECTIONS) == len(set(CORRECTIONS)) == len(KINDS)
    with pytest.raises(KeyError):
        curve_of("unheard of", [0, 1], [0, 1])
