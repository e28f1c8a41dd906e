"""A recording written as MDF4, every channel with its own times, or as CSV, every time a row."""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import numpy as np

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Ints
from lean_trim.formats.recording.reading import Recorded


class Say:
    """Sentences of this module."""

    UNKNOWN = Message("export.unknown", "{path}: a recording is written as one of {allowed}")
    NOTHING = Message("export.nothing", "nothing was received; no {path} is written")


TIME_DIGITS = 4
PART = ".part"


def channel_names(recorded: Recorded) -> dict[tuple[int, int], str]:
    """A name of its own for every channel, by stream and place; names several sources have say whose."""
    all_names = [c.name for n in recorded.rows for c in recorded.streams[n].channels]
    times = Counter(all_names)
    out: dict[tuple[int, int], str] = {}
    taken: Counter[str] = Counter()
    for number in sorted(recorded.rows):
        stream = recorded.streams[number]
        for place, channel in enumerate(stream.channels):
            own = channel.name if times[channel.name] == 1 else f"{channel.name} [{stream.source}]"
            taken[own] += 1
            out[number, place] = own if taken[own] == 1 else f"{own} {taken[own]}"
    return out


def write_mdf(recorded: Recorded, path: Path) -> None:
    """Write it as MDF 4.10: a group per stream, compressed.

    Parameters
    ----------
    recorded : a recording.
    path : replaced when all of it is written.

    References
    ----------
    ASAM MDF 4.1.
    """
    from asammdf import MDF, Signal

    names = channel_names(recorded)
    with MDF(version="4.10") as mdf:
        began = _began(recorded)
        if began is not None:
            mdf.header.start_time = began
        for number in sorted(recorded.rows):
            times, values = recorded.rows[number]
            stream = recorded.streams[number]
            signals = [
                Signal(
                    samples=np.ascontiguousarray(values[place]),
                    timestamps=times,
                    unit=channel.unit,
                    name=names[number, place],
                )
                for place, channel in enumerate(stream.channels)
            ]
            mdf.append(signals, comment=f"{stream.source} {stream.name}", common_timebase=True)
        # The library gives a file its own ending; ours gets its name when it is whole.
        part = path.with_name(path.name + PART + ".mf4")
        _whole(lambda: mdf.save(part, overwrite=True, compression=1), part, path)


def write_csv(recorded: Recorded, path: Path) -> None:
    """Write it as CSV: a column a channel, blank in rows that brought it nothing.

    Parameters
    ----------
    recorded : a recording.
    path : replaced when all of it is written.
    """
    import polars as pl

    rows, places = _rows(recorded)
    names = channel_names(recorded)
    columns: dict[str, Floats] = {"Time (s)": rows}
    for number in sorted(recorded.rows):
        values = recorded.rows[number][1]
        for place, channel in enumerate(recorded.streams[number].channels):
            column = np.full(len(rows), np.nan)
            column[places[number]] = values[place]
            unit = f" ({channel.unit})" if channel.unit else ""
            columns[_own(f"{names[number, place]}{unit}", columns)] = column
    part = path.with_name(path.name + PART)
    frame = pl.DataFrame(columns).fill_nan(None)
    _whole(lambda: frame.write_csv(part), part, path)


def _own(name: str, columns: dict[str, Floats]) -> str:
    return name if name not in columns else f"{name} {len(columns)}"


def _rows(recorded: Recorded) -> tuple[Floats, dict[int, Ints]]:
    """Times of all rows, and of every stream which of them are its own.

    Readings of one stream with equal times (lines that came at once) get rows of their own.
    """
    keys = []
    for number in sorted(recorded.rows):
        times = np.round(recorded.rows[number][0], TIME_DIGITS)
        starts = np.flatnonzero(np.concatenate([[True], np.diff(times) > 0.0]))
        counted = np.arange(len(times)) - np.repeat(starts, np.diff([*starts, len(times)]))
        keys.append(np.column_stack([times, counted]))
    rows, back = np.unique(np.concatenate(keys), axis=0, return_inverse=True)
    ends = np.cumsum([len(k) for k in keys])[:-1]
    parts = np.split(back.ravel(), ends)
    return rows[:, 0], dict(zip(sorted(recorded.rows), parts, strict=True))


def _began(recorded: Recorded) -> datetime | None:
    try:
        return datetime.fromisoformat(str(recorded.start["began"]))
    except (KeyError, ValueError):
        return None


def _whole(write: Callable[[], object], part: Path, path: Path) -> None:
    """Have a file under its name only when all of it is on the disk."""
    try:
        write()
        with part.open("rb") as f:
            os.fsync(f.fileno())
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


WRITERS: dict[str, Callable[[Recorded, Path], None]] = {".mf4": write_mdf, ".csv": write_csv}
"""By the ending of the file's name."""


def check_ending(path: Path) -> None:
    """BadInputError where a file's name ends in nothing that can be written."""
    if path.suffix.lower() not in WRITERS:
        raise BadInputError(Say.UNKNOWN(path=path, allowed=", ".join(WRITERS)))


def write_recording(recorded: Recorded, path: Path) -> None:
    """Write a recording in the form its name ends in.

    Parameters
    ----------
    recorded : a recording.
    path : ends in .mf4 or .csv; replaced when all of it is written.

    Raises
    ------
    BadInputError
        If the name ends in something else, or nothing was received.
    OSError
        If it cannot be written.
    """
    check_ending(path)
    if not recorded.rows:
        raise BadInputError(Say.NOTHING(path=path))
    WRITERS[path.suffix.lower()](recorded, path)
