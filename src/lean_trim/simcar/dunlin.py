"""Dunlin, an invented estate car: a 2.2-litre four with two airflow tables, both wrong in their own way.

Its ECU takes the airflow sensor in steady running, and a VE table at low speed and while the pressure moves.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.data.table_kinds import airflow_grid
from lean_trim.core.data.tables import maf_curve
from lean_trim.core.data.vehicle import (
    AirflowSourceSettings,
    Injectors,
    OtherAirflow,
    TableLimits,
    Vehicle,
)
from lean_trim.simcar.truth import truth_for

HERTZ = np.array([1500.0, 1800, 2100, 2500, 3000, 3600, 4300, 5100, 6000, 7000, 8200, 9500])
RPM = np.array([600.0, 900, 1200, 1500, 1800, 2200, 2600, 3000, 3600, 4400, 5200, 6000])
KPA = np.array([20.0, 28, 36, 45, 55, 65, 75, 85, 95, 102])
VE_BELOW_RPM = 1900.0
VE_ABOVE_PCT_PER_S = 60.0


def dunlin(seed: int = 17) -> Vehicle:
    """Dunlin, looked at by its MAF curve, which is put right first.

    Parameters
    ----------
    seed : of what its tables are wrong by.

    Returns
    -------
    The vehicle.
    """
    rng = np.random.default_rng(seed)
    injectors = Injectors(
        5.2, 300.0, np.array([8.0, 10, 12, 14, 16]), np.array([1.9, 1.4, 1.05, 0.8, 0.66])
    )
    curve = maf_curve(HERTZ, np.linspace(1.0, 200.0, len(HERTZ)))
    grid = airflow_grid(RPM, KPA, np.full((len(KPA), len(RPM)), 75.0))
    blank = Vehicle(
        name="Dunlin",
        displacement_l=2.2,
        cylinders=4,
        stoich_afr=14.7,
        airflow="maf",
        feedback="wideband",
        injectors=injectors,
        table=curve,
        target=None,
        limits=TableLimits(0.01, 0.0, 655.0),
        exhaust_volume_l=3.6,
        redline_rpm=6000.0,
        airflow_source=AirflowSourceSettings(
            ve_below_rpm=VE_BELOW_RPM, ve_above_map_rate=VE_ABOVE_PCT_PER_S
        ),
        induction="atmospheric",
        other=OtherAirflow("ve", grid, TableLimits(0.1, 5.0, 250.0)),
    )
    truth = truth_for(blank)
    x = np.linspace(0.0, 1.0, len(HERTZ))
    off = 0.07 * np.exp(-x / 0.3) - 0.05 * np.sin(2.8 * x) + 0.004 * rng.standard_normal(len(x))
    rows, columns = np.meshgrid(KPA, RPM, indexing="ij")
    ve = truth.ve_surface(columns.ravel(), rows.ravel()).reshape(rows.shape)
    wrong = 1.0 - 0.08 * np.cos(columns / 900.0) + 0.05 * (rows - 60.0) / 60.0
    wrong += 0.004 * rng.standard_normal(rows.shape)
    assert blank.other is not None
    return replace(
        blank,
        table=curve.with_values(np.round(truth.maf_g_per_s(HERTZ) * (1.0 + off), 2)),
        other=replace(blank.other, table=grid.with_values(np.round(ve * wrong, 1))),
    )
