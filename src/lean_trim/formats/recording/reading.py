"""A recording read back, whole or cut off, with what of it is lost."""

from __future__ import annotations

import json
import mmap
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.types import Floats
from lean_trim.formats.recording.frames import (
    FIRST_LINE,
    Frame,
    Kind,
    Rows,
    Stream,
    frames_in,
    rows_of,
    stream_of,
)


@dataclass(frozen=True)
class Gap:
    """A source was not heard.

    Attributes
    ----------
    source : address of it.
    from_s, to_s : since the recording began; ``to_s`` is NaN where it never came back.
    why : a sentence.
    """

    source: str
    from_s: float
    to_s: float
    why: str


@dataclass(frozen=True, eq=False)
class Recorded:
    """What a recording holds.

    Attributes
    ----------
    start : what was said at its beginning; empty if that is lost.
    streams : by number.
    rows : by number of the stream: times, shape (n,), and values, shape (channels, n).
    notes : in their order: gaps, dangers, the end.
    spoiled_bytes : between whole frames.
    cut_bytes : of a frame that was not finished, at the end.
    is_closed : whether it was ended in order.
    """

    start: Mapping[str, Any]
    streams: Mapping[int, Stream]
    rows: Mapping[int, tuple[Floats, Floats]]
    notes: tuple[Mapping[str, Any], ...]
    spoiled_bytes: int
    cut_bytes: int
    is_closed: bool

    @property
    def end_s(self) -> float:
        """Time of the last reading, s; 0 where there is none."""
        return max((float(times[-1]) for times, _ in self.rows.values()), default=0.0)

    @property
    def gaps(self) -> tuple[Gap, ...]:
        """Times in which a source was not heard."""
        found = (n for n in self.notes if n.get("note") == "gap")
        return tuple(
            Gap(str(n["source"]), float(n["from_s"]), _seconds(n.get("to_s")), str(n["why"]))
            for n in found
        )


def _seconds(value: object) -> float:
    return float(value) if isinstance(value, (int, float)) else float("nan")


def read_recording(path: Path) -> Recorded:
    """Read a recording, also one that still grows or was cut off.

    Parameters
    ----------
    path : a file that begins with ``FIRST_LINE``.

    Returns
    -------
    All of it that is whole.

    Raises
    ------
    OSError
        If it cannot be read.
    ValueError
        If it is no recording.
    """
    with path.open("rb") as f:
        if f.read(len(FIRST_LINE)) != FIRST_LINE:
            raise ValueError("no recording")
        with mmap.mmap(f.fileno(), 0, access=mmap.ACCESS_READ) as data:
            return _gathered(data)


class _Gathering:
    """What frames add up to."""

    def __init__(self) -> None:
        self.start: dict[str, Any] = {}
        self.streams: dict[int, Stream] = {}
        self.pieces: dict[int, list[Rows]] = defaultdict(list)
        self.notes: list[dict[str, Any]] = []

    def take(self, frame: Frame) -> None:
        """Take a frame; KeyError, TypeError or ValueError if it means nothing."""
        if frame.kind is Kind.ROWS:
            # Their stream may be declared later again, where its first declaration was spoiled.
            rows = rows_of(frame.content)
            self.pieces[rows.number].append(rows)
            return
        what = json.loads(frame.content)
        if frame.kind is Kind.START:
            self.start = dict(what)
        elif frame.kind is Kind.STREAM:
            number, stream = stream_of(what)
            self.streams[number] = stream
        else:
            self.notes.append(dict(what))


def _gathered(data: mmap.mmap) -> Recorded:
    found = _Gathering()
    at = len(FIRST_LINE)
    spoiled = 0
    for frame in frames_in(data):
        spoiled += frame.begin - at
        at = frame.end
        # A check sum holds by chance once in four thousand millions; then it is as spoiled as the rest.
        try:
            found.take(frame)
        except (KeyError, TypeError, ValueError):
            spoiled += frame.end - frame.begin
    rows = {}
    for number, pieces in found.pieces.items():
        channels = len(found.streams[number].channels) if number in found.streams else 0
        sound = [p for p in pieces if len(p.values) == channels]
        if sound:
            rows[number] = _joined(sound)
    return Recorded(
        start=found.start,
        streams=found.streams,
        rows=rows,
        notes=tuple(found.notes),
        spoiled_bytes=spoiled,
        cut_bytes=len(data) - at,
        is_closed=any(n.get("note") == "end" for n in found.notes),
    )


def _joined(pieces: list[Rows]) -> tuple[Floats, Floats]:
    times = np.concatenate([p.time_s for p in pieces])
    values = np.concatenate([p.values for p in pieces], axis=1)
    # A clock of an interface may step back by a little; rows go by their times.
    order = np.argsort(times, kind="stable")
    return times[order], values[:, order]
