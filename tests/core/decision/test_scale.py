"""Moving the scale: the fuel stays, the field holds the cells, and what shifts is named with its figure."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core import physics
from lean_trim.core.data.calibration import (
    ENGINE_SCALE,
    INJECTOR_FLOW,
    ScaleAt,
    calibration_of,
    scale_table,
    with_calibration,
)
from lean_trim.core.data.injector_tables import rated_flow_table
from lean_trim.core.data.table_kinds import Holds, airflow_grid
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision.scale import moves, scale_need, scaled
from lean_trim.core.errors import BadInputError
from lean_trim.simcar.heron import heron
from lean_trim.simcar.tern import tern

FIELD = TableLimits(resolution=0.1, lowest=5.0, highest=102.0)


def test_a_table_well_inside_its_field_asks_for_nothing() -> None:
    car = heron()
    need = scale_need(car.table, car.limits)
    assert need.factor == 1.0 and not need.reasons


def test_a_cell_that_would_pass_the_end_asks_for_room_above_it() -> None:
    table = heron().table
    wanted = table.values.copy()
    wanted[-1, 5] = 118.0
    need = scale_need(table, FIELD, wanted)
    assert "118" in str(need.reasons[0])
    assert (wanted / need.factor).max() < FIELD.highest
    # Not further than room asks for: every step of it costs resolution.
    assert (wanted / (need.factor - 0.1)).max() > 0.9 * FIELD.highest


def test_cells_at_the_lowest_number_ask_for_a_smaller_scale() -> None:
    table = heron().table
    field = TableLimits(0.1, lowest=float(table.values.min()) + 2.0, highest=250.0)
    need = scale_need(table, field)
    assert need.factor < 1.0 and (table.values / need.factor).min() > field.lowest


def test_a_field_too_narrow_for_both_ends_says_so() -> None:
    table = heron().table
    field = TableLimits(0.1, float(table.values.min()) + 2.0, float(table.values.max()) - 2.0)
    assert "No one scale" in " ".join(str(reason) for reason in scale_need(table, field).reasons)


def test_a_table_of_half_the_expected_numbers_points_at_the_engine_size() -> None:
    table = heron().table
    half = table.with_values(table.values / 2.0)
    need = scale_need(half, FIELD)
    assert need.factor == pytest.approx(0.5, abs=0.1) and "engine size" in str(need.reasons[0])


def test_fuel_is_the_same_whichever_way_the_scale_is_moved() -> None:
    car = heron()
    cells = scaled(car.table, car.limits, 1.25)
    sheet = calibration_of(car).with_table(car.airflow, car.table.with_values(cells))
    at = car.table.values[4, 5], cells[4, 5]
    for place in ScaleAt:
        calibration = sheet.with_table(ENGINE_SCALE, scale_table(place, 1.25))
        if place is ScaleAt.FLOW:
            flow = rated_flow_table(car.injectors)
            calibration = calibration.with_table(
                INJECTOR_FLOW, flow.with_values(flow.values / 1.25)
            )
        moved = with_calibration(car, calibration)
        before, after = (
            physics.cylinder_air_g(ve, 90.0, 40.0, one.cylinder_l)
            / one.stoich_afr
            / one.injectors.flow_g_per_s
            for ve, one in zip(at, (car, moved), strict=True)
        )
        # Half a step of the field is all that is lost.
        assert after == pytest.approx(before, rel=0.5 * car.limits.resolution / float(at[1]))


def test_cells_that_leave_the_field_are_refused() -> None:
    car = heron()
    with pytest.raises(BadInputError, match="out of the table's field"):
        scaled(car.table, FIELD, 0.5)
    for factor in (1.0, 0.0, 12.0):
        with pytest.raises(BadInputError, match="no factor"):
            scaled(car.table, FIELD, factor)


def test_what_is_to_be_entered_and_what_shifts_carry_figures() -> None:
    car = heron()
    ways = {way.at: way for way in moves(car, 1.25)}
    assert str(ways[ScaleAt.DISPLACEMENT].entry) == "displacement 1.8 → 2.25 L"
    assert "-20 %" in " ".join(str(shift) for shift in ways[ScaleAt.DISPLACEMENT].shifts)
    flow = car.injectors.flow_g_per_s
    assert f"{flow / 1.25:.4g} g/s" in str(ways[ScaleAt.FLOW].entry)
    shifts = " ".join(str(shift) for shift in ways[ScaleAt.FLOW].shifts)
    assert "consumption" in shifts and "+25 %" in shifts


def test_a_sensor_curve_is_rescaled_at_the_injectors_only() -> None:
    assert [way.at for way in moves(tern(), 2.0)] == [ScaleAt.FLOW]
    unknown = replace(tern().injectors, flow_g_per_s=np.nan)
    assert not moves(replace(tern(), injectors=unknown), 2.0)


def test_times_and_trims_have_no_scale_the_sheet_knows() -> None:
    grid = airflow_grid(
        [1000.0, 5000.0], [30.0, 100.0], [[2.0, 2.1], [8.0, 8.5]], holds=Holds.FUEL_TIME
    )
    car = replace(heron(), table=grid, limits=TableLimits(0.01, 0.0, 20.0))
    assert not moves(car, 1.2)
