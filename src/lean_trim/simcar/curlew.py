"""Curlew, the invented 2.0-litre boosted four with something wrong: a tired pump, then too small a housing.

Hot-wire curve over Hz, wideband. On its first drive the pump sags; it is mended before the second,
which shows that the airflow sensor is at its end in boost.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.data.tables import Axis, Table, maf_curve
from lean_trim.core.data.vehicle import Injectors, TableLimits, Vehicle
from lean_trim.simcar.truth import Truth, truth_for

HERTZ = np.array(
    [
        1400,
        1700,
        2050,
        2450,
        2900,
        3450,
        4050,
        4750,
        5550,
        6400,
        7300,
        8300,
        9300,
        10400,
        11500,
        12600,
    ],
    float,
)
BOOST_KPA = 70.0
FAULTS_BY_DRIVE = ("pump:0.8", "airflow-sensor:0.8")
"""What is wrong on its drives, in turn; the last stays."""


def curlew_target() -> Table:
    """Target lambda: stoichiometric at part load, richer towards and above atmospheric."""
    pressure = np.array([20, 60, 78, 92, 100, 130, 180], float)
    speed = np.array([700, 6800], float)
    by_map = np.interp(pressure, [78, 92, 100, 130, 180], [1.0, 0.95, 0.88, 0.83, 0.80])
    axes = (Axis("MAP", "kPa", pressure), Axis("engine speed", "rpm", speed))
    return Table(
        axes, np.round(np.repeat(by_map[:, None], len(speed), axis=1), 3), "λ", "target lambda"
    )


def curlew(seed: int = 5) -> Vehicle:
    """Curlew with a curve that was corrected once by somebody, and is off by a few percent."""
    injectors = Injectors(
        9.6, 300.0, np.array([8.0, 10, 12, 14, 16]), np.array([2.0, 1.42, 1.05, 0.81, 0.65])
    )
    vehicle = Vehicle(
        name="Curlew",
        displacement_l=2.0,
        cylinders=4,
        stoich_afr=14.7,
        airflow="maf",
        feedback="wideband",
        injectors=injectors,
        table=maf_curve(HERTZ, np.linspace(1.0, 200.0, len(HERTZ))),
        target=curlew_target(),
        limits=TableLimits(0.01, 0.0, 655.0),
        exhaust_volume_l=3.4,
        redline_rpm=6800.0,
    )
    rng = np.random.default_rng(seed)
    x = (HERTZ - HERTZ[0]) / (HERTZ[-1] - HERTZ[0])
    error = 0.05 * np.sin(4.0 * x + 0.4) + 0.006 * rng.standard_normal(len(x))
    true = curlew_truth(vehicle).maf_g_per_s(HERTZ)
    return vehicle.with_table(maf_curve(HERTZ, np.round(true * (1.0 + error), 2)))


def curlew_truth(vehicle: Vehicle) -> Truth:
    """Curlew's engine as it really is."""
    return replace(truth_for(vehicle), turbo=True, max_boost_kpa=BOOST_KPA, mass_kg=1180.0)
