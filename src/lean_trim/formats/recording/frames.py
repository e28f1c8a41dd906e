"""Frames of a recording: what is appended to the file, and found again in one that was cut off.

A recording is one line of text and then frames. Every frame stands alone: a mark, its kind, its length, a
check sum and its content. What was written before a kill is therefore read to the last whole frame, and
what a disk spoiled costs the frames it lies in.
"""

from __future__ import annotations

import json
import mmap
import struct
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import Any

import numpy as np

from lean_trim.core.types import Floats

SUFFIX = ".ltrec"
FIRST_LINE = b"LEAN TRIM RECORDING 1\n"
MARK = b"\xf5LT\xa6"
HEAD = struct.Struct("<4sBII")
"""Mark, kind, bytes of the content, check sum (CRC-32, as in zlib) of kind, length and content."""
CHECKED = struct.Struct("<BI")
ROWS = struct.Struct("<HI")
"""Number of the stream, number of rows; their times and then the channels one after the other follow."""
FASTEST = 1
"""How hard rows are packed: a second of them has to be written at once."""
MOST_CONTENT = 1 << 26
MOST_ROWS = 1 << 22


class Kind(IntEnum):
    """What a frame holds."""

    START = 1
    STREAM = 2
    ROWS = 3
    NOTE = 4


@dataclass(frozen=True)
class Channel:
    """A channel by its name and unit, as its source calls them."""

    name: str
    unit: str = ""


@dataclass(frozen=True)
class Stream:
    """Channels that are always received together.

    Attributes
    ----------
    source : address they come from.
    name : of what brings them: a frame of a bus, a request, a line.
    channels : at least one.
    """

    source: str
    name: str
    channels: tuple[Channel, ...]


@dataclass(frozen=True, eq=False)
class Rows:
    """Readings of one stream.

    Attributes
    ----------
    number : of the stream in the file.
    time_s : seconds since the recording began, shape (n,), never falling.
    values : shape (channels, n); NaN where nothing was read.
    """

    number: int
    time_s: Floats
    values: Floats


@dataclass(frozen=True)
class Frame:
    """A frame as it stands in a file: its kind, its content, and the bytes it lies in."""

    kind: Kind
    content: bytes
    begin: int
    end: int


def framed(kind: Kind, content: bytes) -> bytes:
    """A frame of a content, ready to be appended."""
    checked = CHECKED.pack(kind, len(content)) + content
    return HEAD.pack(MARK, kind, len(content), zlib.crc32(checked)) + content


def told(kind: Kind, what: dict[str, Any]) -> bytes:
    """A frame of what is kept as JSON: the start, a stream, a note."""
    return framed(kind, json.dumps(what, ensure_ascii=False, separators=(",", ":")).encode())


def stream_frame(number: int, stream: Stream) -> bytes:
    """A frame that declares a stream under a number."""
    channels = [{"name": c.name, "unit": c.unit} for c in stream.channels]
    what = {"stream": number, "source": stream.source, "name": stream.name, "channels": channels}
    return told(Kind.STREAM, what)


def stream_of(what: dict[str, Any]) -> tuple[int, Stream]:
    """A declared stream and its number; KeyError, TypeError or ValueError if it is none."""
    channels = tuple(Channel(str(c["name"]), str(c["unit"])) for c in what["channels"])
    if not channels:
        raise ValueError("a stream without channels")
    return int(what["stream"]), Stream(str(what["source"]), str(what["name"]), channels)


def rows_frame(number: int, times: Sequence[float], values: Sequence[Sequence[float]]) -> bytes:
    """A frame of rows as they were received.

    Parameters
    ----------
    number : of the stream.
    times : s, one a row.
    values : one sequence a row, of as many readings as the stream has channels.

    Returns
    -------
    Bytes to append.
    """
    time_s = np.asarray(times, "<f8")
    read = np.asarray(values, "<f8").reshape(len(time_s), -1)
    content = time_s.tobytes() + np.ascontiguousarray(read.T).tobytes()
    return framed(Kind.ROWS, ROWS.pack(number, len(time_s)) + zlib.compress(content, FASTEST))


def rows_of(content: bytes) -> Rows:
    """Rows from a frame's content; ValueError if it holds something else."""
    if len(content) < ROWS.size:
        raise ValueError("no rows")
    number, count = ROWS.unpack_from(content)
    if not 0 < count <= MOST_ROWS:
        raise ValueError("no number of rows")
    unpacking = zlib.decompressobj()
    try:
        plain = unpacking.decompress(content[ROWS.size :], MOST_CONTENT)
    except zlib.error as error:
        raise ValueError(str(error)) from error
    if not unpacking.eof or len(plain) % (8 * count) or len(plain) < 16 * count:
        raise ValueError("rows of another size")
    read = np.frombuffer(plain, "<f8").reshape(-1, count)
    return Rows(number, read[0], read[1:])


def frames_in(data: bytes | mmap.mmap) -> Iterator[Frame]:
    """Whole frames of a file's bytes, in their order; what lies between them is passed over.

    Parameters
    ----------
    data : of a whole file, its first line included, or what there is of it.

    Yields
    ------
    Frames whose check sum holds.
    """
    at = data.find(MARK)
    while at >= 0:
        frame = _frame_at(data, at)
        if frame is not None:
            yield frame
        # The next one follows at once, unless something was spoiled.
        at = data.find(MARK, at + 1 if frame is None else frame.end)


def _frame_at(data: bytes | mmap.mmap, at: int) -> Frame | None:
    if len(data) < at + HEAD.size:
        return None
    begin = at + HEAD.size
    _, kind, size, check = HEAD.unpack(data[at:begin])
    if size > MOST_CONTENT or len(data) < begin + size or kind not in set(Kind):
        return None
    content = data[begin : begin + size]
    if zlib.crc32(CHECKED.pack(kind, size) + content) != check:
        return None
    return Frame(Kind(kind), content, at, begin + size)
