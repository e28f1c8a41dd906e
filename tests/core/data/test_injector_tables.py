"""Injector tables of a calibration: the square-root law, and the sheet's data given back."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.calibration import (
    DEAD_TIME,
    INJECTOR_FLOW,
    calibration_of,
    with_calibration,
)
from lean_trim.core.data.injector_tables import (
    FlowLaw,
    dead_time_table,
    flow_table,
    law_of,
    on_volts,
    rated_flow_table,
    with_tables,
)
from lean_trim.core.data.tables import Axis, Table
from tests.builders import INJECTORS, small_vehicle


@pytest.mark.parametrize(
    ("flow", "rated", "at", "expected", "within"),
    [
        # Common practice, no source: 440 cm³/min at 300 kPa, 60 lb/h at 43.5 psi.
        (440.0, 300.0, 400.0, 508.0, 0.1),
        (60.0, 43.5, 50.0, 64.3, 0.05),
    ],
)
def test_one_point_follows_the_square_root(
    flow: float, rated: float, at: float, expected: float, within: float
) -> None:
    assert law_of([rated], [flow]).at(at) == pytest.approx(expected, abs=within)


def test_two_points_tell_the_exponent() -> None:
    law = law_of([200.0, 450.0], [5.0, 5.0 * (450.0 / 200.0) ** 0.46])
    assert law.exponent == pytest.approx(0.46)
    assert law.at([200.0, 450.0])[0] == pytest.approx(5.0)


@pytest.mark.parametrize("rated", [300.0, 379.2])
def test_tables_filled_from_the_sheet_give_it_back(rated: float) -> None:
    sheet = replace(INJECTORS, rated_pressure_kpa=rated)
    back = with_tables(sheet, rated_flow_table(sheet), dead_time_table(sheet))
    assert back.flow_g_per_s == pytest.approx(sheet.flow_g_per_s, rel=1e-4)
    np.testing.assert_array_equal(back.dead_time_ms, sheet.dead_time_ms)


def test_a_flow_table_that_ends_below_the_rated_pressure_is_followed_at_its_end() -> None:
    law = FlowLaw(300.0, 5.0, 0.5)
    back = with_tables(INJECTORS, flow_table(law, [100.0, 200.0]), None)
    assert back.flow_g_per_s == pytest.approx(5.0, rel=1e-3)


def test_of_a_grid_of_dead_times_the_rated_pressure_counts() -> None:
    axes = (Axis("battery", "V", [10.0, 14.0]), Axis("fuel pressure", "kPa", [200.0, 400.0]))
    grid = Table(axes, np.array([[1.0, 1.4], [0.6, 0.8]]), "ms")
    back = with_tables(INJECTORS, None, grid)
    np.testing.assert_allclose(back.dead_time_ms, [1.2, 0.7])


def test_a_calibration_with_injector_tables_is_in_force() -> None:
    vehicle = small_vehicle()
    table = rated_flow_table(vehicle.injectors)
    calibration = calibration_of(vehicle).with_table(
        INJECTOR_FLOW, table.with_values(table.values * 1.1)
    )
    driven = with_calibration(vehicle, calibration)
    assert driven.injectors.flow_g_per_s == pytest.approx(5.5, rel=1e-3)
    np.testing.assert_array_equal(driven.injectors.dead_time_ms, vehicle.injectors.dead_time_ms)
    plain = with_calibration(
        vehicle, calibration.without_table(INJECTOR_FLOW).without_table(DEAD_TIME)
    )
    assert plain.injectors.flow_g_per_s == 5.0


def test_dead_times_go_onto_other_voltages_along_the_inverse() -> None:
    volts = np.array([8.0, 10.0, 12.0, 14.0, 16.0])
    table = Table((Axis("battery", "V", volts),), -0.2 + 16.0 / volts, "ms", "injector dead time")
    other = on_volts(table, [7.0, 9.0, 11.5, 15.0])
    # A law of 1/V comes back exactly, beyond the ends too.
    np.testing.assert_allclose(
        other.values, -0.2 + 16.0 / np.array([7.0, 9.0, 11.5, 15.0]), atol=5e-4
    )
    np.testing.assert_allclose(on_volts(table, volts).values, table.values, atol=5e-4)


def test_a_grid_of_dead_times_keeps_its_pressures() -> None:
    volts = np.array([8.0, 12.0, 16.0])
    kpa = np.array([250.0, 400.0])
    cells = np.array([[1.9, 2.1], [1.0, 1.15], [0.6, 0.7]])
    for axes, values in (
        ((Axis("battery", "V", volts), Axis("fuel pressure", "kPa", kpa)), cells),
        ((Axis("fuel pressure", "kPa", kpa), Axis("battery", "V", volts)), cells.T),
    ):
        other = on_volts(Table(axes, values, "ms", "injector dead time"), [8.0, 10.0, 12.0])
        got = other.values if axes[0].name == "battery" else other.values.T
        np.testing.assert_allclose(got[[0, 2]], cells[:2], atol=5e-4)
        # Halfway over 1/V is 40 % of the way from 12 to 8 V.
        np.testing.assert_allclose(got[1], cells[1] + 0.4 * (cells[0] - cells[1]), atol=1e-3)
