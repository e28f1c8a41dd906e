"""Fuels by name: how much air they burn with, and how heavy they are.

Stoichiometry follows from composition (Heywood, *Internal Combustion Engine Fundamentals*, appendix
D); blends are by volume, as pumps sell them. Densities at 15 °C are usual handbook values, quoted
from memory.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from lean_trim.core.types import Floats


@dataclass(frozen=True)
class Fuel:
    """A fuel.

    Attributes
    ----------
    name : for files and the window.
    stoich_afr : mass of air per mass of fuel at λ = 1.
    density_kg_per_l : at 15 °C.
    """

    name: str
    stoich_afr: float
    density_kg_per_l: float


PETROL = Fuel("petrol", 14.7, 0.745)
ETHANOL = Fuel("ethanol", 9.0, 0.789)
METHANOL = Fuel("methanol", 6.47, 0.792)
TEST_FLUID_KG_PER_L = 0.684
"""n-heptane, in which volumes of injectors are rated."""
OWN = "own"
"""A fuel of which only the stoichiometry is known."""


def blend(name: str, ethanol_share: float, digits: int = 1) -> Fuel:
    """Petrol with ethanol.

    Parameters
    ----------
    name : of the blend.
    ethanol_share : of its volume, 0 to 1.
    digits : of its stoichiometry.

    Returns
    -------
    The blend.
    """
    heavy = ethanol_share * ETHANOL.density_kg_per_l
    light = (1.0 - ethanol_share) * PETROL.density_kg_per_l
    afr = (heavy * ETHANOL.stoich_afr + light * PETROL.stoich_afr) / (heavy + light)
    return Fuel(name, round(afr, digits), round(heavy + light, 3))


def stoich_with_ethanol(percent: ArrayLike) -> Floats:
    """Stoichiometry of petrol with ethanol.

    Parameters
    ----------
    percent : of its volume, 0 to 100, any shape.

    Returns
    -------
    Mass ratio, the same shape.
    """
    heavy = np.asarray(percent, float) / 100.0 * ETHANOL.density_kg_per_l
    light = (1.0 - np.asarray(percent, float) / 100.0) * PETROL.density_kg_per_l
    return np.asarray((heavy * ETHANOL.stoich_afr + light * PETROL.stoich_afr) / (heavy + light))


FUELS: dict[str, Fuel] = {
    f.name: f
    for f in (PETROL, blend("E5", 0.05), blend("E10", 0.10), blend("E85", 0.85), ETHANOL, METHANOL)
}
NEAR = 0.006
"""Stoichiometries of neighbouring blends are 2 % apart."""


def fuel_of(stoich_afr: float) -> str:
    """The fuel a stoichiometry belongs to.

    Parameters
    ----------
    stoich_afr : mass ratio.

    Returns
    -------
    Its name; ``OWN`` if it is none of those known.
    """
    best = min(FUELS.values(), key=lambda f: abs(np.log(f.stoich_afr / stoich_afr)))
    return best.name if abs(np.log(best.stoich_afr / stoich_afr)) < NEAR else OWN


def rated_flow_g_per_s(cm3_per_min: float, density_kg_per_l: float) -> float:
    """Mass flow of fuel through an injector that was rated by volume with test fluid.

    The square-root law: at one pressure the mass flow goes with the root of the density.

    Parameters
    ----------
    cm3_per_min : of n-heptane.
    density_kg_per_l : of the fuel.

    Returns
    -------
    g/s.
    """
    of_test_fluid = cm3_per_min * TEST_FLUID_KG_PER_L / 60.0
    return float(of_test_fluid * np.sqrt(density_kg_per_l / TEST_FLUID_KG_PER_L))
