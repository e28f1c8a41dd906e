"""The fuel film on the port walls: how much less (or more) fuel reaches the cylinder than was injected.

A share X of the injected fuel joins the film and leaves it with the time constant τ: dm/dt = X·f -
m/τ, and the cylinder gets (1 - X)·f + m/τ. With the injected flow passed through a first-order lag,
L = lag_τ(f), this is f·(1 - X·h) with h = 1 - L/f: zero in steady state, positive while fuelling
rises (lean), negative while it falls (rich). For a given τ the error is linear in X, so X can be
estimated together with the airflow table instead of being mistaken for it.

References
----------
Aquino, SAE 810494 (from memory).
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import as_loop
from lean_trim.core.drive.frame import Frame
from lean_trim.core.types import Floats

GAP_S = 3.0
DEFAULT_TAU_S = 0.5
"""Time constant assumed for a warm engine (0.2 to 0.8 s, common practice, no source)."""
MIDDLE_KPA = 50.0
"""Manifold pressure X is told for: the middle of part load."""
USUAL_SLOPE = 0.08
"""Rise of X per 100 kPa where a drive does not tell (a choice within published X-tau models)."""


def injected_flow(frame: Frame) -> Floats:
    """Injected fuel flow up to a constant factor, shape (n,); 0 in a fuel cut.

    Parameters
    ----------
    frame : a log seen through its calibration.

    Returns
    -------
    Fuel flow relative to itself, shape (n,).
    """
    from lean_trim.core.kernels.fuel_loops import fuel_flow

    width = frame.log[Role.PULSE_WIDTH] if Role.PULSE_WIDTH in frame.log else np.array([])
    return fuel_flow(
        as_loop(frame.flow_g_per_s),
        as_loop(frame.target),
        as_loop(frame.trim),
        as_loop(frame.fuel_ratio),
        as_loop(width),
    )


def film_uptake(frame: Frame, tau_s: float = DEFAULT_TAU_S) -> Floats:
    """The h of the module's text, shape (n,), limited to ±1.

    The lag starts in steady state and after every joint.

    Parameters
    ----------
    frame : a log seen through its calibration.
    tau_s : time constant of evaporation, s, > 0.

    Returns
    -------
    Share of the fuel that a film of X = 1 would withhold, -1 to 1, shape (n,).
    """
    from lean_trim.core.kernels.fuel_loops import above_lag

    flow = injected_flow(frame)
    return above_lag(flow, first_order_lag(frame.log.time_s, flow, tau_s))


def first_order_lag(time_s: Floats, values: Floats, tau_s: float) -> Floats:
    """Response of a first-order lag to values held between samples.

    Uneven time is fine, gaps over 3 s start anew.

    Parameters
    ----------
    time_s : shape (n,), rising, s.
    values : shape (n,), finite.
    tau_s : time constant, s, > 0.

    Returns
    -------
    The lagged values, shape (n,).
    """
    from lean_trim.core.kernels.log_loops import lag

    return lag(as_loop(time_s), as_loop(values), float(tau_s), GAP_S)
