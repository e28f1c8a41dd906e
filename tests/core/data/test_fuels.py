"""Fuels and first principles against what is published."""

from __future__ import annotations

import numpy as np
import pint
import pytest

from lean_trim.core.data.fuels import ETHANOL, FUELS, METHANOL, OWN, fuel_of, rated_flow_g_per_s
from lean_trim.core.data.guess import guessed_table, guessed_ve
from lean_trim.core.physics import injector_flow_at, stoich_afr


def test_stoichiometry_follows_from_composition() -> None:
    """Heywood, *Internal Combustion Engine Fundamentals*, appendix D, quoted from memory."""
    assert stoich_afr(3.0, 0.5) == pytest.approx(ETHANOL.stoich_afr, abs=0.03)
    assert stoich_afr(4.0, 1.0) == pytest.approx(METHANOL.stoich_afr, abs=0.03)
    assert FUELS["E85"].stoich_afr == pytest.approx(9.8, abs=0.05)
    assert FUELS["E10"].stoich_afr == pytest.approx(14.1, abs=0.05)


def test_a_stoichiometry_names_its_fuel_or_none() -> None:
    assert [fuel_of(f.stoich_afr) for f in FUELS.values()] == list(FUELS)
    assert fuel_of(12.5) == OWN


def test_rated_volumes_become_mass_of_fuel() -> None:
    """440 cm³/min at 300 kPa are 508 at 400 (square-root law); petrol 4 % more mass (common practice)."""
    units = pint.get_application_registry()
    volume = float(units.Quantity(440.0, "cm**3/minute").to("cm**3/second").magnitude)
    assert rated_flow_g_per_s(440.0, 0.684) == pytest.approx(volume * 0.684)
    assert rated_flow_g_per_s(440.0, 0.745) / rated_flow_g_per_s(440.0, 0.684) == pytest.approx(
        1.044, abs=0.002
    )
    assert injector_flow_at(440.0, 300.0, 400.0) == pytest.approx(508.0, abs=0.5)


def test_a_guess_has_the_shape_every_engine_has() -> None:
    """45 to 60 % near 40 kPa, 80 to 100 % at atmospheric pressure, more under boost (common practice)."""
    kpa = np.array([40.0, 100.0, 180.0])
    ve = guessed_ve([1000.0, 4500.0, 7000.0], kpa)
    assert (np.diff(ve, axis=0) > 0).all()
    assert 80.0 <= ve[1, 1] <= 100.0
    assert ve[0, 1] < 0.95 * ve[1, 1]
    assert ve[1, 1] > ve[1, 0] and ve[1, 1] > ve[1, 2]
    table = guessed_table(6750.0, 180.0)
    assert table.axes[0].points[-1] == 180.0 and table.axes[1].points[-1] == 6750.0
    assert "guess" in table.name
