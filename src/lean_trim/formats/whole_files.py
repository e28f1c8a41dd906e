"""Files that are written whole or not at all, alone or several together.

What is new is written under a name nobody can have planted, and gets its own when it is on the
disk.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Mapping
from pathlib import Path
from types import TracebackType

PART = "part"
BEFORE = "before"
"""Endings of a file that is not whole yet, and of one that is about to be replaced."""


def write_whole(path: Path, text: str) -> None:
    """Write a text file, replacing an earlier one only when all of it is written.

    Parameters
    ----------
    path : replaced if it exists.
    text : written as UTF-8.

    Raises
    ------
    OSError
        If it cannot be written; the earlier file is as it was, and nothing is left beside it.
    """
    with Replacing({path: text}) as files:
        files.put()


def write_whole_bytes(path: Path, data: bytes) -> None:
    """The same of a file that is no text.

    Parameters
    ----------
    path : replaced if it exists.
    data : all of it.

    Raises
    ------
    OSError
        As for ``write_whole``.
    """
    with Replacing({path: data}) as files:
        files.put()


class Replacing:
    """Files that take the place of others together; used as a context.

    On entering, all of them are written beside the old ones. ``put`` gives them their names,
    ``undo`` takes that back. What is neither put nor undone is gone on leaving, and the old files
    stay.

    Parameters
    ----------
    contents : text or bytes by path.

    Raises
    ------
    OSError
        On entering or by ``put``: everything is as it was.
    """

    def __init__(self, contents: Mapping[Path, str | bytes]) -> None:
        self.contents = dict(contents)
        token = f".{os.getpid()}-{_token()}."
        self._parts = {path: path.with_name(f"{path.name}{token}{PART}") for path in contents}
        self._before = {path: path.with_name(f"{path.name}{token}{BEFORE}") for path in contents}
        self._put: list[Path] = []

    def __enter__(self) -> Replacing:
        try:
            for path, content in self.contents.items():
                _write_new(self._parts[path], content)
        except BaseException:
            self._clean()
            raise
        return self

    def put(self) -> None:
        """Give all of them their names; those that had them are kept until the context ends."""
        try:
            for path in self.contents:
                if path.exists() or path.is_symlink():
                    path.rename(self._before[path])
                self._put.append(path)
                self._parts[path].rename(path)
        except BaseException:
            self.undo()
            raise

    def undo(self) -> None:
        """Let the old files have their names again."""
        for path in reversed(self._put):
            if self._before[path].exists() or self._before[path].is_symlink():
                self._before[path].replace(path)
            else:
                path.unlink(missing_ok=True)
        self._put = []

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        if error is not None:
            self.undo()
        self._clean()

    def _clean(self) -> None:
        for stale in (*self._parts.values(), *self._before.values()):
            with contextlib.suppress(OSError):
                stale.unlink()


def _token() -> str:
    """Eight characters nobody can foresee."""
    return os.urandom(4).hex()


def _write_new(path: Path, content: str | bytes) -> None:
    """Write a file that must not exist, and have it on the disk."""
    flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | getattr(os, "O_NOFOLLOW", 0)
    handle = os.open(path, flags, 0o666)
    data = content.encode("utf-8") if isinstance(content, str) else content
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
