"""A job's vehicle holds the tables of its first round, whoever puts them there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trim.core.data.calibration import (
    DEAD_TIME,
    ENGINE_SCALE,
    TARGET,
    Calibration,
    ScaleAt,
    calibration_of,
    scale_table,
    with_calibration,
    with_tables_of,
)
from lean_trim.core.data.fuel_corrections import WARM_UP, curve_of
from lean_trim.core.data.injector_tables import dead_time_table
from lean_trim.core.data.tables import Axis, Table
from tests.builders import small_vehicle

CANISTER = Table((Axis("coolant", "°C", [20.0, 90.0]),), np.array([1.0, 4.0]), "g/s", "canister")
COLD = curve_of(WARM_UP, [0, 40, 80], [20, 8, 0])


def test_the_same_tables_are_the_same_record() -> None:
    """Whoever keeps pulls or a solve for a vehicle knows it by identity."""
    vehicle = replace(small_vehicle(), corrections={WARM_UP: COLD})
    assert with_tables_of(vehicle, calibration_of(vehicle)) is vehicle


@pytest.mark.parametrize(("name", "table"), [(WARM_UP, COLD), ("canister_air", CANISTER)])
def test_a_table_that_was_pasted_is_the_vehicles(name: str, table: Table) -> None:
    vehicle = small_vehicle()
    held = with_tables_of(vehicle, calibration_of(vehicle).with_table(name, table))
    assert held is not vehicle and held.corrections == {name: table}
    assert with_tables_of(held, calibration_of(vehicle)).corrections == {}


def test_what_belongs_to_a_round_stays_there() -> None:
    """Injector tables and a moved scale are a round's; the vehicle keeps what its sheet says."""
    vehicle = small_vehicle()
    moved = scale_table(ScaleAt.DISPLACEMENT).with_values(np.array([1.2, 1.0]))
    longer = dead_time_table(vehicle.injectors)
    longer = longer.with_values(longer.values + 0.3)
    calibration = Calibration(
        {**calibration_of(vehicle).tables, ENGINE_SCALE: moved, DEAD_TIME: longer}
    )
    held = with_tables_of(vehicle, calibration)
    assert held.displacement_l == vehicle.displacement_l
    assert held.injectors is vehicle.injectors
    driven = with_calibration(vehicle, calibration)
    assert driven.displacement_l == pytest.approx(1.2 * vehicle.displacement_l)
    assert driven.injectors.dead_time_ms == pytest.approx(vehicle.injectors.dead_time_ms + 0.3)
    # Neither is a correction of fuel, which the ECU would add.
    assert driven.corrections == {} and TARGET not in driven.corrections
