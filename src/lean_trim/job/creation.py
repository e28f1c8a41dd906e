"""A new job file, whole or not at all."""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Callable
from pathlib import Path

from lean_trim import __version__
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.database import now
from lean_trim.job.errors import SaveFailedError, cause_of
from lean_trim.job.schema import MIGRATIONS, apply_migration


class Say:
    """Sentences of this module."""

    EXISTS = Message("creation.exists", "{path}: already exists; open it, or name another file")
    NO_FOLDER = Message(
        "creation.no_folder", "{folder}: is not a folder; name a folder that exists"
    )


PART = ".part"
"""Ending of a job that is not whole yet."""


def make_file(
    path: Path, fill: Callable[[sqlite3.Connection], None], unordered: bool = False
) -> None:
    """Write a job under another name and give it its own when it is whole.

    A crash then never leaves half a job.

    Parameters
    ----------
    fill : writes the contents, in one transaction.
    unordered : rows may be written before those they name; whoever reads the file looks at that.

    Raises
    ------
    BadInputError
        If the file exists or its folder does not.
    SaveFailedError
        If it cannot be written; nothing is left behind.
    """
    if path.exists():
        raise BadInputError(Say.EXISTS(path=path))
    if not path.parent.is_dir():
        raise BadInputError(Say.NO_FOLDER(folder=path.parent))
    part = path.with_name(f"{path.name}.{os.getpid()}-{os.urandom(4).hex()}{PART}")
    try:
        _remove(part)
        db = sqlite3.connect(part, isolation_level=None)
        try:
            for number in range(1, len(MIGRATIONS) + 1):
                apply_migration(db, number, now(), __version__)
            db.execute(f"PRAGMA foreign_keys = {'OFF' if unordered else 'ON'}")
            db.execute("BEGIN IMMEDIATE")
            fill(db)
            db.execute("COMMIT")
        finally:
            db.close()
        # A name without its bytes is what a power cut makes of a rename too early.
        _flush(part)
        # A link fails if somebody made that file meanwhile; a rename would take their job away.
        os.link(part, path)
    except FileExistsError as error:
        raise BadInputError(Say.EXISTS(path=path)) from error
    except (sqlite3.Error, OSError) as error:
        raise SaveFailedError(path, cause_of(error)) from error
    finally:
        _remove(part)


def _remove(part: Path) -> None:
    for stale in (part, part.with_name(f"{part.name}-journal")):
        with contextlib.suppress(OSError):
            stale.unlink()


def _flush(part: Path) -> None:
    """Make sure the bytes are on the disk before the file gets its name."""
    handle = os.open(part, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
