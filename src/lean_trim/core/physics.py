"""Gas, fuel and injector relations shared by the computation.

All relations are steady and per cylinder. Temperatures enter in degrees Celsius because logs carry
them so.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from lean_trim.core.types import Floats

R_AIR = 287.05
"""Specific gas constant of dry air, J/(kg·K) (US Standard Atmosphere 1976, from memory)."""
KELVIN = 273.15
STANDARD_KPA = 101.325
"""Pressure of the standard atmosphere at sea level, kPa (ISO 2533:1975)."""


def charge_density_g_per_l(map_kpa: ArrayLike, charge_c: ArrayLike) -> Floats:
    """Density of air by the ideal-gas law.

    Parameters
    ----------
    map_kpa : absolute pressure, kPa, > 0.
    charge_c : temperature, °C, > -273.15.

    Returns
    -------
    Density in g/L (the same number as kg/m³), broadcast shape of the inputs; NaN in gives NaN out.
    """
    kelvin = np.asarray(charge_c, float) + KELVIN
    return np.asarray(map_kpa, float) * 1000.0 / (R_AIR * kelvin)


def cylinder_air_g(
    ve_pct: ArrayLike, map_kpa: ArrayLike, charge_c: ArrayLike, cylinder_l: float
) -> Floats:
    """Air per cylinder and cycle, g, referred to manifold density.

    Parameters
    ----------
    ve_pct : volumetric efficiency, percent, >= 0.
    map_kpa : manifold pressure, kPa absolute, > 0.
    charge_c : charge temperature, °C, > -273.15.
    cylinder_l : swept volume of one cylinder, L, > 0.

    Returns
    -------
    Mass of air, g, broadcast shape of the inputs; NaN in gives NaN out.

    References
    ----------
    Heywood, Internal Combustion Engine Fundamentals, section 2.10 (volumetric efficiency), from
    memory.
    """
    return (
        np.asarray(ve_pct, float) / 100.0 * charge_density_g_per_l(map_kpa, charge_c) * cylinder_l
    )


def air_flow_g_per_s(cylinder_g: ArrayLike, rpm: ArrayLike, cylinders: int) -> Floats:
    """Airflow of a four-stroke engine, g/s, from air per cylinder and cycle.

    Parameters
    ----------
    cylinder_g : air per cylinder and cycle, g.
    rpm : engine speed, 1/min, >= 0.
    cylinders : their number.

    Returns
    -------
    Airflow, g/s, broadcast shape of the inputs.
    """
    return np.asarray(np.asarray(cylinder_g, float) * cylinders * np.asarray(rpm, float) / 120.0)


def cylinder_air_from_flow_g(flow_g_per_s: ArrayLike, rpm: ArrayLike, cylinders: int) -> Floats:
    """Air per cylinder and cycle, g, from airflow in g/s; NaN where the engine stands still.

    Parameters
    ----------
    flow_g_per_s : airflow of the engine, g/s.
    rpm : engine speed, 1/min; 0 or less gives NaN.
    cylinders : their number.

    Returns
    -------
    Air per cylinder and cycle, g, broadcast shape of the inputs.
    """
    rpm = np.asarray(rpm, float)
    return np.asarray(
        np.asarray(flow_g_per_s, float) * 120.0 / (cylinders * np.where(rpm > 0, rpm, np.nan))
    )


def injected_fuel_g(
    pulse_width_ms: ArrayLike,
    dead_time_ms: ArrayLike,
    flow_g_per_s: float,
    pressure_ratio: ArrayLike = 1.0,
) -> Floats:
    """Fuel per injection, g: flow · sqrt(Δp/Δp_rated) · (pulse width - dead time), never negative.

    Parameters
    ----------
    pulse_width_ms : opening time commanded, ms.
    dead_time_ms : part of it that delivers nothing, ms.
    flow_g_per_s : flow of one open injector at the rated pressure, g/s.
    pressure_ratio : differential over rated pressure, >= 0.

    Returns
    -------
    Mass of fuel, g, broadcast shape of the inputs.

    References
    ----------
    SAE J1832 rates flow at a stated Δp; the square root is Bernoulli's relation (from memory).
    """
    open_ms = np.asarray(pulse_width_ms, float) - np.asarray(dead_time_ms, float)
    flow = flow_g_per_s * np.sqrt(np.asarray(pressure_ratio, float))
    return np.asarray(np.maximum(open_ms, 0.0) * 1e-3 * flow)


def injector_flow_at(flow: float, pressure_kpa: float, other_pressure_kpa: float) -> float:
    """Injector flow at another differential pressure (square-root law).

    Parameters
    ----------
    flow : at ``pressure_kpa``, in any unit.
    pressure_kpa : differential pressure it was rated at, kPa, > 0.
    other_pressure_kpa : differential pressure in question, kPa, >= 0.

    Returns
    -------
    Flow in the unit it was given in.
    """
    return flow * float(np.sqrt(other_pressure_kpa / pressure_kpa))


def duty_pct(pulse_width_ms: ArrayLike, rpm: ArrayLike) -> Floats:
    """Injector duty of a sequential four-stroke engine, percent of the cycle of 120 000/rpm ms.

    Parameters
    ----------
    pulse_width_ms : opening time, ms.
    rpm : engine speed, 1/min.

    Returns
    -------
    Percent of the cycle, broadcast shape of the inputs; above 100 the injector never closes.
    """
    return np.asarray(np.asarray(pulse_width_ms, float) * np.asarray(rpm, float) / 1200.0)


def pulse_width_of_duty_ms(duty_pct: ArrayLike, rpm: ArrayLike) -> Floats:
    """Opening time behind a duty, ms; the inverse of ``duty_pct``.

    Parameters
    ----------
    duty_pct : percent of the cycle.
    rpm : engine speed, 1/min, > 0.

    Returns
    -------
    Opening time, ms, broadcast shape of the inputs.
    """
    return np.asarray(np.asarray(duty_pct, float) * 1200.0 / np.asarray(rpm, float))


def stoich_afr(hydrogen_per_carbon: float, oxygen_per_carbon: float = 0.0) -> float:
    """Stoichiometric air/fuel mass ratio of a fuel CH_yO_z burnt in dry air (21 % O2 by volume).

    Parameters
    ----------
    hydrogen_per_carbon : y of CH_yO_z, 0 to 4.
    oxygen_per_carbon : z of CH_yO_z, 0 to 1.

    Returns
    -------
    Mass of air over mass of fuel.

    References
    ----------
    Heywood, Internal Combustion Engine Fundamentals, section 3.4 (from memory): 3.773 mol N2 per
    mol O2.
    """
    y = hydrogen_per_carbon
    z = oxygen_per_carbon
    oxygen_mol = 1.0 + y / 4.0 - z / 2.0
    return oxygen_mol * (31.998 + 3.773 * 28.16) / (12.011 + 1.008 * y + 15.999 * z)
