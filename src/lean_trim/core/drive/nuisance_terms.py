"""What makes k differ beside the table, alike everywhere: wall film, warm-up, a soaked sensor, charge heat.

Each is a known course along the log times one unknown coefficient, estimated together with the
table, so that it is not mistaken for the table. All are 0 for a warm, settled engine in steady
state, which is what a correction is meant for.

film : share X of a rise of fuel that stays on the port walls, see ``film``.
cold : fuel that does not burn, per kelvin of coolant below 75 °C (order of 0.001, common practice).
    Warm-up enrichment itself is known where the pulse width is.
soak : after a restart with a hot air sensor its reading falls for minutes; share of that fall that
    the air did not share. Without such a fall in the log: an error that fades with 150 s after a
    hot start.
heat : the charge is warmed on its way by share · (coolant - air) · exp(-flow / 15 g/s), which no
    sensor sees; what a warm engine has of it is the table's.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import Log, as_loop
from lean_trim.core.data.table_kinds import row_pressures
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import DEFAULT_CHARGE_C
from lean_trim.core.drive.frame import Frame
from lean_trim.core.physics import KELVIN, air_flow_g_per_s, cylinder_air_g
from lean_trim.core.types import Floats


class Term(StrEnum):
    """Names of the terms; values are their keys in files."""

    FILM = "film"
    COLD = "cold"
    SOAK = "soak"
    HEAT = "heat"
    SMALL = "small"


SPREADS: dict[Term, float] = {Term.COLD: 0.0015, Term.SOAK: 1.0, Term.HEAT: 0.1, Term.SMALL: 0.15}
"""Standard deviations of the coefficients before any driving: 1/K, shares, ms (common practice)."""
COLD_BELOW_C = 75.0
"""Coolant below which fuel may stay unburnt, °C; a warm engine is above it at any load."""
LEAST_COLD_K = 3.0
"""Coolant this far below is worth a term."""
FLOW_G_PER_S = 15.0
"""Airflow at which the charge takes up 1/e of what heat it could, g/s (the usual course of air that
is warmed on its way; a choice)."""
HOT_START_C = 60.0
"""Coolant from which a drive begins hot, so that the air sensor may have soaked, °C."""
SOAK_S = 150.0
"""Time constant in which a soaked sensor cools in the air that is drawn in, s (common practice, no
source)."""
SOAK_SPREAD = 0.02
"""A hot start whose sensor shows nothing: error at its beginning, one standard deviation."""
LEAST_FALL_K = 5.0
"""Fall of the intake temperature after a hot start that shows a soaked sensor, K."""
FALL_S = 900.0
"""Within so long after the start, s."""
FALL_TAUS_S = (60.0, 90.0, 120.0, 150.0, 200.0, 270.0, 360.0)
"""A fall of intake air after a start is looked for in the first minutes, with these time
constants."""
LEAST_HEAT = 0.01
"""Largest value of the heat term, at a coefficient of 1, from which it is worth one."""
WARM_C = 80.0
"""Coolant from which the usual heat of the charge is read, °C."""
WARM_ABOVE_AIR_K = 60.0
"""How far coolant is above intake air in a warm engine (common practice, no source)."""
MANY = 20_000
"""Rows the usual heat is read from; more of them say the same."""


@dataclass(frozen=True, eq=False)
class SharedTerms:
    """Courses of the terms along a log.

    Attributes
    ----------
    names : which terms there are, in order; the film first.
    values : their courses, (q, n).
    usual_k : how far coolant is above intake air in a warm engine, K, which is what the heat term
        is counted from; NaN where it was not told.
    """

    names: tuple[Term, ...]
    values: Floats
    usual_k: float = np.nan


def nuisance_terms(frame: Frame, film: Floats, usual_k: float = np.nan) -> SharedTerms:
    """The terms that can show in a log; those that stay 0 are left out.

    Parameters
    ----------
    frame : a log seen through its calibration.
    film : uptake of the wall film, shape (n,).
    usual_k : coolant above intake air, K, where other logs of the same car told it.

    Returns
    -------
    Names and courses.
    """
    found: dict[Term, Floats] = {Term.FILM: film}
    coolant = held(frame.log[Role.COOLANT]) if Role.COOLANT in frame.log else None
    if coolant is not None:
        cold = np.maximum(COLD_BELOW_C - coolant, 0.0)
        if cold.max() > LEAST_COLD_K:
            found[Term.COLD] = cold
    # A mass-airflow sensor weighs the air; its temperature is in the reading.
    if frame.vehicle.is_speed_density and Role.IAT in frame.log:
        soak = _soak(frame.log, coolant)
        if soak.any():
            found[Term.SOAK] = soak
        if coolant is not None:
            usual_k = usual_k if np.isfinite(usual_k) else _usual_k(frame.log, coolant)
            heat = _heat(frame, coolant, usual_k)
            if max(heat.max(), -heat.min()) > LEAST_HEAT:
                found[Term.HEAT] = heat
    return SharedTerms(tuple(found), np.array(list(found.values())), usual_k)


def _soak(log: Log, coolant: Floats | None) -> Floats:
    """Relative density error at a share of 1 along the log: of every recording that begins with hot air."""
    air = held(log[Role.IAT])
    out = np.zeros(len(log))
    begins = [0, *np.searchsorted(log.time_s, log.joints_s).tolist(), len(log)]
    for begin, end in pairwise(begins):
        piece = slice(begin, end)
        since = log.time_s[piece] - log.time_s[begin]
        fall, tau = _fall(since, air[piece])
        if fall > LEAST_FALL_K:
            out[piece] = fall * np.exp(-since / tau) / (air[piece] + KELVIN)
        elif coolant is not None and coolant[begin] > HOT_START_C:
            out[piece] = SOAK_SPREAD * np.exp(-since / SOAK_S)
    return out


def _fall(since_s: Floats, air_c: Floats) -> tuple[float, float]:
    """How far intake air falls after a start as an exponential, K, and its time constant, s."""
    early = np.flatnonzero(since_s <= FALL_S)
    early = early[:: max(1, len(early) // 2000)]
    if len(early) < 10:
        return 0.0, SOAK_S
    best = (np.inf, 0.0, SOAK_S)
    for tau in FALL_TAUS_S:
        design = np.stack([np.ones(len(early)), np.exp(-since_s[early] / tau)], axis=1)
        found = np.linalg.lstsq(design, air_c[early], rcond=None)[0]
        left = float(np.sum((air_c[early] - design @ found) ** 2))
        best = min(best, (left, float(found[1]), tau))
    return best[1], best[2]


def _usual_k(log: Log, coolant: Floats) -> float:
    """Coolant above intake air of the warm engine, K."""
    air = held(log[Role.IAT])
    # A part of a long log tells its usual warmth as well as the whole.
    some = slice(None, None, max(1, len(air) // MANY))
    warm = coolant[some] > min(WARM_C, float(coolant.max()) - 1.0)
    return float(np.median((coolant[some] - air[some])[warm])) if warm.any() else 0.0


def _heat(frame: Frame, coolant: Floats, usual_k: float) -> Floats:
    """Relative density error at a share of 1, less that of the warm engine at the same flow."""
    from lean_trim.core.kernels.fuel_loops import unseen_heat

    air = as_loop(held(frame.log[Role.IAT]))
    flow = as_loop(frame.flow_g_per_s)
    return unseen_heat(as_loop(coolant), air, flow, usual_k, FLOW_G_PER_S, KELVIN)


def heat_by_cell(vehicle: Vehicle) -> Floats:
    """How much of a warm engine's correction is unseen heat at a heat share of 1, in the table's shape.

    Warm driving cannot tell heat from filling, so a table holds the heat of the day it was driven
    on, and is off by part of it on another. 0 for a mass-airflow sensor, which weighs the air.

    Parameters
    ----------
    vehicle : with its airflow table.
    """
    table = vehicle.table
    pressures = row_pressures(table)
    if not vehicle.is_speed_density or pressures is None:
        return np.zeros(table.shape)
    pressure, rpm = np.meshgrid(pressures, table.axes[1].points, indexing="ij")
    charge = np.full(table.shape, DEFAULT_CHARGE_C)
    air_g = cylinder_air_g(table.values, pressure, charge, vehicle.cylinder_l)
    flow = air_flow_g_per_s(air_g, rpm, vehicle.cylinders)
    return np.asarray(WARM_ABOVE_AIR_K / (DEFAULT_CHARGE_C + KELVIN) * np.exp(-flow / FLOW_G_PER_S))


def spreads_of(names: tuple[Term, ...], film_spread: float) -> Floats:
    """Standard deviation of every coefficient before any driving.

    Parameters
    ----------
    names : terms in order.
    film_spread : of the film's share.

    Returns
    -------
    Shape (q,).
    """
    return np.array([film_spread if name is Term.FILM else SPREADS[name] for name in names])
