"""Heron, the invented hill-climb kit car of the demo.

A 1.8-litre turbocharged four on E10, speed-density, wideband.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.data.fuel_corrections import (
    AFTER_CUT,
    AFTER_CUT_FADE,
    ENRICHMENT,
    ENRICHMENT_FADE,
    WARM_UP,
    curve_of,
)
from lean_trim.core.data.tables import Axis, Table, ve_table
from lean_trim.core.data.vehicle import Injectors, TableLimits, Vehicle
from lean_trim.simcar.truth import Truth, truth_for

RPM = np.array(
    [600, 900, 1200, 1600, 2000, 2400, 2800, 3200, 3700, 4200, 4700, 5200, 5700, 6200, 6700, 7200],
    float,
)
MAP = np.array([20, 28, 36, 46, 56, 66, 76, 86, 98, 112, 128, 146, 166, 188], float)


def heron_target() -> Table:
    """Target lambda: stoichiometric at part load, richer towards and above atmospheric."""
    by_map = np.interp(MAP, [76, 92, 100, 130, 188], [1.0, 0.95, 0.88, 0.84, 0.80])
    by_map[:3] = [0.99, 0.99, 1.0]
    axes = (Axis("MAP", "kPa", MAP), Axis("engine speed", "rpm", RPM))
    return Table(
        axes, np.round(np.repeat(by_map[:, None], len(RPM), axis=1), 3), "λ", "target lambda"
    )


def heron(seed: int = 7) -> Vehicle:
    """Heron with the calibration it comes with: a table from a similar engine, wrong by several percent."""
    injectors = Injectors(
        7.6, 300.0, np.array([8.0, 10, 12, 14, 16]), np.array([1.95, 1.38, 1.02, 0.79, 0.63])
    )
    blank = ve_table(RPM, MAP, np.full((len(MAP), len(RPM)), 50.0))
    vehicle = Vehicle(
        "Heron",
        1.8,
        4,
        14.1,
        "ve",
        "wideband",
        injectors,
        blank,
        heron_target(),
        TableLimits(0.1, 5.0, 160.0),
        3.0,
        7000.0,
    )
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(RPM / 7000.0, MAP / 100.0)
    error = (
        0.085 * np.sin(3.1 * x + 0.6) * np.cos(2.3 * y)
        - 0.075 * np.exp(-(((x - 0.42) / 0.16) ** 2)) * y
        + 0.03
    )
    error = error + 0.011 * rng.standard_normal(x.shape)
    values = np.round(heron_truth(vehicle).ve_surface(x * 7000.0, y * 100.0) * (1.0 + error), 1)
    return vehicle.with_table(blank.with_values(values))


def heron_with_corrections() -> Vehicle:
    """Heron as the demo hands it out, with its ECU's corrections of fuel.

    They were written for an engine with smaller ports: half of what is needed, fading too soon.
    """
    tables = {
        ENRICHMENT: curve_of(ENRICHMENT, [0, 40, 100, 200, 400, 800], [0, 0, 6, 9, 14, 17]),
        ENRICHMENT_FADE: curve_of(ENRICHMENT_FADE, [1000, 2500, 5000], [0.4, 0.4, 0.4]),
        AFTER_CUT: curve_of(AFTER_CUT, [0.2, 1, 3, 8], [0, 3, 6, 7]),
        AFTER_CUT_FADE: curve_of(AFTER_CUT_FADE, [1000, 2500, 5000], [0.4, 0.4, 0.4]),
        WARM_UP: curve_of(WARM_UP, [-20, 0, 20, 40, 60, 80], [40, 28, 18, 10, 4, 0]),
    }
    return replace(heron(), corrections=tables)


def heron_truth(vehicle: Vehicle) -> Truth:
    """Heron's engine as it really is."""
    return truth_for(vehicle)
