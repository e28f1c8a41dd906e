"""Tern, the invented camper van: a 2.5-litre five on petrol, a hot-wire curve over Hz, narrowband."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.tables import maf_curve
from lean_trim.core.data.vehicle import Injectors, TableLimits, Vehicle
from lean_trim.simcar.truth import truth_for

HERTZ = np.array(
    [
        1500,
        1750,
        2000,
        2300,
        2600,
        3000,
        3400,
        3900,
        4400,
        5000,
        5700,
        6400,
        7200,
        8100,
        9100,
        10200,
    ],
    float,
)


def tern(seed: int = 11) -> Vehicle:
    """Tern with the curve of the housing it had before: wrong by several percent, more so at low flow."""
    injectors = Injectors(
        3.6, 300.0, np.array([8.0, 10, 12, 14, 16]), np.array([2.1, 1.5, 1.12, 0.86, 0.7])
    )
    blank = maf_curve(HERTZ, np.linspace(1.0, 200.0, len(HERTZ)))
    vehicle = Vehicle(
        name="Tern",
        displacement_l=2.5,
        cylinders=5,
        stoich_afr=14.7,
        airflow="maf",
        feedback="narrowband",
        injectors=injectors,
        table=blank,
        target=None,
        limits=TableLimits(0.01, 0.0, 655.0),
        exhaust_volume_l=4.2,
        redline_rpm=5800.0,
    )
    rng = np.random.default_rng(seed)
    x = (HERTZ - HERTZ[0]) / (HERTZ[-1] - HERTZ[0])
    error = 0.09 * np.exp(-x / 0.25) - 0.05 * np.sin(2.6 * x) + 0.008 * rng.standard_normal(len(x))
    true = truth_for(vehicle).maf_g_per_s(HERTZ)
    return vehicle.with_table(maf_curve(HERTZ, np.round(true * (1.0 + error), 2)))
