"""The parent's side: have a child open a file, ask for the channels that are wanted, and end it in time."""

from __future__ import annotations

import json
import os
import select
import time
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.errors import AskedError, CancelledError, LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.apart.loaded import Conversation, GoneError, conversation
from lean_trim.formats.decode.columns import (
    MOST_VALUES,
    Column,
    Progress,
    RawColumns,
    ReadOptions,
    Wanted,
)
from lean_trim.formats.decode.containers import Source


class Say:
    """Sentences of this module."""

    UNREADABLE = Message(
        "apart.unreadable", "{path}: cannot be read as {kind}; the file is damaged ({reason})"
    )
    DIED = Message(
        "apart.died", "{path}: cannot be read as {kind}; the file is damaged (its reader crashed)"
    )
    TOO_SLOW = Message(
        "apart.too_slow",
        "{path}: cannot be read as {kind}; no end after {seconds:.0f} s, so it is damaged",
    )
    REFUSED = Message("apart.refused", "{path}: {reason}")
    NOTHING = Message("apart.nothing", "{path}: holds no rows of numbers; nothing was logged")
    CANCELLED = Message("apart.cancelled", "opening {name} was cancelled; nothing was changed")
    TOO_MANY = Message(
        "apart.too_many",
        "{path}: more than {most:,} readings; allowed is up to that. Split the log, or leave "
        "channels out",
    )


READ_S = 4.0
READ_S_PER_BYTE = 4e-6
"""Time to read a file of no size, and each byte more: 100 times what sound files take."""


def read_apart(
    kind: str, source: Source, wanted: Wanted, options: ReadOptions, progress: Progress | None
) -> RawColumns:
    """Read a file in a process of its own.

    Parameters
    ----------
    kind : which reader.
    source : an opened file.
    wanted : tells which channels are read whole.
    options : sheet and DBC.
    progress : called while waiting; returning False cancels.

    Returns
    -------
    Channels in groups with their own times.

    Raises
    ------
    LogError
        In one sentence, naming the file.
    CancelledError
        If ``progress`` returned False.
    """
    with source.as_path() as path:
        words = {"sheet": options.sheet, "dbc": str(options.dbc or "")}
        limit = READ_S + READ_S_PER_BYTE * path.stat().st_size

        def look() -> None:
            if progress is not None and not progress(0.3):
                raise CancelledError(Say.CANCELLED(name=source.path.name))

        try:
            with conversation(kind, str(path.resolve()), words, limit, look) as talk:
                return _Talk(talk, kind, source.path, limit, progress).columns(wanted)
        # A child that died in the middle breaks the pipe to it.
        except (GoneError, BrokenPipeError) as error:
            raise LogError(Say.DIED(path=source.path, kind=kind)) from error


class _Talk:
    """One side of a conversation with a child."""

    def __init__(
        self, pipes: Conversation, kind: str, path: Path, limit_s: float, progress: Progress | None
    ) -> None:
        self.words = pipes.words
        self.descriptor = pipes.answers.fileno()
        self.kind = kind
        self.path = path
        self.limit_s = limit_s
        self.progress = progress
        self.until = time.monotonic() + limit_s
        self.rest = b""

    def columns(self, wanted: Wanted) -> RawColumns:
        listed = self._line()["channels"]
        columns = tuple(Column(i, str(n), str(u), int(g)) for i, (n, u, g) in enumerate(listed))
        self.words.write(json.dumps(sorted(wanted(columns))).encode() + b"\n")
        self.words.flush()
        values: dict[int, Floats] = {}
        times: dict[int, Floats] = {}
        given = 0
        while "done" not in (line := self._line()):
            count = int(line["count"])
            given += count
            if given > MOST_VALUES:
                raise LogError(Say.TOO_MANY(path=self.path, most=MOST_VALUES))
            numbers = np.frombuffer(self._bytes(8 * count), "<f8")
            if "times" in line:
                times[int(line["times"])] = numbers
            else:
                values[int(line["values"])] = numbers
        if not columns or not any(len(v) for v in values.values()):
            raise LogError(Say.NOTHING(path=self.path))
        return RawColumns(
            columns,
            values,
            self.kind,
            times,
            notes=tuple(line.get("notes", ())),
            doubted={int(at): str(why) for at, why in line.get("doubts", ())},
        )

    def _line(self) -> dict[str, Any]:
        while (end := self.rest.find(b"\n")) < 0:
            self._more()
        text = self.rest[:end]
        self.rest = self.rest[end + 1 :]
        message: dict[str, Any] = json.loads(text)
        if "refused" in message:
            refused = Say.REFUSED(path=self.path, reason=message["refused"])
            raise AskedError(refused, message["need"]) if message.get("need") else LogError(refused)
        if "failed" in message:
            raise LogError(Say.UNREADABLE(path=self.path, kind=self.kind, reason=message["failed"]))
        return message

    def _bytes(self, count: int) -> bytes:
        parts = [self.rest]
        have = len(self.rest)
        while have < count:
            self.rest = b""
            self._more()
            parts.append(self.rest)
            have += len(self.rest)
        whole = b"".join(parts)
        self.rest = whole[count:]
        return whole[:count]

    def _more(self) -> None:
        while not select.select([self.descriptor], [], [], 0.1)[0]:
            if self.progress is not None and not self.progress(0.5):
                raise CancelledError(Say.CANCELLED(name=self.path.name))
            if time.monotonic() > self.until:
                raise LogError(Say.TOO_SLOW(path=self.path, kind=self.kind, seconds=self.limit_s))
        data = os.read(self.descriptor, 1 << 20)
        if not data:
            raise LogError(Say.DIED(path=self.path, kind=self.kind))
        self.rest += data
