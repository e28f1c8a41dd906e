"""One connection to a job file: opened defensively, written in transactions that leave file and memory alike.

The file may come from anybody. Only the tables this program declares are accepted, no trigger or
view runs, and sizes are bounded.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator
from datetime import datetime
from pathlib import Path

from lean_trim import __version__
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.errors import (
    ChangedElsewhereError,
    DamagedJobError,
    MovedError,
    NotOwnerError,
    SaveFailedError,
    cause_of,
)
from lean_trim.job.ownership import Owner, this_window
from lean_trim.job.schema import (
    APPLICATION_ID,
    MIGRATIONS,
    apply_migration,
    expected_objects,
    objects_in,
)


class Say:
    """Sentences of this module."""

    NO_FILE = Message("database.no_file", "{path}: no such job file")
    OTHER_DATABASE = Message(
        "database.other_database", "{path}: is a database, but not a Lean Trim job"
    )
    NEWER = Message(
        "database.newer",
        "{path}: was written by a newer Lean Trim (schema {version}, this one knows {newest})",
    )
    UNREADABLE = Message("database.unreadable", "{path}: cannot be opened as a job file ({cause})")
    NOT_MIGRATED = Message(
        "database.not_migrated",
        "{path}: is of an earlier version and could not be brought up to date ({cause}); it is as "
        "it was",
    )


NO_FILE = Path("a job that is not in a file yet")
"""Stands for the path of a job in memory."""
UNREADABLE = (sqlite3.Error, ValueError, TypeError)
"""What reading a damaged file ends in; Python cannot even decode some of SQLite's own messages
about it."""
BUSY_S = 0.05
"""How long a write waits for another program's lock; longer would be felt in the window."""
LONGEST_READ_S = 60.0
"""A single statement that takes longer is ended; a sound job of 100 MB takes well under a
second."""
STEPS_BETWEEN_LOOKS = 200_000
"""Virtual-machine steps of SQLite between looks at the clock."""
LARGEST_VALUE_BYTES = 1 << 30
"""Largest text or blob, 1 GiB: a log of 10 hours at 100 Hz with 40 channels takes about a third of
it."""


def now() -> str:
    """The present moment as the job file keeps it: ISO 8601 with zone, to the second."""
    return datetime.now().astimezone().isoformat(timespec="seconds")


