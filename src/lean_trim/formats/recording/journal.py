"""A recording being written: appended to, a frame at a time, so that a kill costs what is not yet in it."""

from __future__ import annotations

import errno
import os
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

from lean_trim.formats.recording.frames import (
    FIRST_LINE,
    Kind,
    Stream,
    rows_frame,
    stream_frame,
    told,
)

RESERVE_BYTES = 8 << 20
"""Kept on the disk beside a recording and given up when the disk is full: a quarter of an hour of forty
channels at 25 Hz, to end the drive in."""
AGAIN = (0, 3)
OFTEN = 100
"""Blocks of rows before which their stream is declared."""
NO_ROOM = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)


class Journal:
    """Appends to a recording; for one thread.

    Nothing that was appended is touched again. A write that fails leaves the file as it was before it.

    Parameters
    ----------
    path : of a file that does not exist yet.

    Raises
    ------
    OSError
        If it cannot be made.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o666)
        self._end = 0
        self._numbers: dict[Stream, int] = {}
        self._written: dict[int, int] = {}
        self.reserve = path.with_name(path.name + ".room")
        self._append(FIRST_LINE)
        self._make_reserve()
        self.had_reserve = self.has_reserve

    @property
    def has_reserve(self) -> bool:
        """Whether room is still kept for the case that the disk fills."""
        return self.reserve.exists()

    def start(self, what: dict[str, Any]) -> None:
        """Say what is recorded, and since when."""
        self._append(told(Kind.START, what))

    def rows(
        self, stream: Stream, times: Sequence[float], values: Sequence[Sequence[float]]
    ) -> None:
        """Append rows of a stream, and the stream itself where it is new.

        Parameters
        ----------
        stream : whose rows they are.
        times : s since the recording began, never falling.
        values : one sequence a row.

        Raises
        ------
        OSError
            If they cannot be written; nothing of them is in the file then.
        """
        number = self._numbers.setdefault(stream, len(self._numbers))
        written = self._written.get(number, 0)
        # Said again now and then: without it a spoiled spot in the file would cost the whole stream.
        if written in AGAIN or written % OFTEN == 0:
            self._append(stream_frame(number, stream))
        self._append(rows_frame(number, times, values))
        self._written[number] = written + 1

    def note(self, what: dict[str, Any]) -> None:
        """Append a note: a gap, a danger, the end."""
        self._append(told(Kind.NOTE, what))

    def sync(self) -> None:
        """Have what was appended survive the loss of power as well."""
        os.fdatasync(self._file)

    def close(self) -> None:
        """End it; room that was kept is given back."""
        with suppress(OSError):
            self.sync()
        os.close(self._file)
        self.reserve.unlink(missing_ok=True)

    def _append(self, data: bytes) -> None:
        try:
            self._write(data)
        except OSError as error:
            if error.errno not in NO_ROOM or not self.has_reserve:
                raise
            self.reserve.unlink(missing_ok=True)
            self._write(data)

    def _write(self, data: bytes) -> None:
        left = memoryview(data)
        try:
            while left:
                left = left[os.write(self._file, left) :]
        except OSError:
            # Half a frame would be passed over on reading; without it the file is whole.
            with suppress(OSError):
                os.ftruncate(self._file, self._end)
                os.lseek(self._file, self._end, os.SEEK_SET)
            raise
        self._end += len(data)

    def _make_reserve(self) -> None:
        """Keep room; where there is none, or none can be kept, recording goes on without."""
        try:
            held = os.open(self.reserve, os.O_WRONLY | os.O_CREAT | os.O_CLOEXEC, 0o666)
        except OSError:
            return
        try:
            os.posix_fallocate(held, 0, RESERVE_BYTES)
        except OSError:
            self.reserve.unlink(missing_ok=True)
        finally:
            os.close(held)
