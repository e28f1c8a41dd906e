"""Physics against sources outside the project."""

from __future__ import annotations

import numpy as np
import pint
import pytest
from ambiance import Atmosphere

from lean_trim.core import physics


@pytest.mark.parametrize(("height_m", "kpa"), [(0.0, 101.325), (1500.0, 84.56), (3000.0, 70.11)])
def test_air_density_agrees_with_the_standard_atmosphere(height_m: float, kpa: float) -> None:
    """US Standard Atmosphere 1976.

    Pressures from memory, density and temperature from the ambiance package.
    """
    layer = Atmosphere(height_m)
    assert layer.pressure[0] / 1000.0 == pytest.approx(kpa, abs=0.015)
    density = physics.charge_density_g_per_l(
        layer.pressure[0] / 1000.0, layer.temperature[0] - 273.15
    )
    assert float(density) == pytest.approx(layer.density[0], rel=2e-4)


@pytest.mark.parametrize(
    ("h", "o", "afr"),
    [(18 / 8, 0.0, 15.1), (3.0, 0.5, 9.0), (4.0, 1.0, 6.47), (1.87, 0.0, 14.6)],
    ids=["iso-octane", "ethanol", "methanol", "petrol"],
)
def test_stoichiometry_agrees_with_heywood(h: float, o: float, afr: float) -> None:
    """Heywood, Internal Combustion Engine Fundamentals, app. D (values from memory)."""
    assert physics.stoich_afr(h, o) == pytest.approx(afr, abs=0.06)


def test_square_root_law_worked_example() -> None:
    """440 cm³/min at 300 kPa flows 508 at 400 kPa (SAE J1832 rating and Bernoulli, from memory)."""
    assert physics.injector_flow_at(440.0, 300.0, 400.0) == pytest.approx(508.0, abs=0.1)


def test_cylinder_air_and_flow_agree_with_a_units_package() -> None:
    """2-litre four at 3000 rpm, 90 % VE, 101.325 kPa, 20 °C, computed with pint from the ideal-gas law."""
    u = pint.get_application_registry()
    density = 101.325 * u.kPa / (287.05 * u.J / u.kg / u.K * (293.15 * u.K))
    flow = (0.9 * density * 2.0 * u.litre * 3000 / u.minute / 2).to("g/s").magnitude
    air = physics.cylinder_air_g(90.0, 101.325, 20.0, 0.5)
    assert float(physics.air_flow_g_per_s(air, 3000.0, 4)) == pytest.approx(flow, rel=1e-6)


def test_flow_and_cylinder_air_are_inverse() -> None:
    rpm = np.array([900.0, 3000.0, 6500.0])
    back = physics.cylinder_air_from_flow_g(
        physics.air_flow_g_per_s(np.array([0.1, 0.3, 0.5]), rpm, 5), rpm, 5
    )
    np.testing.assert_allclose(back, [0.1, 0.3, 0.5])
    assert np.isnan(physics.cylinder_air_from_flow_g(1.0, 0.0, 4))


def test_injected_fuel_takes_dead_time_and_pressure_into_account() -> None:
    """4 ms open at 5 g/s gives 20 mg; 4/9 of the pressure gives two thirds of it.

    Less than dead time gives none.
    """
    assert float(physics.injected_fuel_g(5.0, 1.0, 5.0)) == pytest.approx(0.020)
    assert float(physics.injected_fuel_g(5.0, 1.0, 5.0, 4.0 / 9.0)) == pytest.approx(0.020 * 2 / 3)
    assert float(physics.injected_fuel_g(0.5, 1.0, 5.0)) == 0.0


def test_duty_is_the_share_of_the_cycle() -> None:
    """A cycle at 6000 rpm lasts 20 ms, so 10 ms are half of it."""
    assert float(physics.duty_pct(10.0, 6000.0)) == pytest.approx(50.0)
    assert float(physics.pulse_width_of_duty_ms(50.0, 6000.0)) == pytest.approx(10.0)
