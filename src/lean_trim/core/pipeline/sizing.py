"""How much fuel an engine wants, how near the injectors are to their limit, and which would do.

Fuel = airflow / (stoichiometry · λ); an injector is open for at most a share of the time (its duty
limit) and flows with the root of the pressure over it. Power goals go by a consumption that is a
rule of thumb.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core import physics
from lean_trim.core.data.channels import Role
from lean_trim.core.data.fuels import FUELS, PETROL, TEST_FLUID_KG_PER_L, Fuel, fuel_of
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import stoich_along
from lean_trim.core.physics import STANDARD_KPA
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.types import Floats

LB_G = 453.59237
HIGHEST_PCT = 99.5
"""What was reached but for spikes."""
BSFC_G_PER_KWH = {"atmospheric": 300.0, "boosted": 365.0}
"""Petrol burnt for power at full load (rule of thumb, common practice, no source)."""


DUTY_STEP_RPM = 250.0
BOOSTED_KPA = 110.0
LEAST_OVER_KPA = 50.0
"""With less over it no injector meters (common practice, no source)."""


@dataclass(frozen=True)
class Headroom:
    """What a drive asked of the injectors at its hardest.

    Attributes
    ----------
    fuel_g_per_s : fuel of the whole engine that the target asks for.
    rpm, map_kpa, lam : where that was; NaN if not logged.
    duty_pct : highest duty of the drive; NaN if it is not known.
    """

    fuel_g_per_s: float
    rpm: float
    map_kpa: float
    lam: float
    duty_pct: float


@dataclass(frozen=True)
class Injector:
    """One injector that would do.

    Attributes
    ----------
    g_per_s : of the fuel in question, at its rated pressure.
    lb_per_h : the same in pounds an hour.
    cm3_per_min : of test fluid, as injectors are rated by volume.
    """

    g_per_s: float
    lb_per_h: float
    cm3_per_min: float


def fuel_for_air(airflow: float, stoich_afr: float, lam: float = 1.0) -> float:
    """Fuel that an airflow wants.

    Parameters
    ----------
    airflow : in any unit of mass over time.
    stoich_afr : of the fuel.
    lam : target lambda.

    Returns
    -------
    In the airflow's unit.
    """
    return airflow / (stoich_afr * lam)


def fuel_for_power(
    power_kw: float, boosted: bool, fuel: Fuel, petrol_stoich_afr: float = 14.7
) -> float:
    """Fuel that a power goal wants, by rule of thumb.

    Parameters
    ----------
    power_kw : at the crankshaft.
    boosted : a boosted engine burns more for the same power.
    fuel : what it burns; as much energy takes more of a fuel that wants less air.
    petrol_stoich_afr : the rule's own fuel.

    Returns
    -------
    g/s of the whole engine.
    """
    bsfc = BSFC_G_PER_KWH["boosted" if boosted else "atmospheric"]
    return power_kw * bsfc / 3600.0 * petrol_stoich_afr / fuel.stoich_afr


def needed_injector(
    fuel_g_per_s: float,
    cylinders: int,
    duty_limit_pct: float,
    density_kg_per_l: float,
    pressure_kpa: float,
    rated_kpa: float,
) -> Injector:
    """The smallest injector that would do.

    Parameters
    ----------
    fuel_g_per_s : of the whole engine.
    cylinders : each with one injector.
    duty_limit_pct : share of the time it may be open.
    density_kg_per_l : of the fuel.
    pressure_kpa : over the injector where the fuel is wanted.
    rated_kpa : at which it is rated.

    Returns
    -------
    Its rated flow.
    """
    each = fuel_g_per_s / cylinders / (duty_limit_pct / 100.0)
    rated = physics.injector_flow_at(each, pressure_kpa, rated_kpa)
    # Makers rate the volume of a test fluid; at one pressure mass flow goes with the root of
    # density.
    of_test_fluid = rated * np.sqrt(TEST_FLUID_KG_PER_L / density_kg_per_l)
    return Injector(
        g_per_s=float(rated),
        lb_per_h=float(rated * 3600.0 / LB_G),
        cm3_per_min=float(60.0 * of_test_fluid / TEST_FLUID_KG_PER_L),
    )


def headroom(solution: Solution) -> Headroom:
    """What the drive asked of the injectors at its hardest.

    Parameters
    ----------
    solution : of the drive.

    Returns
    -------
    Fuel, where it was, and the highest duty.
    """
    frame = solution.prepared.frame
    log = frame.log
    with np.errstate(all="ignore"):
        k = np.where(np.isfinite(solution.k_along), solution.k_along, 1.0)
        fuel = frame.flow_g_per_s * k / (stoich_along(log, frame.vehicle) * frame.target)
    known = np.isfinite(fuel)
    # Nearly the highest: the very highest of a drive is a spike.
    highest = float(np.percentile(fuel[known], HIGHEST_PCT)) if known.any() else float("nan")
    at = int(np.argmin(np.abs(np.where(known, fuel, np.inf) - highest))) if known.any() else 0
    duty = solution.prepared.conditions.motion.duty
    duty = duty[np.isfinite(duty)]
    return Headroom(
        fuel_g_per_s=highest,
        rpm=float(log[Role.RPM][at]),
        map_kpa=float(log.get(Role.MAP)[at]),
        lam=float(frame.target[at]),
        duty_pct=float(np.percentile(duty, HIGHEST_PCT))
        if len(duty) and duty.max() > 0
        else float("nan"),
    )


def duty_over_rpm(solution: Solution) -> tuple[Floats, Floats]:
    """The highest duty at each engine speed.

    Returns engine speeds, rpm, in steps of ``DUTY_STEP_RPM``, and duty, percent, NaN where not
    known; both (n,).
    """
    rpm = solution.prepared.frame.log[Role.RPM]
    duty = solution.prepared.conditions.motion.duty
    known = np.isfinite(rpm) & np.isfinite(duty) & (duty > 0.0)
    if not known.any():
        return np.zeros(0), np.zeros(0)
    step = (rpm[known] / DUTY_STEP_RPM).astype(int)
    out = np.full(int(step.max()) + 1, np.nan)
    for bin_ in np.unique(step):
        out[bin_] = np.percentile(duty[known][step == bin_], HIGHEST_PCT)
    return np.asarray((np.arange(len(out)) + 0.5) * DUTY_STEP_RPM, float), out


@dataclass(frozen=True)
class SizingWords:
    """What the user wants to know.

    Attributes
    ----------
    duty_limit_pct : share of the time an injector may be open.
    fuel : to be burnt; None for the one that is in the sheet.
    map_kpa : manifold pressure to be reached; 0 for what the drive reached.
    power_kw : a goal that stands for the drive's own airflow; 0 for none.
    """

    duty_limit_pct: float = 85.0
    fuel: Fuel | None = None
    map_kpa: float = 0.0
    power_kw: float = 0.0


@dataclass(frozen=True)
class SizingPlan:
    """What would be needed.

    Attributes
    ----------
    fuel_g_per_s : of the whole engine.
    injector : the smallest that would do, at the sheet's rated pressure.
    over_kpa : pressure over the injector where the fuel is wanted.
    pump_l_per_h, pump_kpa : fuel volume, and pressure above the atmosphere the pump has to hold it
        at.
    rule_of_thumb : whether it rests on a usual consumption instead of the drive.
    """

    fuel_g_per_s: float
    injector: Injector
    over_kpa: float
    pump_l_per_h: float
    pump_kpa: float
    rule_of_thumb: bool


def plan_sizing(found: Headroom, vehicle: Vehicle, words: SizingWords) -> SizingPlan:
    """What the engine would need, from what it needed.

    Parameters
    ----------
    found : of a drive.
    vehicle : with its injectors and fuel.
    words : what is wanted.

    Returns
    -------
    Injector and pump.
    """
    own = FUELS.get(
        fuel_of(vehicle.stoich_afr), Fuel("own", vehicle.stoich_afr, PETROL.density_kg_per_l)
    )
    fuel = words.fuel or own
    reached = found.map_kpa if np.isfinite(found.map_kpa) else STANDARD_KPA
    pressure = words.map_kpa or reached
    boosted = pressure > BOOSTED_KPA
    # Air goes with manifold pressure at the same speed, fuel with air over what the fuel burns
    # with.
    wanted = found.fuel_g_per_s * vehicle.stoich_afr / fuel.stoich_afr * pressure / reached
    if words.power_kw:
        wanted = fuel_for_power(words.power_kw, boosted, fuel)
    injectors = vehicle.injectors
    rated = injectors.rated_pressure_kpa
    # A rail held against the atmosphere has less over the injector the more the manifold pushes
    # back.
    over = (
        rated - (pressure - STANDARD_KPA) if injectors.pressure_reference == "atmosphere" else rated
    )
    over = max(over, LEAST_OVER_KPA)
    return SizingPlan(
        fuel_g_per_s=wanted,
        injector=needed_injector(
            wanted, vehicle.cylinders, words.duty_limit_pct, fuel.density_kg_per_l, over, rated
        ),
        over_kpa=over,
        pump_l_per_h=wanted * 3.6 / fuel.density_kg_per_l,
        # Above the atmosphere, as pump curves are drawn: over the injector, and what stands behind
        # it.
        pump_kpa=over + pressure - STANDARD_KPA,
        rule_of_thumb=bool(words.power_kw),
    )
