"""The simulated driver drives a plan: states held one after the other, then overrun and idle."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.simcar.plan import Leg
from lean_trim.simcar.state import Kind


class Say:
    """Sentences of this module."""

    UNREADABLE = Message("planned.unreadable", "{path}: cannot be read ({cause})")
    NO_PLAN = Message("planned.no_plan", "{path}: is no plan.json as 'lean-trim plan' writes it")


LOWEST_GEAR_RPM = 1100.0
MIDDLE_GEAR_RPM = 1700.0
COAST_TO_KMH = 45.0
COAST_S = 10.0
WARM_UP_S = 120.0
WARM_UP_KMH = 65.0
IDLE_S = 20.0


@dataclass(frozen=True)
class State:
    """One state to hold: engine speed, 1/min, pressure, kPa, seconds, and the gear; 0 leaves it open."""

    rpm: float
    map_kpa: float
    seconds: float
    gear: int = 0


def planned_legs(states: Sequence[State], warm_up_s: float = 0.0) -> Iterator[Leg]:
    """An endless plan of held states, a dynamometer or a hill holding the speed.

    Parameters
    ----------
    states : in their order.
    warm_up_s : driven at an even speed before the first of them.

    Returns
    -------
    Legs; overrun and idle follow the last, and idle goes on.
    """
    if warm_up_s:
        yield Leg(Kind.CRUISE, warm_up_s, 4, WARM_UP_KMH)
    for state in states:
        gear = state.gear or gear_for(state.rpm)
        yield Leg(Kind.HOLD, state.seconds, gear, state.rpm, state.map_kpa, state.map_kpa)
    yield Leg(Kind.COAST, COAST_S, 4, COAST_TO_KMH)
    while True:
        yield Leg(Kind.IDLE, IDLE_S)


def states_of(path: Path) -> tuple[State, ...]:
    """The states of a plan that was written.

    Parameters
    ----------
    path : of a plan.json.

    Returns
    -------
    In the plan's order; on a road in its gears.

    Raises
    ------
    BadInputError
        Naming the file and what is wrong.
    """
    try:
        told = json.loads(path.read_text(encoding="utf-8"))
        on_road = told["where"] == "road"
        return tuple(
            State(
                rpm=float(s["rpm"]),
                map_kpa=float(s["map_kpa"]),
                seconds=float(s["seconds"]),
                gear=int(s["gear"] or 0) if on_road else 0,
            )
            for s in told["plan"]
        )
    except OSError as error:
        raise BadInputError(Say.UNREADABLE(path=path, cause=error.strerror)) from error
    except (ValueError, KeyError, TypeError) as error:
        raise BadInputError(Say.NO_PLAN(path=path)) from error


def gear_for(rpm: float) -> int:
    """A gear in which the driver does not shift away from a speed a brake holds."""
    if rpm < LOWEST_GEAR_RPM:
        return 1
    return 3 if rpm < MIDDLE_GEAR_RPM else 4
