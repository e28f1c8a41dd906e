"""The parent's side of ``unpacking``: start it, wait for it, end it in time, and say what came of it."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from lean_trim.core.errors import CancelledError, LogError
from lean_trim.core.messages import Message
from lean_trim.formats.decode.apart.unpacking import ARROW, INDEX
from lean_trim.formats.decode.columns import Progress
from lean_trim.formats.own_folder import own_folder


class Say:
    """Sentences of this module."""

    UNREADABLE = Message("limited.unreadable", "{path}: cannot be read as {kind} ({reason})")
    DIED = Message(
        "limited.died",
        "{path}: cannot be read as {kind}; it needs more memory than a file of its size can "
        "need, or is damaged",
    )
    TOO_SLOW = Message(
        "limited.too_slow",
        "{path}: cannot be read as {kind}; no end after {seconds:.0f} s, so it is damaged",
    )
    CANCELLED = Message("limited.cancelled", "opening {name} was cancelled; nothing was changed")


READ_S = 20.0
READ_S_PER_BYTE = 6e-6
"""Time to start and to read a file of no size, and each byte more: ten times what sound files
take."""
LOOK_S = 0.02
"""How often it is looked whether the child has ended."""
Task = Literal["names", "sheets", "lines"]


@dataclass(frozen=True)
class Unpacked:
    """What the child made of a file; gone when the context ends."""

    folder: Path

    @property
    def names(self) -> tuple[str, ...]:
        """Sheets of a workbook, in their order."""
        return tuple(map(str, json.loads((self.folder / INDEX).read_text())))

    def text(self, name: str) -> str:
        """A sheet as lines of cells with tabs between."""
        return (self.folder / f"{self.names.index(name)}.txt").read_text(encoding="utf-8")

    @property
    def table(self) -> Path:
        """JSON lines as an Arrow file."""
        return self.folder / ARROW


@contextmanager
def unpacked(
    task: Task, plain: Path, path: Path, kind: str, progress: Progress | None = None
) -> Iterator[Unpacked]:
    """Have a child read a file.

    Parameters
    ----------
    task : what is wanted of it.
    plain : the file itself.
    path : what it is called in messages.
    kind : what it is taken for, for messages.
    progress : called while waiting; returning False cancels.

    Yields
    ------
    What it made of it.

    Raises
    ------
    LogError
        If it cannot be read within the limits.
    CancelledError
        If ``progress`` returned False.
    """
    limit_s = READ_S + READ_S_PER_BYTE * plain.stat().st_size
    with own_folder() as folder:
        module = "lean_trim.formats.decode.apart.unpacking"
        child = subprocess.Popen(
            [
                sys.executable,
                "-m",
                module,
                task,
                str(plain.resolve()),
                str(folder),
                f"{limit_s:.0f}",
            ],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            # Every thread takes address space; many processors must not make a sound file too
            # large.
            env={**os.environ, "POLARS_MAX_THREADS": "2"},
        )
        try:
            _wait(child, path, kind, limit_s, progress)
            said = child.stdout.read() if child.stdout is not None else b""
        finally:
            child.kill()
            child.wait()
            if child.stdout is not None:
                child.stdout.close()
        if said:
            reason = json.loads(said)["failed"]
            raise LogError(Say.UNREADABLE(path=path, kind=kind, reason=reason))
        if child.returncode != 0:
            raise LogError(Say.DIED(path=path, kind=kind))
        yield Unpacked(folder)


def _wait(
    child: subprocess.Popen[bytes], path: Path, kind: str, limit_s: float, progress: Progress | None
) -> None:
    until = time.monotonic() + limit_s
    while child.poll() is None:
        if progress is not None and not progress(0.3):
            raise CancelledError(Say.CANCELLED(name=path.name))
        if time.monotonic() > until:
            raise LogError(Say.TOO_SLOW(path=path, kind=kind, seconds=limit_s))
        time.sleep(LOOK_S)
