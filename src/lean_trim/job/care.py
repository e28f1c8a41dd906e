"""A job file looked through from end to end, and made no larger than what it holds."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from pathlib import Path

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.errors import DamagedJobError, SaveFailedError, cause_of
from lean_trim.job.evidence_rows import evidence_from
from lean_trim.job.loading import open_job
from lean_trim.job.log_writing import drop_unused_logs
from lean_trim.job.store import JobStore


class Say:
    """Sentences of this module."""

    WHOLE = Message(
        "care.whole",
        "{path}: whole. {rounds} round(s), {logs} log(s), {size:.1f} MB, of which {free:.1f} MB is not "
        "used any more.",
    )


MEGA = 1e6


@dataclass(frozen=True)
class FileState:
    """A job file that is whole.

    Attributes
    ----------
    path : of the file.
    rounds, logs : it holds.
    size_bytes : of the file, and of it ``free_bytes`` that nothing uses any more.
    """

    path: Path
    rounds: int
    logs: int
    size_bytes: int
    free_bytes: int

    @property
    def said(self) -> str:
        """All of it in a sentence."""
        return str(
            Say.WHOLE(
                path=self.path,
                rounds=self.rounds,
                logs=self.logs,
                size=self.size_bytes / MEGA,
                free=self.free_bytes / MEGA,
            )
        )


def check_file(path: Path) -> FileState:
    """Look through a whole job file, every value and every index of it; for a thread of its own.

    Parameters
    ----------
    path : of the file, which may be open elsewhere.

    Returns
    -------
    How it stands.

    Raises
    ------
    BadInputError
        Naming the first thing that cannot be.
    """
    store, job = open_job(path, take=False)
    found: list[FileState] = []

    def look(db: sqlite3.Connection) -> None:
        (state,) = db.execute("PRAGMA integrity_check(1)").fetchone()
        if state != "ok":
            raise DamagedJobError(path, str(state))
        logs = sum(len(r.logs) + len(r.resting) for r in job.rounds)
        found.append(FileState(path, len(job.rounds), logs, path.stat().st_size, _free(db)))

    try:
        store.database.reading(look)
    except sqlite3.Error as error:
        raise DamagedJobError(path, cause_of(error)) from error
    finally:
        store.close()
    for r in job.rounds:
        # Logs are read when they are looked at.
        tuple(r.logs)
        for evidence in r.evidence.values():
            try:
                evidence_from(evidence)
            except BadInputError as error:
                raise DamagedJobError(path, f"of round {r.number}, {error}") from error
    return found[0]


def _free(db: sqlite3.Connection) -> int:
    """Bytes of free pages, and of logs that belong to no round any more."""
    pages, size = (db.execute(f"PRAGMA {p}").fetchone()[0] for p in ("freelist_count", "page_size"))
    (unused,) = db.execute(
        "SELECT coalesce(sum(length(parquet)), 0) FROM logs WHERE id NOT IN "
        "(SELECT log_id FROM round_logs) AND id NOT IN (SELECT log_id FROM resting_logs)"
    ).fetchone()
    return int(pages) * int(size) + int(unused)


def compact_file(path: Path) -> tuple[int, int]:
    """Give back what a job file does not use any more; logs that belong to no round go for good.

    Parameters
    ----------
    path : of a file nobody has open. For a thread of its own.

    Returns
    -------
    Bytes before and after.

    Raises
    ------
    BadInputError
        If it is no sound job.
    SaveFailedError
        If it cannot be written, or another window holds it; it is as it was.
    """
    before = path.stat().st_size if path.is_file() else 0
    store = JobStore(path)
    try:
        if store.read_only:
            raise SaveFailedError(path, store.read_only)
        # A damaged file must not be written over by what can still be read of it.
        store.load()
        with store.database.writing() as db:
            drop_unused_logs(db)
        try:
            store.db.execute("VACUUM")
        except sqlite3.Error as error:
            raise SaveFailedError(path, cause_of(error)) from error
    finally:
        store.close()
    return before, path.stat().st_size
