"""Our own recordings, whole or cut off: a stream a group, every channel with its own times."""

from __future__ import annotations

import math
from collections import Counter

from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import (
    SAMPLE_ROWS,
    Column,
    Progress,
    RawColumns,
    ReadOptions,
    Wanted,
)
from lean_trim.formats.decode.containers import Source
from lean_trim.formats.meaning.names import split_unit
from lean_trim.formats.recording.reading import Recorded, read_recording


class Say:
    """Sentences of this module."""

    NOTHING = Message("recorded.nothing", "{path}: is a recording in which nothing was received")
    CUT_OFF = Message(
        "recorded.cut_off", "the recording was not ended in order; it is read to {end:.1f} s"
    )
    SPOILED = Message(
        "recorded.spoiled", "{count:,} bytes of the recording are spoiled and were passed over"
    )
    GAP = Message("recorded.gap", "{source} was not heard from {start:.1f} to {end:.1f} s: {why}")
    DANGER = Message("recorded.danger", "at {at:.1f} s a danger was told: {said}")
    DANGER_MARK = Message("recorded.danger_mark", "Danger: {said}")
    USER_MARK = Message("recorded.user_mark", "set while driving")
    LOST = Message("recorded.lost", "{source} was not heard after {start:.1f} s: {why}")


KIND = "recording"
JOINT_S = 1.0
"""A gap from which nothing is carried over: what goes on as before goes on a second."""


def read_recorded(
    source: Source, wanted: Wanted, options: ReadOptions, progress: Progress | None
) -> RawColumns:
    """Read a recording of a running car.

    Parameters
    ----------
    source : an opened file.
    wanted : tells which columns are read whole.
    options, progress : not used; reading an hour takes a second.

    Returns
    -------
    Columns as they were received, with the times they arrived at.

    Raises
    ------
    LogError
        If nothing was received.
    """
    with source.as_path() as path:
        recorded = read_recording(path)
    if not recorded.rows:
        raise LogError(Say.NOTHING(path=source.path))
    columns, places = columns_of(recorded)
    chosen = wanted(columns)
    values: dict[int, Floats] = {}
    samples: dict[int, Floats] = {}
    for column, (number, channel) in zip(columns, places, strict=True):
        read = recorded.rows[number][1][channel]
        if column.index in chosen:
            values[column.index] = read
        else:
            samples[column.index] = read[:SAMPLE_ROWS]
    times = {c.group: recorded.rows[p[0]][0] for c, p in zip(columns, places, strict=True)}
    return RawColumns(
        columns=columns,
        values=values,
        kind=KIND,
        times=times,
        samples=samples,
        notes=_notes(recorded),
        joints_s=joints_of(recorded),
        bookmarks=bookmarks_of(recorded),
    )


def columns_of(recorded: Recorded) -> tuple[tuple[Column, ...], tuple[tuple[int, int], ...]]:
    """Columns of a recording, and of each the stream's number and its place in it.

    Names that several streams have are told apart by their sources.
    """
    numbers = sorted(recorded.rows)
    names = Counter(c.name for n in numbers for c in recorded.streams[n].channels)
    columns: list[Column] = []
    places: list[tuple[int, int]] = []
    for group, number in enumerate(numbers):
        stream = recorded.streams[number]
        for place, channel in enumerate(stream.channels):
            name, unit = split_unit(channel.name)
            shown = name if names[channel.name] == 1 else f"{name} [{stream.source}]"
            columns.append(Column(len(columns), shown, channel.unit or unit, group))
            places.append((number, place))
    return tuple(columns), tuple(places)


def joints_of(recorded: Recorded) -> tuple[float, ...]:
    """Times from which on a source was heard again after a gap."""
    ends = {g.to_s for g in recorded.gaps if g.to_s - g.from_s >= JOINT_S}
    return tuple(sorted(e for e in ends if 0.0 < e < recorded.end_s))


def bookmarks_of(recorded: Recorded) -> tuple[tuple[float, str], ...]:
    """Where a danger began and where the user set a bookmark: time, s, and text."""
    found = []
    for note in recorded.notes:
        if note.get("note") == "danger":
            at = note.get("from_s", note["time_s"])
            found.append((float(at), str(Say.DANGER_MARK(said=note["said"]))))
        elif note.get("note") == "bookmark":
            found.append((float(note["at_s"]), str(Say.USER_MARK())))
    return tuple(sorted(found))


def _notes(recorded: Recorded) -> tuple[str, ...]:
    notes = [] if recorded.is_closed else [str(Say.CUT_OFF(end=recorded.end_s))]
    if recorded.spoiled_bytes:
        notes.append(str(Say.SPOILED(count=recorded.spoiled_bytes)))
    for gap in recorded.gaps:
        said = Say.LOST if math.isnan(gap.to_s) else Say.GAP
        notes.append(str(said(source=gap.source, start=gap.from_s, end=gap.to_s, why=gap.why)))
    for danger in (n for n in recorded.notes if n.get("note") == "danger"):
        notes.append(str(Say.DANGER(at=float(danger["time_s"]), said=danger["said"])))
    return tuple(notes)
