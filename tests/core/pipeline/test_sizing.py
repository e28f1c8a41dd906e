"""Sizing against the trade's worked examples and a units package."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pint
import pytest

from lean_trim.core.data.fuels import FUELS, PETROL, rated_flow_g_per_s
from lean_trim.core.pipeline.sizing import (
    SizingWords,
    duty_over_rpm,
    fuel_for_air,
    fuel_for_power,
    headroom,
    needed_injector,
    plan_sizing,
)
from lean_trim.core.pipeline.solve import Solution


def test_fuel_of_an_airflow() -> None:
    """1803 lb/h of air at 14.7 is 122.7 of fuel, 15.3 of eight; 1825 at 11.5 is 158.7 and 19.8."""
    assert fuel_for_air(1803.0, 14.7) == pytest.approx(122.7, abs=0.05)
    assert fuel_for_air(1803.0, 14.7) / 8 == pytest.approx(15.3, abs=0.05)
    assert fuel_for_air(1825.0, 11.5) == pytest.approx(158.7, abs=0.05)
    assert fuel_for_air(1825.0, 11.5) / 8 == pytest.approx(19.8, abs=0.05)


def test_e85_wants_half_as_much_again_by_mass_and_a_third_by_volume() -> None:
    """About 1.5 × the mass, 1.3 to 1.45 × the volume (common practice, no source)."""
    mass = fuel_for_air(100.0, FUELS["E85"].stoich_afr) / fuel_for_air(100.0, PETROL.stoich_afr)
    assert mass == pytest.approx(1.5, abs=0.01)
    assert 1.3 < mass * PETROL.density_kg_per_l / FUELS["E85"].density_kg_per_l < 1.45
    assert fuel_for_power(200.0, True, FUELS["E85"]) == pytest.approx(
        mass * fuel_for_power(200.0, True, PETROL)
    )


def test_an_injector_at_its_limit_is_the_one_that_is_needed() -> None:
    """440 cm³/min four times, open 85 % of the time at its rated pressure, and back."""
    each = rated_flow_g_per_s(440.0, PETROL.density_kg_per_l)
    found = needed_injector(4 * each * 0.85, 4, 85.0, PETROL.density_kg_per_l, 300.0, 300.0)
    assert found.cm3_per_min == pytest.approx(440.0)
    assert found.g_per_s == pytest.approx(each)
    units = pint.get_application_registry()
    assert found.lb_per_h == pytest.approx(
        float(units.Quantity(each, "g/s").to("lb/hour").magnitude), rel=1e-6
    )
    # Where the pressure over it is 400 kPa, one rated at 300 may be smaller by the root of the
    # ratio.
    smaller = needed_injector(4 * each * 0.85, 4, 85.0, PETROL.density_kg_per_l, 400.0, 300.0)
    assert smaller.cm3_per_min == pytest.approx(440.0 / (508.0 / 440.0), rel=1e-3)


def test_a_drive_tells_its_hardest_moment(heron_solution: Solution) -> None:
    found = headroom(heron_solution)
    assert found.rpm > 4000.0 and found.map_kpa > 150.0 and found.lam < 0.9
    injectors = heron_solution.prepared.frame.vehicle.injectors
    # Open that long, four injectors of this flow deliver about that fuel.
    assert found.fuel_g_per_s == pytest.approx(
        4 * injectors.flow_g_per_s * found.duty_pct / 100.0, rel=0.15
    )


def test_other_fuel_and_more_boost_are_planned_from_the_drive(heron_solution: Solution) -> None:
    vehicle = heron_solution.prepared.frame.vehicle
    found = headroom(heron_solution)
    now = plan_sizing(found, vehicle, SizingWords())
    assert now.fuel_g_per_s == pytest.approx(found.fuel_g_per_s)
    e85 = plan_sizing(found, vehicle, SizingWords(fuel=FUELS["E85"]))
    assert e85.fuel_g_per_s / now.fuel_g_per_s == pytest.approx(
        vehicle.stoich_afr / FUELS["E85"].stoich_afr
    )
    more = plan_sizing(found, vehicle, SizingWords(map_kpa=1.2 * found.map_kpa))
    assert more.fuel_g_per_s == pytest.approx(1.2 * now.fuel_g_per_s)
    assert more.pump_kpa - now.pump_kpa == pytest.approx(0.2 * found.map_kpa)
    # Held against the atmosphere, the manifold pushes back, and the injector has to be larger.
    rail = replace(vehicle, injectors=replace(vehicle.injectors, pressure_reference="atmosphere"))
    assert plan_sizing(found, rail, SizingWords()).injector.g_per_s > now.injector.g_per_s
    goal = plan_sizing(found, vehicle, SizingWords(power_kw=150.0))
    assert goal.rule_of_thumb and not now.rule_of_thumb


def test_duty_is_at_its_highest_at_full_engine_speed(heron_solution: Solution) -> None:
    rpm, duty = duty_over_rpm(heron_solution)
    known = np.isfinite(duty)
    assert len(rpm) == len(duty) and rpm[0] == 125.0
    assert rpm[known][int(np.argmax(duty[known]))] > 5000.0
    assert np.nanmax(duty) == pytest.approx(headroom(heron_solution).duty_pct, rel=0.1)
