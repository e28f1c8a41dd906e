"""A recording of stand-ins, as a user would make it."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.formats.recording.frames import SUFFIX
from lean_trim.formats.recording.journal import Journal
from lean_trim.formats.recording.reading import Recorded, read_recording
from lean_trim.live.recorder import Listener, Recorder
from lean_trim.live.registry import make_sources
from lean_trim.live.source import Clock

LONGEST_S = 30.0


def wait_for(done: Callable[[], bool], longest_s: float = LONGEST_S) -> None:
    """Wait until something is so; fails if it never is."""
    until = time.monotonic() + longest_s
    while not done():
        assert time.monotonic() < until, "waited for too long"
        time.sleep(0.005)


@contextmanager
def recording(
    path: Path,
    addresses: Sequence[str],
    clock: Clock,
    vehicle: Vehicle | None = None,
    listeners: Sequence[Listener] = (),
) -> Iterator[Recorder]:
    """A recorder that runs, and is ended in order."""
    recorder = Recorder(
        make_sources(addresses, clock, vehicle), clock, Journal(path / f"r{SUFFIX}"), listeners
    )
    recorder.start()
    try:
        yield recorder
    finally:
        recorder.stop()


def recorded_in(path: Path) -> Recorded:
    """What was recorded."""
    return read_recording(path / f"r{SUFFIX}")


def values_of(recorded: Recorded, name: str) -> list[float]:
    """Readings of a channel by its name."""
    return [
        float(v)
        for number in recorded.rows
        for place, channel in enumerate(recorded.streams[number].channels)
        if channel.name == name
        for v in recorded.rows[number][1][place]
    ]
