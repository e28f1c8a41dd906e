"""Logs of a round as the job file keeps them: read when they are looked at, not when the job is opened."""

from __future__ import annotations

import threading
import zlib
from collections.abc import Iterator, Sequence
from typing import overload

from lean_trim.core.data.log import Log
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.blobs import log_from_parquet, log_to_parquet


class Say:
    """Sentences of this module."""

    TIMES = Message("kept_logs.times", "the log {name!r} has impossible times")
    CHANGED = Message("kept_logs.changed", "the log {name!r} is not what was saved of it")
    UNREADABLE = Message("kept_logs.unreadable", "the log {name!r} cannot be read ({cause})")


LONGEST_LOG_S = 1e9
NO_SUM = -1
"""Stands where an earlier version kept no check sum of a log."""


def sum_of(data: bytes) -> int:
    """Check sum by which damage is told without reading a log (CRC-32)."""
    return zlib.crc32(data)


class KeptLog:
    """One log.

    Parameters
    ----------
    data : as ``log_to_parquet`` makes it.
    name : of the log.
    check : its check sum, ``NO_SUM`` where none was kept: it is then read at once.
    seconds : from its first to its last sample, s, as it was saved.

    Raises
    ------
    BadInputError
        If the bytes are not those that were saved.
    """

    def __init__(self, data: bytes, name: str, check: int, seconds: float = 0.0) -> None:
        self.data = data
        self.seconds = seconds
        self.name = name
        self._log: Log | None = None
        self._lock = threading.Lock()
        if check == NO_SUM:
            self.read()
        elif check != sum_of(data):
            raise BadInputError(Say.CHANGED(name=name))

    def read(self) -> Log:
        """The log, the same one every time.

        Raises
        ------
        BadInputError
            If it cannot be one.
        """
        with self._lock:
            if self._log is None:
                self._log = _read(self.data, self.name)
            return self._log


def _read(data: bytes, name: str) -> Log:
    try:
        log = log_from_parquet(data, name)
    except (BadInputError, KeyboardInterrupt, SystemExit):
        raise
    # The Parquet reader ends in a panic that is no Exception.
    except BaseException as error:
        raise BadInputError(Say.UNREADABLE(name=name, cause=error)) from error
    if not abs(log.time_s).max() < LONGEST_LOG_S:
        raise BadInputError(Say.TIMES(name=name))
    return log


class KeptLogs(Sequence[Log]):
    """Logs of a round in their order; how many there are costs nothing to know."""

    def __init__(self, parts: Sequence[KeptLog]) -> None:
        self.parts = tuple(parts)

    def __len__(self) -> int:
        return len(self.parts)

    @overload
    def __getitem__(self, place: int) -> Log: ...

    @overload
    def __getitem__(self, place: slice) -> KeptLogs: ...

    def __getitem__(self, place: int | slice) -> Log | KeptLogs:
        if isinstance(place, slice):
            return KeptLogs(self.parts[place])
        return self.parts[place].read()

    def __iter__(self) -> Iterator[Log]:
        return (part.read() for part in self.parts)


def seconds_of(logs: Sequence[Log]) -> float:
    """How long logs are together, s; kept ones are not read for it.

    Parameters
    ----------
    logs : of a round.

    Returns
    -------
    Sum of their durations.
    """
    if isinstance(logs, KeptLogs):
        return sum(part.seconds for part in logs.parts)
    return sum(log.duration_s for log in logs)


def bytes_of(logs: Sequence[Log], place: int) -> bytes:
    """A log of a round as it is kept; made only where it was not kept yet.

    Parameters
    ----------
    logs : of the round.
    place : which.

    Returns
    -------
    Parquet.
    """
    if isinstance(logs, KeptLogs):
        return logs.parts[place].data
    return log_to_parquet(logs[place])
