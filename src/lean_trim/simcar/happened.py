"""What really happened on a simulated drive: feet, gears and fuel, told by the driver and the ECU themselves.

Nothing here is read from a log, so that what is found in logs can be held against it.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from lean_trim.simcar.state import Array

What = Literal["opened", "closed", "fuel back"]
LEAST_PCT = 5.0
"""Distance of the pedal from where the driver wants it, from which it is a movement."""
QUICK_PCT_PER_S = 40.0
"""A pedal that is moved more slowly on the whole moves nothing quickly."""


@dataclass(frozen=True)
class Happened:
    """One thing.

    ``size`` is the way of the pedal, percent, or the length of a cut, s; ``shifting`` is True from
    when the driver takes the gear out to half a second after the next is in, ``standing`` on a car
    that does not move.
    """

    what: What
    time_s: float
    size: float
    rpm: float
    shifting: bool
    standing: bool


@dataclass
class _Move:
    way: float
    began_s: float
    from_pct: float
    rpm: float
    shifting: bool
    standing: bool


@dataclass
class Watcher:
    """Follows one drive step by step."""

    happened: list[Happened] = field(default_factory=list)
    move: _Move | None = None
    last_pedal: float = 0.0
    cut_since: float | None = None
    shifted_at: float = -9.0

    def follow(self, trace: Array, dt: float) -> None:
        """Take in the steps of a piece: time, pedal, rpm, speed, shifting, fuel cut, (n, 6)."""
        for time_s, pedal, rpm, speed, shifting, cutting in trace.tolist():
            self.step(
                time_s,
                pedal_pct=pedal,
                rpm=rpm,
                speed_kmh=speed,
                shifting=bool(shifting),
                cutting=bool(cutting),
                dt=dt,
            )

    def step(
        self,
        time_s: float,
        *,
        pedal_pct: float,
        rpm: float,
        speed_kmh: float,
        shifting: bool,
        cutting: bool,
        dt: float,
    ) -> None:
        """Take in one step."""
        if shifting:
            self.shifted_at = time_s
        self._foot(time_s, pedal_pct, rpm, speed_kmh, dt)
        if cutting:
            self.cut_since = time_s if self.cut_since is None else self.cut_since
        elif self.cut_since is not None:
            self._add("fuel back", time_s, time_s - self.cut_since, rpm, speed_kmh)
            self.cut_since = None

    def _foot(
        self, time_s: float, pedal_pct: float, rpm: float, speed_kmh: float, dt: float
    ) -> None:
        rate = (pedal_pct - self.last_pedal) / dt
        way = 1.0 if rate > QUICK_PCT_PER_S else -1.0 if rate < -QUICK_PCT_PER_S else 0.0
        if self.move is not None and way != self.move.way:
            moved = abs(self.last_pedal - self.move.from_pct)
            if moved >= LEAST_PCT:
                what: What = "opened" if self.move.way > 0.0 else "closed"
                m = self.move
                shifting = m.shifting or time_s - self.shifted_at < 0.5
                self.happened.append(Happened(what, m.began_s, moved, m.rpm, shifting, m.standing))
            self.move = None
        if self.move is None and way:
            near_shift = time_s - self.shifted_at < 0.5
            self.move = _Move(way, time_s, self.last_pedal, rpm, near_shift, speed_kmh < 3.0)
        self.last_pedal = pedal_pct

    def _add(self, what: What, time_s: float, size: float, rpm: float, speed_kmh: float) -> None:
        near_shift = time_s - self.shifted_at < 0.5
        self.happened.append(Happened(what, time_s, size, rpm, near_shift, speed_kmh < 3.0))
