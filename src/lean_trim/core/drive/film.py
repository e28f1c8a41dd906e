"""The fuel film on the port walls: how much less (or more) fuel reaches the cylinder than was injected.

A share X of the injected fuel f joins the film and leaves it with the time constant τ: dm/dt = X·f -
m/τ, and the cylinder gets f - X·f + m/τ. More of the fuel lands on the walls the less the manifold
sucks it off them, and it evaporates sooner the faster the engine turns: X rises with manifold
pressure, τ falls with engine speed. For a given τ the error is linear in X, so X can be estimated
together with the airflow table instead of being mistaken for it; the Transients desk estimates all
of them with the same two laws.

References
----------
Aquino, SAE 810494 (from memory).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import held
from lean_trim.core.data.log import as_loop
from lean_trim.core.drive.frame import Frame
from lean_trim.core.types import Floats

GAP_S = 3.0
DEFAULT_TAU_S = 0.5
"""Time constant assumed for a warm engine (0.2 to 0.8 s, common practice, no source)."""
MIDDLE_KPA = 50.0
"""Manifold pressure X is told for: the middle of part load."""
MIDDLE_RPM = 2000.0
"""Engine speed τ is told for."""
USUAL_SHARE = 0.2
"""X where a drive does not tell (published X-τ models of port injection: 0.1 to 0.4; from
memory)."""
USUAL_SLOPE = 0.08
"""Rise of X per 100 kPa where a drive does not tell (a choice within published X-tau models)."""
USUAL_QUICKER = 0.05
"""Fall of ln τ per 1000 rpm where a drive does not tell (a choice; no source)."""
MOST_SHARE = 0.8
"""Largest X the model takes; near 1 nothing of an injection would reach the cylinder at once."""


@dataclass(frozen=True, eq=False)
class Film:
    """Fuel on its way along a drive, for a film of X = 1 at ``MIDDLE_KPA``; shape (n,) each.

    Attributes
    ----------
    flow : injected.
    joins : of it the part that joins the film; over ``flow`` where X rises with pressure.
    leaves : evaporated from the film.
    """

    flow: Floats
    joins: Floats
    leaves: Floats

    @property
    def withheld(self) -> Floats:
        """Share of the injected fuel that is kept back, -1 to 1, shape (n,); -1 where the flow stopped."""
        from lean_trim.core.kernels.fuel_loops import kept_back

        return kept_back(self.flow, self.joins, self.leaves)

    def reaching(self, share: float) -> Floats:
        """Fuel that reaches the cylinder.

        Parameters
        ----------
        share : X at ``MIDDLE_KPA``, 0 to ``MOST_SHARE``.

        Returns
        -------
        In the unit of ``flow``, >= 0, shape (n,).
        """
        return np.maximum(self.flow - share * (self.joins - self.leaves), 0.0)


def share_at(map_kpa: Floats, share: float, slope: float) -> Floats:
    """X at a manifold pressure.

    Parameters
    ----------
    map_kpa : shape (n,), kPa.
    share, slope : X at ``MIDDLE_KPA`` and its rise per 100 kPa.

    Returns
    -------
    0 to ``MOST_SHARE``, shape (n,).
    """
    return np.asarray(np.clip(share + slope * (map_kpa - MIDDLE_KPA) / 100.0, 0.0, MOST_SHARE))


def time_constant(rpm: Floats, tau_s: float, quicker: float) -> Floats:
    """Time constant of evaporation at an engine speed.

    Parameters
    ----------
    rpm : shape (n,), 1/min.
    tau_s : at ``MIDDLE_RPM``, s, > 0.
    quicker : fall of its logarithm per 1000 rpm.

    Returns
    -------
    s, shape (n,).
    """
    return np.asarray(tau_s * np.exp(-quicker * (rpm - MIDDLE_RPM) / 1000.0))


def joining(frame: Frame, flow: Floats) -> Floats:
    """Fuel that joins a film of X = 1 at ``MIDDLE_KPA`` and the usual slope, shape (n,).

    Parameters
    ----------
    frame : a log seen through its calibration.
    flow : injected, shape (n,).

    Returns
    -------
    In the unit of ``flow``, shape (n,); ``flow`` itself without manifold pressure.
    """
    if Role.MAP not in frame.log:
        return flow
    there = share_at(held(frame.log[Role.MAP]), USUAL_SHARE, USUAL_SLOPE)
    return as_loop(flow * there / USUAL_SHARE)


def film_of(frame: Frame, tau_s: float = DEFAULT_TAU_S) -> Film:
    """The film along a log; settled at its first sample and after every joint.

    Parameters
    ----------
    frame : a log seen through its calibration.
    tau_s : time constant of evaporation at ``MIDDLE_RPM``, s, > 0.

    Returns
    -------
    What was injected, joined and left, up to the share X.
    """
    from lean_trim.core.kernels.fuel_loops import evaporated

    flow = injected_flow(frame)
    joins = joining(frame, flow)
    tau = time_constant(held(frame.log[Role.RPM]), tau_s, USUAL_QUICKER)
    return Film(flow, joins, evaporated(frame.log.time_s, joins, as_loop(tau), GAP_S))


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
    """Share of the fuel that a film of X = 1 would withhold, -1 to 1, shape (n,).

    Zero in steady state, positive while fuelling rises (lean), negative while it falls (rich).

    Parameters
    ----------
    frame : a log seen through its calibration.
    tau_s : time constant of evaporation at ``MIDDLE_RPM``, s, > 0.

    Returns
    -------
    Shape (n,).
    """
    return film_of(frame, tau_s).withheld
