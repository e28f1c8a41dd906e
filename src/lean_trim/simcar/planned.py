"""The simulated driver drives a plan: states held one after the other, then overrun and idle."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from lean_trim.simcar.plan import Leg
from lean_trim.simcar.state import Kind

LOWEST_GEAR_RPM = 1100.0
MIDDLE_GEAR_RPM = 1700.0
COAST_TO_KMH = 45.0
COAST_S = 10.0
IDLE_S = 20.0


@dataclass(frozen=True)
class State:
    """One state to hold: engine speed, 1/min, pressure, kPa, seconds, and the gear; 0 leaves it open."""

    rpm: float
    map_kpa: float
    seconds: float
    gear: int = 0


def planned_legs(states: Sequence[State]) -> Iterator[Leg]:
    """An endless plan of held states, a dynamometer or a hill holding the speed.

    Parameters
    ----------
    states : in their order.

    Returns
    -------
    Legs; overrun and idle follow the last, and idle goes on.
    """
    for state in states:
        gear = state.gear or gear_for(state.rpm)
        yield Leg(Kind.HOLD, state.seconds, gear, state.rpm, state.map_kpa, state.map_kpa)
    yield Leg(Kind.COAST, COAST_S, 4, COAST_TO_KMH)
    while True:
        yield Leg(Kind.IDLE, IDLE_S)


def gear_for(rpm: float) -> int:
    """A gear in which the driver does not shift away from a speed a brake holds."""
    if rpm < LOWEST_GEAR_RPM:
        return 1
    return 3 if rpm < MIDDLE_GEAR_RPM else 4
