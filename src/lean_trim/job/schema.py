"""Schema of the job file as ordered, named migrations; each runs in one transaction."""

from __future__ import annotations

import sqlite3

from lean_trim.core.errors import BadInputError

APPLICATION_ID = 0x4C54524D

MIGRATIONS: tuple[tuple[str, str], ...] = (
    (
        "first rounds",
        """
        CREATE TABLE vehicle (id INTEGER PRIMARY KEY CHECK (id = 1), sheet TEXT NOT NULL, car TEXT NOT NULL DEFAULT '');
        CREATE TABLE tables (
            id INTEGER PRIMARY KEY, kind TEXT NOT NULL, name TEXT NOT NULL, unit TEXT NOT NULL,
            axes TEXT NOT NULL, cells TEXT NOT NULL, created TEXT NOT NULL);
        CREATE TABLE logs (
            id INTEGER PRIMARY KEY, name TEXT NOT NULL, sha256 TEXT NOT NULL, added TEXT NOT NULL,
            samples INTEGER NOT NULL, duration_s REAL NOT NULL, parquet BLOB NOT NULL);
        CREATE TABLE rounds (
            id INTEGER PRIMARY KEY, number INTEGER NOT NULL UNIQUE, started TEXT NOT NULL,
            table_id INTEGER NOT NULL REFERENCES tables(id), target_id INTEGER REFERENCES tables(id),
            residual_rms REAL, trim_rms REAL, within_3 REAL,
            handed_over TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT '');
        CREATE TABLE round_logs (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE,
            log_id INTEGER NOT NULL REFERENCES logs(id), position INTEGER NOT NULL,
            PRIMARY KEY (round_id, position));
        CREATE TABLE decisions (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, cell INTEGER NOT NULL,
            value REAL NOT NULL, source INTEGER NOT NULL, pinned INTEGER NOT NULL, PRIMARY KEY (round_id, cell));
        CREATE TABLE left_out (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE,
            start_s REAL NOT NULL, end_s REAL NOT NULL);
        """,
    ),
    (
        "column choices, marks and settings",
        """
        CREATE TABLE column_choices (
            shape TEXT NOT NULL, name TEXT NOT NULL, role TEXT, unit TEXT NOT NULL, PRIMARY KEY (shape, name));
        CREATE TABLE bank_choices (shape TEXT PRIMARY KEY, banks TEXT NOT NULL);
        CREATE TABLE marks (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, time_s REAL NOT NULL, text TEXT NOT NULL);
        CREATE TABLE settings (key TEXT PRIMARY KEY, value TEXT NOT NULL);
        """,
    ),
)


def migrate(db: sqlite3.Connection, source: str) -> None:
    """Bring a database to the newest schema.

    Raises
    ------
    BadInputError
        If the file is another application's, or from a newer version.
    """
    version = db.execute("PRAGMA user_version").fetchone()[0]
    owner = db.execute("PRAGMA application_id").fetchone()[0]
    empty = not db.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]
    if owner != APPLICATION_ID and not empty:
        raise BadInputError(f"{source}: is a database, but not a Lean Trim job")
    if version > len(MIGRATIONS):
        raise BadInputError(
            f"{source}: was written by a newer Lean Trim (schema {version}, this one knows {len(MIGRATIONS)})"
        )
    for number, (_, script) in enumerate(MIGRATIONS[version:], version + 1):
        db.executescript(
            f"BEGIN; {script} PRAGMA application_id = {APPLICATION_ID}; PRAGMA user_version = {number}; COMMIT;"
        )
