"""What can go wrong with a job file, each as one sentence that names the file and the cause."""

from __future__ import annotations

import errno
import sqlite3
from pathlib import Path

from lean_trim.core.errors import BadInputError, LeanTrimError

CAUSES: dict[int, str] = {
    sqlite3.SQLITE_FULL: "the disk is full",
    sqlite3.SQLITE_READONLY: "the file cannot be written to",
    sqlite3.SQLITE_BUSY: "another program holds the file; try again in a moment",
    sqlite3.SQLITE_LOCKED: "another program holds the file; try again in a moment",
    sqlite3.SQLITE_IOERR: "the disk reports an error",
    sqlite3.SQLITE_CANTOPEN: "the file, or a helper file beside it, cannot be opened",
    sqlite3.SQLITE_PERM: "the file cannot be written to",
    sqlite3.SQLITE_AUTH: "the file cannot be written to",
    sqlite3.SQLITE_CORRUPT: "the file is damaged",
    sqlite3.SQLITE_NOTADB: "the file is damaged",
    sqlite3.SQLITE_TOOBIG: "something in it is larger than allowed",
    sqlite3.SQLITE_INTERRUPT: "reading it took too long",
}
"""Sentences for SQLite's primary result codes."""
PRIMARY_CODE = 0xFF
"""The low byte of SQLite's extended result code is the primary one."""
ERRNO_CAUSES = {
    errno.ENOSPC: "the disk is full",
    errno.EDQUOT: "the disk quota is used up",
    errno.EROFS: "the disk is mounted read-only",
    errno.EACCES: "the folder or file cannot be written to",
    errno.EPERM: "the folder or file cannot be written to",
    errno.ENOENT: "the folder is gone",
}


class JobFileError(LeanTrimError):
    """Something about a job file; ``path`` and ``cause`` are parts of the sentence."""

    def __init__(self, text: str, path: Path, cause: str) -> None:
        super().__init__(text)
        self.path = path
        self.cause = cause


class SaveFailedError(JobFileError):
    """A change could not be written; file and memory are as they were before."""

    def __init__(self, path: Path, cause: str) -> None:
        super().__init__(f"{path}: not saved, because {cause}. Nothing was changed.", path, cause)


class MovedError(SaveFailedError):
    """The file is no longer where it was opened."""

    def __init__(self, path: Path) -> None:
        super().__init__(path, "the file was moved, renamed or deleted since it was opened")


class NotOwnerError(SaveFailedError):
    """Another window has taken the job over, or holds it."""

    def __init__(self, path: Path, holder: str) -> None:
        super().__init__(path, f"the job is open for writing in {holder}")


class ChangedElsewhereError(SaveFailedError):
    """Another program wrote to the file since it was read."""

    def __init__(self, path: Path) -> None:
        super().__init__(
            path, "another program has changed the file since it was opened; open it again first"
        )


class DamagedJobError(BadInputError):
    """A job file whose contents cannot be what this program wrote."""

    def __init__(self, path: Path, what: str) -> None:
        super().__init__(f"{path}: cannot be used as a job file, because {what}")
        self.path = path


def cause_of(error: BaseException) -> str:
    """Why a write failed, in words; the library's own where there are none of ours.

    Parameters
    ----------
    error : from SQLite, the system, or anything else.

    Returns
    -------
    A part of a sentence.
    """
    if isinstance(error, sqlite3.Error):
        code = getattr(error, "sqlite_errorcode", 0) or 0
        return CAUSES.get(code & PRIMARY_CODE, str(error))
    if isinstance(error, OSError):
        return ERRNO_CAUSES.get(error.errno or 0, error.strerror or str(error))
    return str(error) or type(error).__name__
