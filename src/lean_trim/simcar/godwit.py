"""Godwit, an invented coupé: a 2.0-litre four whose intake cam turns; it has a VE table for each end."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.data.table_kinds import airflow_grid
from lean_trim.core.data.vehicle import Injectors, Layer, Layered, TableLimits, Vehicle
from lean_trim.simcar.truth import Truth, truth_for

RPM = np.array([600.0, 900, 1200, 1600, 2000, 2500, 3000, 3500, 4100, 4800, 5600, 6600])
KPA = np.array([20.0, 28, 36, 45, 55, 65, 75, 85, 95, 102])
TURNED_DEG = 40.0
CHANNEL = "Intake cam [deg]"


def godwit(seed: int = 23) -> Vehicle:
    """Godwit, looked at by the table of its cam at rest.

    Parameters
    ----------
    seed : of what its tables are wrong by.

    Returns
    -------
    The vehicle.
    """
    rng = np.random.default_rng(seed)
    injectors = Injectors(
        5.0, 300.0, np.array([8.0, 10, 12, 14, 16]), np.array([1.9, 1.4, 1.05, 0.8, 0.66])
    )
    grid = airflow_grid(RPM, KPA, np.full((len(KPA), len(RPM)), 75.0))
    blank = Vehicle(
        name="Godwit",
        displacement_l=2.0,
        cylinders=4,
        stoich_afr=14.7,
        airflow="ve",
        feedback="wideband",
        injectors=injectors,
        table=grid,
        target=None,
        limits=TableLimits(0.1, 5.0, 250.0),
        exhaust_volume_l=3.2,
        redline_rpm=6600.0,
        induction="atmospheric",
        layered=Layered(
            name="ve", at=0.0, others=(Layer("ve_2", grid, TURNED_DEG),), channel=CHANNEL
        ),
    )
    for name, shape in (("ve", _at_rest), ("ve_2", _turned)):
        seen = blank.seen_by(name)
        rows, columns = np.meshgrid(KPA, RPM, indexing="ij")
        true = godwit_truth(blank).airflow_value(seen, (rows, columns))
        wrong = 1.0 + shape(rows, columns) + 0.003 * rng.standard_normal(rows.shape)
        blank = replace(seen, table=grid.with_values(np.round(true * wrong, 1)))
    return blank.seen_by("ve")


def _at_rest(kpa: np.ndarray, rpm: np.ndarray) -> np.ndarray:
    return 0.06 * np.cos(rpm / 900.0) - 0.03 * (kpa - 60.0) / 60.0


def _turned(kpa: np.ndarray, rpm: np.ndarray) -> np.ndarray:
    return -0.05 * np.sin(rpm / 1300.0) + 0.05 * (kpa - 60.0) / 60.0 - 0.02


def godwit_truth(vehicle: Vehicle) -> Truth:
    """The engine behind a sheet of it; its cam gives at low speed and takes at high."""
    return replace(truth_for(vehicle), turn_pct=12.0)