class Database:
    """A job file's connection, shared by the threads of one window under one lock.

    Parameters
    ----------
    path : an existing file.
    take : ask to be the one that writes; if another window holds the file, or it cannot be written
        to, the connection only reads and ``read_only`` says why.

    Raises
    ------
    BadInputError
        If the file is no job, is damaged, is of a newer version, or declares anything this program
        did not.
    """

    def __init__(self, path: Path, take: bool = True) -> None:
        self._begin(path)
        if not path.is_file():
            raise BadInputError(Say.NO_FILE(path=path))
        self.db = self._connect()
        try:
            self._check_and_migrate()
            if take:
                self._take_if_free()
            self._seen = self._data_version()
        except UNREADABLE as error:
            self.db.close()
            raise DamagedJobError(path, cause_of(error)) from error
        except BaseException:
            self.db.close()
            raise
        self._place = _identity(path)

    def _begin(self, path: Path) -> None:
        self.path = path
        self.lock = threading.RLock()
        self.read_only = ""
        self.owner: Owner | None = None
        self._deadline = float("inf")

    @classmethod
    def in_memory(cls, fill: Callable[[sqlite3.Connection], None]) -> Database:
        """A job that is kept in no file yet, with all a file would have.

        Parameters
        ----------
        fill : writes the contents, in one transaction.

        Returns
        -------
        What is gone when it is closed.
        """
        made = cls.__new__(cls)
        made._begin(NO_FILE)
        made.db = sqlite3.connect(":memory:", isolation_level=None, check_same_thread=False)
        for number in range(1, len(MIGRATIONS) + 1):
            apply_migration(made.db, number, now(), __version__)
        made.db.execute("PRAGMA foreign_keys = ON")
        made._write_owner(this_window(now()))
        made._seen = made._data_version()
        made._place = None
        with made.writing() as db:
            fill(db)
        return made

    def take_place_of(self, before: Database) -> None:
        """Become the connection that writes in place of another one of this window; that one is closed.

        Nothing is written, so that what this connection has read still holds.
        """
        with self.lock, before.lock:
            self.owner = before.owner
            self.read_only = before.read_only
            before.owner = None
            before.db.close()

    def _connect(self) -> sqlite3.Connection:
        writable = os.access(self.path, os.W_OK)
        # As an address, or a question mark in the name would end it; a name need not be UTF-8
        # either.
        address = f"{self.path.resolve().as_uri()}?mode={'rw' if writable else 'ro'}"
        try:
            db = sqlite3.connect(
                address, uri=True, isolation_level=None, timeout=BUSY_S, check_same_thread=False
            )
        except sqlite3.Error as error:
            raise BadInputError(Say.UNREADABLE(path=self.path, cause=cause_of(error))) from error
        # A few bytes of a file can claim a gigabyte of text.
        db.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, LARGEST_VALUE_BYTES)
        db.set_progress_handler(self._too_long, STEPS_BETWEEN_LOOKS)
        try:
            # The schema is somebody else's until it has been compared.
            db.execute("PRAGMA trusted_schema = OFF")
            db.execute("PRAGMA cell_size_check = ON")
            # A file that shrinks under a memory map kills the process instead of raising.
            db.execute("PRAGMA mmap_size = 0")
            db.execute("SELECT count(*) FROM sqlite_master").fetchone()
        except UNREADABLE as error:
            db.close()
            raise BadInputError(Say.UNREADABLE(path=self.path, cause=cause_of(error))) from error
        return db

    def _too_long(self) -> int:
        return int(time.monotonic() > self._deadline)

    def _data_version(self) -> int:
        return int(self.db.execute("PRAGMA data_version").fetchone()[0])

    def _check_and_migrate(self) -> None:
        version = int(self.db.execute("PRAGMA user_version").fetchone()[0])
        if self.db.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
            raise BadInputError(Say.OTHER_DATABASE(path=self.path))
        newest = len(MIGRATIONS)
        if version > newest:
            raise BadInputError(Say.NEWER(path=self.path, version=version, newest=newest))
        if version < 1:
            raise DamagedJobError(self.path, "it holds no job")
        self._check_objects(version)
        if version < newest:
            self._migrate(version)
        self.db.execute("PRAGMA foreign_keys = ON")

    def _check_objects(self, version: int) -> None:
        """Nothing but what this program declares.

        A planted trigger, view or index would run with every save.
        """
        found = objects_in(self.db)
        expected = expected_objects(version)
        # Compared as text: anything added to a table of ours would show as well.
        strange = [key for key, sql in found.items() if expected.get(key) != sql]
        missing = [key for key in expected if key not in found]
        if strange:
            raise DamagedJobError(
                self.path, f"it declares something of its own ({' '.join(strange[0])})"
            )
        if missing:
            raise DamagedJobError(self.path, f"the {' '.join(missing[0])} is missing")

    def _migrate(self, version: int) -> None:
        """Keep a copy of the file as it was, then bring it up to date."""
        # Beside the file, where the user looks first when something went wrong.
        backup = _free_name(self.path.with_name(f"{self.path.name}.schema{version}.bak"))
        try:
            target = sqlite3.connect(backup)
            try:
                self.db.backup(target)
            finally:
                target.close()
            # A table that is rebuilt is dropped first; its children would go with it.
            self.db.execute("PRAGMA foreign_keys = OFF")
            for number in range(version + 1, len(MIGRATIONS) + 1):
                apply_migration(self.db, number, now(), __version__)
        except (sqlite3.Error, OSError) as error:
            raise BadInputError(Say.NOT_MIGRATED(path=self.path, cause=cause_of(error))) from error

    def holder(self) -> Owner | None:
        """Who holds the file, by its own word."""
        row = self.db.execute("SELECT token, host, pid, started, since FROM owner").fetchone()
        return (
            None
            if row is None
            else Owner(str(row[0]), str(row[1]), int(row[2]), str(row[3]), str(row[4]))
        )

    def _take_if_free(self) -> None:
        holder = self.holder()
        # Not an error: looking at a job that is open elsewhere is what people do.
        if holder is not None and holder.alive:
            self.read_only = f"the job is open in {holder.described}"
            return
        try:
            self._write_owner(this_window(now()))
        except sqlite3.Error as error:
            self.read_only = cause_of(error)

    def _write_owner(self, owner: Owner) -> None:
        self.db.execute("BEGIN IMMEDIATE")
        try:
            self.db.execute(
                "INSERT OR REPLACE INTO owner (id, token, host, pid, started, since) VALUES (1, "
                "?, ?, ?, ?, ?)",
                (owner.token, owner.host, owner.pid, owner.started, owner.since),
            )
            self.db.execute("COMMIT")
        except BaseException:
            self._roll_back()
            raise
        self.owner = owner

    def take_over(self) -> None:
        """Become the one that writes, whoever was before; that window notices at its next write.

        Raises
        ------
        SaveFailedError
            If the file cannot be written to.
        """
        with self.lock:
            try:
                self._write_owner(this_window(now()))
                # What the other window wrote until now is about to be read anew.
                self._seen = self._data_version()
            except sqlite3.Error as error:
                raise SaveFailedError(self.path, cause_of(error)) from error
            self.read_only = ""

    @contextlib.contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """One transaction: all of it or nothing.

        Raises
        ------
        SaveFailedError
            With the true cause, after everything was rolled back.
        """
        with self.lock:
            self._may_write()
            try:
                self.db.execute("BEGIN IMMEDIATE")
                self._check_still_ours()
                yield self.db
                self.db.execute("COMMIT")
            except sqlite3.Error as error:
                self._roll_back()
                raise SaveFailedError(self.path, cause_of(error)) from error
            except BaseException:
                self._roll_back()
                raise

    def _may_write(self) -> None:
        if self.read_only:
            raise SaveFailedError(self.path, self.read_only)
        # SQLite goes on writing to a file that has no name any more.
        if self._place is not None and _identity(self.path) != self._place:
            raise MovedError(self.path)

    def _check_still_ours(self) -> None:
        """Inside the transaction, so that nobody can come between the look and the write."""
        holder = self.holder()
        if self.owner is None or holder is None or holder.token != self.owner.token:
            who = holder.described if holder is not None else "no window any more"
            self.read_only = f"the job was taken over by {who}"
            raise NotOwnerError(self.path, who)
        if self._data_version() != self._seen:
            raise ChangedElsewhereError(self.path)

    def _roll_back(self) -> None:
        """End the transaction, if SQLite has not done so itself."""
        with contextlib.suppress(sqlite3.Error):
            if self.db.in_transaction:
                self.db.execute("ROLLBACK")

    def reading(self, work: Callable[[sqlite3.Connection], object]) -> None:
        """Run a read that may be long, ended if it takes longer than ``LONGEST_READ_S``.

        Parameters
        ----------
        work : called with the connection.
        """
        with self.lock:
            self._deadline = time.monotonic() + LONGEST_READ_S
            try:
                work(self.db)
            finally:
                self._deadline = float("inf")

    def close(self) -> None:
        """Give the file free and close it; nothing is pending."""
        with self.lock, contextlib.suppress(sqlite3.Error):
            if (
                self.owner is not None
                and not self.read_only
                and _identity(self.path) == self._place
            ):
                self.db.execute("DELETE FROM owner WHERE token = ?", (self.owner.token,))
            self.db.close()


def _identity(path: Path) -> tuple[int, int] | None:
    """Which file stands at a path: device and inode; None if there is none."""
    try:
        stat = path.stat()
    except OSError:
        return None
    return stat.st_dev, stat.st_ino


def _free_name(path: Path) -> Path:
    """The path, or with a number if it is taken."""
    number = 1
    free = path
    while free.exists():
        number += 1
        free = path.with_name(f"{path.name}{number}")
    return free
