"""Compile the loops once, so that the first solve after an installation does not have to.

``python -m lean_trim.core.pipeline.precompile``.
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.tables import Table, maf_curve, ve_table
from lean_trim.core.data.vehicle import Injectors, Vehicle, default_limits
from lean_trim.core.pipeline.solve import refit, solve


def precompile() -> None:
    """Solve a made-up log on a grid and on a curve.

    The compiled code is kept beside the sources or in the user's cache.
    """
    grid = ve_table([1000.0, 2000, 3000, 4000], [30.0, 50, 70, 90], np.full((4, 4), 80.0))
    curve = maf_curve([1000.0, 2000, 4000, 8000], [2.0, 6, 25, 110])
    for table in (grid, curve):
        solution = solve([_log()], _vehicle(table))
        refit(solution, solution.settings)


def _vehicle(table: Table) -> Vehicle:
    kind = "ve" if len(table.axes) == 2 else "maf"
    injectors = Injectors(5.0, 300.0, np.array([10.0, 14.0]), np.array([1.2, 0.8]))
    target = ve_table([1000.0, 4000], [30.0, 90], np.ones((2, 2)))
    return Vehicle(
        "made up",
        2.0,
        4,
        14.7,
        "ve" if kind == "ve" else "maf",
        "wideband",
        injectors,
        table,
        target,
        default_limits("ve" if kind == "ve" else "maf"),
        3.0,
    )


def _log() -> Log:
    time = np.arange(6000, dtype=np.float64) * 0.04
    rng = np.random.default_rng(0)
    rpm = 2500.0 + 1200.0 * np.sin(time / 9.0)
    cut = (time % 15.0) < 2.0
    channels = {
        Role.RPM: rpm,
        Role.MAP: 60.0 + 20.0 * np.sin(time / 7.0),
        Role.MAF_HZ: 3000.0 + 1500.0 * np.sin(time / 7.0),
        Role.LAMBDA: np.where(cut, 1.36, 1.0) + 0.005 * rng.standard_normal(len(time)),
        Role.COOLANT: np.full(len(time), 88.0),
        Role.PULSE_WIDTH: np.where(cut, 0.0, 4.0),
        Role.THROTTLE: np.where(cut, 0.0, 20.0),
        Role.SPEED: rpm / 40.0,
        Role.STFT: rng.standard_normal(len(time)),
    }
    return Log(time, channels)


if __name__ == "__main__":
    precompile()
