"""What a source of a running log is: it is opened, read again and again, and closed."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Said
from lean_trim.formats.recording.frames import Stream

WAIT_S = 0.1
"""How long a source waits for something to read, at most: a recording ends within that."""


class LostError(LeanTrimError):
    """A source cannot be heard now; the recorder tries again."""


@dataclass(frozen=True)
class Reading:
    """What was received at once.

    Attributes
    ----------
    stream : whose channels these are.
    time_s : by the session's clock: when it was measured, as far as that is known.
    values : one a channel; NaN where a channel said nothing.
    """

    stream: Stream
    time_s: float
    values: tuple[float, ...]


class Clock:
    """The one clock of a session; its zero is when it was made.

    Parameters
    ----------
    pace : seconds it goes in one of ours; other than 1 where every source is a stand-in that goes as fast.
    """

    def __init__(self, pace: float = 1.0) -> None:
        self._zero = time.monotonic()
        self._pace = pace

    def now(self) -> float:
        """Seconds since its zero."""
        return (time.monotonic() - self._zero) * self._pace


class Source(Protocol):
    """One source; used by one thread.

    Attributes
    ----------
    address : as typed.
    paced : whether its times follow the session's clock; False for a drive that is played faster or
        slower than it was driven.
    """

    address: str
    paced: bool

    def open(self) -> None:
        """Begin to hear it; LostError if it cannot be heard now."""
        ...

    def read(self) -> Sequence[Reading]:
        """What has come since, waiting at most ``WAIT_S``; LostError if it is gone.

        Raises ``EOFError`` where nothing will ever come any more.
        """
        ...

    def close(self) -> None:
        """Let it go; one that is not open is left alone."""
        ...

    def doubts(self) -> Sequence[Said]:
        """What the user should know of how it is heard."""
        ...
