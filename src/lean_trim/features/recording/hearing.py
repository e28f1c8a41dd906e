"""One drive as it is heard: what channels mean, which watches see something, where the plan stands.

Shared by the recorder's thread, which brings readings, and the window's, which looks.
"""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.planning.plan import Held
from lean_trim.core.types import Floats
from lean_trim.features.recording.memory import Memory, recalled, settled
from lean_trim.formats.recording.frames import Stream
from lean_trim.live.recorder import State
from lean_trim.live.roles import Following, Meanings
from lean_trim.live.source import Reading
from lean_trim.live.ticks import Next, Ticks
from lean_trim.live.visits import Visits
from lean_trim.live.watch.watch import Danger, Watch, WatchState


@dataclass(frozen=True, eq=False)
class Now:
    """How the drive stands at a moment.

    Attributes
    ----------
    seconds : since it began.
    values : newest reading by role.
    target : wanted λ.
    watches : every watch.
    next : of the plan.
    state : of the recording.
    listens : whether the drive has not started yet.
    two_banks : whether λ is the leaner of two banks.
    seconds_by_cell : driven, in the table's shape.
    here : indices of the cell the engine is in; None where that is not known.
    """

    seconds: float
    values: Mapping[Role, float]
    target: float
    watches: tuple[WatchState, ...]
    next: Next
    state: State
    listens: bool
    two_banks: bool
    seconds_by_cell: Floats
    here: tuple[int, ...] | None


class Hearing:
    """Takes what a drive's sources say.

    Parameters
    ----------
    vehicle : whose car is driven.
    held : states of the plan, in its order.
    memory : what channels meant when they were last heard.
    """

    def __init__(self, vehicle: Vehicle, held: Sequence[Held], memory: Memory) -> None:
        self.memory = memory
        self.watch = Watch(vehicle)
        self.ticks = Ticks(held)
        self.visits = Visits(vehicle)
        self.listens = True
        self._lock = threading.Lock()
        self._streams: dict[Stream, None] = {}
        self._following = Following({})
        self._found: Meanings = {}

    def hear(self, readings: Sequence[Reading]) -> list[Danger]:
        """Take readings; returns the dangers they complete.

        Parameters
        ----------
        readings : in the order of their times.

        Returns
        -------
        New dangers.
        """
        with self._lock:
            before = len(self._streams)
            self._streams.update(dict.fromkeys(r.stream for r in readings))
            if len(self._streams) > before:
                self._settle()
            met = self.watch.take(self._following.samples_of(readings))
            newest = self.watch.newest
            if not self.listens and Role.RPM in newest.values:
                at = newest.times_s[Role.RPM]
                self.visits.take(at, newest.values)
                if Role.MAP in newest.values:
                    self.ticks.take(at, newest.values[Role.RPM], newest.values[Role.MAP])
        return met

    def _settle(self) -> tuple[str, ...]:
        """The lock is held."""
        meanings, others = settled(self._found, recalled(self._streams, self.memory))
        # What two banks said last stays while they mean the same.
        if meanings != self._following.meanings:
            self._following = Following(meanings)
        return others

    def understand(self, found: Meanings) -> tuple[str, ...]:
        """Take what channels were understood to mean.

        Parameters
        ----------
        found : of the recording so far.

        Returns
        -------
        Names of channels that mean something else than when they were last heard.
        """
        with self._lock:
            self._found = found
            return self._settle()

    @property
    def meanings(self) -> Meanings:
        """What channels mean now."""
        with self._lock:
            return dict(self._following.meanings)

    def now(self, now_s: float, state: State) -> Now:
        """How the drive stands.

        Parameters
        ----------
        now_s : by the session's clock.
        state : of the recording.

        Returns
        -------
        Copies, for the window.
        """
        with self._lock:
            return Now(
                seconds=now_s,
                values=dict(self.watch.newest.values),
                target=self.watch.newest.target,
                watches=self.watch.states(now_s),
                next=self.ticks.next,
                state=state,
                listens=self.listens,
                two_banks=self._following.two_banks,
                seconds_by_cell=self.visits.seconds.copy(),
                here=self.visits.here,
            )

    def start(self) -> None:
        """The drive starts: the plan counts from now on."""
        with self._lock:
            self.listens = False

    def skip(self) -> None:
        """Pass over the plan's state."""
        with self._lock:
            self.ticks.skip()
