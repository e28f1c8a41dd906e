"""A plan's states, ticked while they are driven."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lean_trim.core.planning.plan import Held
from lean_trim.core.planning.states import NEAR_KPA, NEAR_RPM

ENOUGH = 0.8
"""Share of its seconds after which a state is ticked: a driver is not a clock."""
LONGEST_STEP_S = 1.0
"""Between two readings; what lies further apart was not seen."""


@dataclass(frozen=True)
class Next:
    """What to hold now.

    Attributes
    ----------
    place : among the plan's states, from 0; their number where all are ticked.
    count : of the plan's states.
    state : to hold, None where all are ticked.
    held_s : of its seconds so far.
    is_there : whether the engine is in it now.
    """

    place: int
    count: int
    state: Held | None
    held_s: float = 0.0
    is_there: bool = False

    @property
    def share(self) -> float:
        """Of the seconds, 0 to 1."""
        if self.state is None:
            return 1.0
        return min(1.0, self.held_s / (ENOUGH * self.state.seconds))


class Ticks:
    """Follows a drive along a plan; states are ticked in the plan's order, one that is passed over by hand.

    Parameters
    ----------
    held : states in the plan's order.
    """

    def __init__(self, held: Sequence[Held]) -> None:
        self.held = tuple(held)
        self.place = 0
        self._held_s = 0.0
        self._last_s: float | None = None
        self._there = False

    def take(self, time_s: float, rpm: float, map_kpa: float) -> bool:
        """Take where the engine is; True if that ticks a state.

        Parameters
        ----------
        time_s : by the session's clock.
        rpm, map_kpa : of the engine.

        Returns
        -------
        Whether another state is next.
        """
        if self.place >= len(self.held):
            return False
        state = self.held[self.place]
        there = abs(rpm - state.rpm) <= NEAR_RPM and abs(map_kpa - state.map_kpa) <= NEAR_KPA
        if there and self._there and self._last_s is not None:
            self._held_s += min(max(time_s - self._last_s, 0.0), LONGEST_STEP_S)
        self._last_s = time_s
        self._there = there
        if self._held_s < ENOUGH * state.seconds:
            return False
        self.skip()
        return True

    def skip(self) -> None:
        """Go on to the next state."""
        self.place = min(self.place + 1, len(self.held))
        self._held_s = 0.0
        self._there = False

    @property
    def next(self) -> Next:
        """What to hold now."""
        if self.place >= len(self.held):
            return Next(len(self.held), len(self.held), None)
        state = self.held[self.place]
        return Next(self.place, len(self.held), state, self._held_s, self._there)
