"""Plover, the invented city car that gets larger injectors.

A 1.2-litre three on E10, speed-density, wideband.
What its seller said of the new injectors is off by a few percent and a tenth of a millisecond.
"""

from __future__ import annotations

import math

import numpy as np

from lean_trim.core.data.tables import Axis, Table, ve_table
from lean_trim.core.data.vehicle import Injectors, TableLimits, Vehicle
from lean_trim.simcar.injectors import TrueInjectors
from lean_trim.simcar.truth import truth_for

RPM = np.array([700, 1000, 1400, 1800, 2300, 2800, 3400, 4000, 4600, 5200, 5800, 6400], float)
MAP = np.array([20, 27, 35, 44, 54, 65, 77, 90, 103], float)
VOLTS = (8.0, 10.0, 12.0, 14.0, 16.0)
SAID_FLOW = 5.6
SAID_DEAD_MS = (2.05, 1.46, 1.08, 0.84, 0.68)
"""What the seller's sheet says, and the ECU was told: g/s at 300 kPa, and ms."""
FLOW_SPREAD = 0.07
DEAD_SPREAD_MS = 0.12
GOOD_PCT = 0.4
BENT_PCT = 6.0
SEED = 8


def plover_injectors(seed: int = SEED) -> TrueInjectors:
    """What went in: off what was said by seeded amounts."""
    rng = np.random.default_rng([seed, 3])
    scale = math.exp(rng.normal(0.0, FLOW_SPREAD))
    shift = float(rng.normal(0.0, DEAD_SPREAD_MS))
    return TrueInjectors(
        flow_g_per_s=SAID_FLOW * scale,
        volts=VOLTS,
        dead_ms=tuple(ms + shift for ms in SAID_DEAD_MS),
    )


def plover(seed: int = SEED, bent: bool = False) -> Vehicle:
    """Plover with the seller's injector data in its ECU.

    The airflow table was made good on the old injectors; ``bent`` is one that was not.
    """
    blank = ve_table(RPM, MAP, np.full((len(MAP), len(RPM)), 50.0))
    axes = (Axis("MAP", "kPa", MAP), Axis("engine speed", "rpm", RPM))
    richer = np.interp(MAP, [80.0, 92.0, 103.0], [1.0, 0.95, 0.89])
    target = Table(
        axes, np.round(np.repeat(richer[:, None], len(RPM), axis=1), 3), "λ", "target lambda"
    )
    vehicle = Vehicle(
        name="Plover, bent table" if bent else "Plover",
        displacement_l=1.2,
        cylinders=3,
        stoich_afr=14.1,
        airflow="ve",
        feedback="wideband",
        injectors=Injectors(SAID_FLOW, 300.0, np.array(VOLTS), np.array(SAID_DEAD_MS)),
        table=blank,
        target=target,
        limits=TableLimits(0.1, 5.0, 160.0),
        exhaust_volume_l=2.1,
        redline_rpm=6400.0,
    )
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(RPM / 6400.0, MAP / 100.0)
    error = GOOD_PCT / 100.0 * rng.standard_normal(x.shape)
    if bent:
        error = error + BENT_PCT / 100.0 * np.sin(3.0 * x + 0.4) * np.cos(1.8 * y)
    values = truth_for(vehicle).ve_surface(x * 6400.0, y * 100.0) * (1.0 + error)
    return vehicle.with_table(blank.with_values(np.round(values, 1)))
