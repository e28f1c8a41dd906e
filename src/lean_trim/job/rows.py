"""The rows of a job file as they are, at any version of its schema."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable

from lean_trim import __version__
from lean_trim.job.database import now
from lean_trim.job.schema import MIGRATIONS, apply_migration

OF_THE_FILE = ("owner", "migrations", "kept_answers")
"""Who has the file open, and what became of that one file, are no part of a job; what was worked out is
worked out again."""


def job_tables(db: sqlite3.Connection) -> list[str]:
    """Tables that make up a job, without those that are only of the file."""
    rows = db.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")
    return [str(name) for (name,) in rows if name not in OF_THE_FILE]


def memory_at(version: int) -> sqlite3.Connection:
    """An empty job in memory at a version of the schema, whose rows may be written in any order."""
    db = sqlite3.connect(":memory:", isolation_level=None)
    for number in range(1, version + 1):
        apply_migration(db, number, now(), __version__)
    return db


def bring_up(db: sqlite3.Connection, version: int) -> None:
    """Bring rows of a version to the newest schema.

    Parameters
    ----------
    db : as ``memory_at`` made it.
    version : that it is at.
    """
    for number in range(version + 1, len(MIGRATIONS) + 1):
        apply_migration(db, number, now(), __version__)


def filled_from(old: sqlite3.Connection) -> Callable[[sqlite3.Connection], None]:
    """What fills a new job file with all rows of another, both at the newest schema."""

    def fill(db: sqlite3.Connection) -> None:
        for table in job_tables(old):
            cursor = old.execute(f"SELECT * FROM {table} ORDER BY rowid")
            marks = ", ".join("?" * len(cursor.description))
            db.executemany(f"INSERT INTO {table} VALUES ({marks})", cursor)

    return fill
