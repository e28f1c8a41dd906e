"""Readings that lie ready with their times, handed out at a pace."""

from __future__ import annotations

import heapq
import time
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from lean_trim.core.types import Floats
from lean_trim.formats.recording.frames import Stream
from lean_trim.live.source import WAIT_S, Clock, Reading

PACES = (0.01, 100_000.0)
"""How many times faster than it was driven a drive may be played."""
AT_ONCE = 2000
"""Readings handed out by one look, so that a fast pace fills no memory."""


@dataclass(frozen=True, eq=False)
class Track:
    """Readings of one stream: times, s, shape (n,), and values, shape (channels, n)."""

    stream: Stream
    time_s: Floats
    values: Floats


def readings_of(tracks: Iterable[Track]) -> Iterator[Reading]:
    """Readings of several streams in the order of their times."""
    yield from heapq.merge(*(_readings(t) for t in tracks), key=lambda r: r.time_s)


def _readings(track: Track) -> Iterator[Reading]:
    rows = track.values.T.tolist()
    for at, row in zip(track.time_s.tolist(), rows, strict=True):
        yield Reading(track.stream, at, tuple(row))


class Player:
    """Hands readings out when their time has come.

    Parameters
    ----------
    readings : in the order of their times, which begin anywhere.
    clock : of the session.
    pace : times faster than the readings' own times.
    """

    def __init__(self, readings: Iterator[Reading], clock: Clock, pace: float) -> None:
        self._readings = readings
        self._clock = clock
        self._pace = pace
        self._next = next(readings, None)
        self._zero_s = 0.0 if self._next is None else self._next.time_s
        self._begun_s = clock.now()

    def due(self) -> Sequence[Reading]:
        """What is due, waiting at most ``WAIT_S``; EOFError after the last reading."""
        if self._next is None:
            raise EOFError
        wait_s = self._due_in(self._next)
        if wait_s > 0.0:
            time.sleep(min(wait_s, WAIT_S))
        out: list[Reading] = []
        while self._next is not None and len(out) < AT_ONCE and self._due_in(self._next) <= 0.0:
            at = self._begun_s + self._next.time_s - self._zero_s
            out.append(Reading(self._next.stream, at, self._next.values))
            self._next = next(self._readings, None)
        return out

    def _due_in(self, reading: Reading) -> float:
        return (reading.time_s - self._zero_s) / self._pace - (self._clock.now() - self._begun_s)
