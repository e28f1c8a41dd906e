"""Schema of the job file as ordered, named migrations.

Each runs in one transaction with a log of what was applied.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache

APPLICATION_ID = 0x4C54524D
"""Marks a SQLite file as a Lean Trim job ("LTRM")."""


@dataclass(frozen=True)
class Migration:
    """One named step; its statements run in one transaction."""

    name: str
    statements: tuple[str, ...]


FIRST_ROUNDS = Migration(
    "first rounds",
    (
        "CREATE TABLE vehicle (id INTEGER PRIMARY KEY CHECK (id = 1), sheet TEXT NOT NULL, car "
        "TEXT NOT NULL DEFAULT '')",
        """CREATE TABLE tables (
            id INTEGER PRIMARY KEY, kind TEXT NOT NULL, name TEXT NOT NULL, unit TEXT NOT NULL,
            axes TEXT NOT NULL, cells TEXT NOT NULL, created TEXT NOT NULL)""",
        """CREATE TABLE logs (
            id INTEGER PRIMARY KEY, name TEXT NOT NULL, sha256 TEXT NOT NULL, added TEXT NOT NULL,
            samples INTEGER NOT NULL, duration_s REAL NOT NULL, parquet BLOB NOT NULL)""",
        """CREATE TABLE rounds (
            id INTEGER PRIMARY KEY, number INTEGER NOT NULL UNIQUE, started TEXT NOT NULL,
            table_id INTEGER NOT NULL REFERENCES tables(id), target_id INTEGER REFERENCES tables(id),
            residual_rms REAL, trim_rms REAL, within_3 REAL,
            handed_over TEXT NOT NULL DEFAULT '', note TEXT NOT NULL DEFAULT '')""",
        """CREATE TABLE round_logs (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE,
            log_id INTEGER NOT NULL REFERENCES logs(id), position INTEGER NOT NULL,
            PRIMARY KEY (round_id, position))""",
        """CREATE TABLE decisions (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, cell INTEGER NOT NULL,
            value REAL NOT NULL, source INTEGER NOT NULL, pinned INTEGER NOT NULL, PRIMARY KEY (round_id,
            cell))""",
        """CREATE TABLE left_out (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE,
            start_s REAL NOT NULL, end_s REAL NOT NULL)""",
    ),
)
CHOICES_AND_MARKS = Migration(
    "column choices, marks and settings",
    (
        """CREATE TABLE column_choices (
            shape TEXT NOT NULL, name TEXT NOT NULL, role TEXT, unit TEXT NOT NULL, PRIMARY KEY (shape,
            name))""",
        "CREATE TABLE bank_choices (shape TEXT PRIMARY KEY, banks TEXT NOT NULL)",
        """CREATE TABLE marks (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, time_s REAL NOT NULL, text
            TEXT NOT NULL)""",
        "CREATE TABLE settings (key TEXT PRIMARY KEY, value TEXT NOT NULL)",
    ),
)
REVISIONS = Migration(
    "revisions of whole calibrations; settings, verdict, proposal and prediction by round; owner",
    (
        """CREATE TABLE revisions (
            id INTEGER PRIMARY KEY, parent_id INTEGER REFERENCES revisions(id), created TEXT NOT NULL,
            note TEXT NOT NULL DEFAULT '')""",
        """CREATE TABLE revision_tables (
            revision_id INTEGER NOT NULL REFERENCES revisions(id) ON DELETE CASCADE, name TEXT NOT NULL,
            table_id INTEGER NOT NULL REFERENCES tables(id), PRIMARY KEY (revision_id, name))""",
        """INSERT INTO revisions (id, parent_id, created)
            SELECT id, (SELECT max(p.id) FROM rounds p WHERE p.number < rounds.number), started
            FROM rounds ORDER BY number""",
        """INSERT INTO revision_tables (revision_id, name, table_id)
            SELECT rounds.id, tables.kind, tables.id FROM rounds JOIN tables ON tables.id =
            rounds.table_id""",
        """INSERT INTO revision_tables (revision_id, name, table_id)
            SELECT id, 'target_lambda', target_id FROM rounds WHERE target_id IS NOT NULL""",
        """CREATE TABLE verdicts (
            round_id INTEGER PRIMARY KEY REFERENCES rounds(id) ON DELETE CASCADE,
            residual_rms REAL, trim_rms REAL, within_3 REAL, program TEXT NOT NULL, judged TEXT NOT NULL)""",
        """INSERT INTO verdicts (round_id, residual_rms, trim_rms, within_3, program, judged)
            SELECT id, residual_rms, trim_rms, within_3, '', started FROM rounds WHERE residual_rms IS NOT
            NULL""",
        """CREATE TABLE rounds_next (
            id INTEGER PRIMARY KEY, number INTEGER NOT NULL UNIQUE, started TEXT NOT NULL,
            revision_id INTEGER NOT NULL REFERENCES revisions(id), subject TEXT NOT NULL,
            settings TEXT NOT NULL DEFAULT '', handed_over TEXT NOT NULL DEFAULT '', note TEXT NOT NULL
            DEFAULT '')""",
        """INSERT INTO rounds_next (id, number, started, revision_id, subject, settings, handed_over, note)
            SELECT rounds.id, number, started, rounds.id, tables.kind,
            coalesce((SELECT value FROM settings WHERE key = 'tuning'), ''), handed_over, note
            FROM rounds JOIN tables ON tables.id = rounds.table_id""",
        "DROP TABLE rounds",
        "ALTER TABLE rounds_next RENAME TO rounds",
        "DELETE FROM settings WHERE key = 'tuning'",
        """CREATE TABLE decided_cells (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, table_name TEXT NOT NULL,
            cell INTEGER NOT NULL, value REAL NOT NULL, origin INTEGER NOT NULL, pinned INTEGER NOT NULL,
            PRIMARY KEY (round_id, table_name, cell))""",
        """INSERT INTO decided_cells (round_id, table_name, cell, value, origin, pinned)
            SELECT round_id, rounds.subject, cell, value, source, pinned
            FROM decisions JOIN rounds ON rounds.id = round_id""",
        "DROP TABLE decisions",
        """CREATE TABLE proposals (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, table_name TEXT NOT NULL,
            cells TEXT NOT NULL, program TEXT NOT NULL, made TEXT NOT NULL, PRIMARY KEY (round_id,
            table_name))""",
        """CREATE TABLE predictions (
            round_id INTEGER PRIMARY KEY REFERENCES rounds(id) ON DELETE CASCADE,
            residual_rms REAL NOT NULL, std_error REAL NOT NULL, made TEXT NOT NULL)""",
        """CREATE TABLE owner (
            id INTEGER PRIMARY KEY CHECK (id = 1), token TEXT NOT NULL, host TEXT NOT NULL, pid INTEGER NOT
            NULL,
            started TEXT NOT NULL, since TEXT NOT NULL)""",
        "CREATE TABLE migrations (name TEXT PRIMARY KEY, applied TEXT NOT NULL, program TEXT NOT "
        "NULL)",
    ),
)
HAND_OVER = Migration(
    "the cells that were handed over; logs that rest, with their stretches and bookmarks",
    (
        """CREATE TABLE handed_over_tables (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, table_name TEXT NOT NULL,
            cells TEXT NOT NULL, PRIMARY KEY (round_id, table_name))""",
        """CREATE TABLE resting_logs (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE,
            log_id INTEGER NOT NULL REFERENCES logs(id), PRIMARY KEY (round_id, log_id))""",
        """CREATE TABLE resting_left_out (
            round_id INTEGER NOT NULL, log_id INTEGER NOT NULL, start_s REAL NOT NULL, end_s REAL NOT NULL,
            FOREIGN KEY (round_id, log_id) REFERENCES resting_logs ON DELETE CASCADE)""",
        """CREATE TABLE resting_marks (
            round_id INTEGER NOT NULL, log_id INTEGER NOT NULL, time_s REAL NOT NULL, text TEXT NOT NULL,
            FOREIGN KEY (round_id, log_id) REFERENCES resting_logs ON DELETE CASCADE)""",
    ),
)
LOG_WORDS = Migration(
    "what was said of the time, the rate and the barometer of logs",
    (
        """CREATE TABLE log_words (
            shape TEXT PRIMARY KEY, time_column TEXT NOT NULL, time_unit TEXT NOT NULL, rate_hz REAL NOT NULL,
            baro_kpa REAL NOT NULL)""",
    ),
)
ROUND_KIND = Migration(
    "what kind of work a round is", ("ALTER TABLE rounds ADD COLUMN kind TEXT NOT NULL DEFAULT ''",)
)
WHOLE_HANDED_TABLES = Migration(
    "the tables that were handed over with their axes, for a round's own may be put back or "
    "pasted anew",
    (
        "ALTER TABLE handed_over_tables ADD COLUMN label TEXT NOT NULL DEFAULT ''",
        "ALTER TABLE handed_over_tables ADD COLUMN unit TEXT NOT NULL DEFAULT ''",
        "ALTER TABLE handed_over_tables ADD COLUMN axes TEXT NOT NULL DEFAULT ''",
    ),
)
DRIVEN_CELLS = Migration(
    "what a round's drive showed by cell, so that two drives are compared where both were",
    ("ALTER TABLE verdicts ADD COLUMN cells TEXT NOT NULL DEFAULT ''",),
)
STEPS = Migration(
    "the trail of what was decided, step by step, with what was confirmed",
    (
        """CREATE TABLE steps (
            id INTEGER PRIMARY KEY, round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE,
            made TEXT NOT NULL, table_name TEXT NOT NULL, text TEXT NOT NULL, way TEXT NOT NULL,
            cells TEXT NOT NULL)""",
        "CREATE INDEX steps_of_round ON steps (round_id)",
    ),
)
LEARNED_MAPS = Migration(
    "the fuel trims a self-learning ECU kept over a grid, as they were read out",
    (
        """CREATE TABLE learned_maps (
            round_id INTEGER PRIMARY KEY REFERENCES rounds(id) ON DELETE CASCADE, label TEXT NOT NULL,
            unit TEXT NOT NULL, axes TEXT NOT NULL, cells TEXT NOT NULL, bias_pct REAL NOT NULL,
            source TEXT NOT NULL, added TEXT NOT NULL)""",
    ),
)
BY_TABLE = Migration(
    "verdicts and predictions by table, for an ECU may have two airflow tables",
    (
        """CREATE TABLE verdicts_next (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, table_name TEXT NOT NULL,
            residual_rms REAL, trim_rms REAL, within_3 REAL, program TEXT NOT NULL, judged TEXT NOT NULL,
            cells TEXT NOT NULL, PRIMARY KEY (round_id, table_name))""",
        """INSERT INTO verdicts_next
            SELECT round_id, rounds.subject, residual_rms, trim_rms, within_3, program, judged, cells
            FROM verdicts JOIN rounds ON rounds.id = round_id""",
        "DROP TABLE verdicts",
        "ALTER TABLE verdicts_next RENAME TO verdicts",
        """CREATE TABLE predictions_next (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, table_name TEXT NOT NULL,
            residual_rms REAL NOT NULL, std_error REAL NOT NULL, made TEXT NOT NULL,
            PRIMARY KEY (round_id, table_name))""",
        """INSERT INTO predictions_next
            SELECT round_id, rounds.subject, residual_rms, std_error, made
            FROM predictions JOIN rounds ON rounds.id = round_id""",
        "DROP TABLE predictions",
        "ALTER TABLE predictions_next RENAME TO predictions",
    ),
)
EVIDENCE = Migration(
    "what a round's drive said of its table, for the rounds after it",
    (
        """CREATE TABLE evidence (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, table_name TEXT NOT NULL,
            data BLOB NOT NULL, program TEXT NOT NULL, made TEXT NOT NULL,
            PRIMARY KEY (round_id, table_name))""",
    ),
)
ROUND_WORDS = Migration(
    "what the user answers and notes of a round, dated",
    (
        """CREATE TABLE round_words (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, kind TEXT NOT NULL,
            key TEXT NOT NULL, text TEXT NOT NULL, written TEXT NOT NULL,
            PRIMARY KEY (round_id, kind, key))""",
    ),
)
KEPT_ANSWERS = Migration(
    "what was worked out of a round, under what it depends on, so that it need not be again",
    (
        """CREATE TABLE kept_answers (
            round_id INTEGER NOT NULL REFERENCES rounds(id) ON DELETE CASCADE, kind TEXT NOT NULL,
            key TEXT NOT NULL, data BLOB NOT NULL, program TEXT NOT NULL, made TEXT NOT NULL,
            PRIMARY KEY (round_id, kind))""",
    ),
)
LOG_SUMS = Migration(
    "check sums of logs, so that damage is told without reading them",
    ("ALTER TABLE logs ADD COLUMN crc INTEGER NOT NULL DEFAULT -1",),
)
MIGRATIONS: tuple[Migration, ...] = (
    FIRST_ROUNDS,
    CHOICES_AND_MARKS,
    REVISIONS,
    HAND_OVER,
    LOG_WORDS,
    ROUND_KIND,
    WHOLE_HANDED_TABLES,
    DRIVEN_CELLS,
    STEPS,
    LEARNED_MAPS,
    BY_TABLE,
    EVIDENCE,
    ROUND_WORDS,
    KEPT_ANSWERS,
    LOG_SUMS,
)
LOGS_MIGRATIONS_FROM = 3
"""Schema version from which the file itself keeps a log of its migrations."""


def apply_migration(db: sqlite3.Connection, number: int, applied: str, program: str) -> None:
    """Bring a database from schema ``number - 1`` to ``number`` (counted from 1) in one transaction.

    Foreign keys have to be off: a table that is rebuilt would take its children along.

    Parameters
    ----------
    db : of schema ``number - 1``.
    number : of the migration, from 1.
    applied : when, ISO 8601.
    program : version that applies it.
    """
    migration = MIGRATIONS[number - 1]
    db.execute("BEGIN IMMEDIATE")
    try:
        for statement in migration.statements:
            db.execute(statement)
        if number >= LOGS_MIGRATIONS_FROM:
            db.execute(
                "INSERT INTO migrations VALUES (?, ?, ?)", (migration.name, applied, program)
            )
        db.execute(f"PRAGMA application_id = {APPLICATION_ID}")
        db.execute(f"PRAGMA user_version = {number}")
        db.execute("COMMIT")
    except BaseException:
        if db.in_transaction:
            db.execute("ROLLBACK")
        raise


def objects_in(db: sqlite3.Connection) -> dict[tuple[str, str], str]:
    """Everything a database declares: (kind, name) → its SQL with white space folded.

    Implied indices left out.

    Returns tables, views, triggers and indices.
    """
    rows = db.execute("SELECT type, name, sql FROM sqlite_master WHERE sql IS NOT NULL")
    return {(str(kind), str(name)): " ".join(str(sql).split()) for kind, name, sql in rows}


@cache
def expected_objects(version: int) -> Mapping[tuple[str, str], str]:
    """What a file of a schema version declares, from building one in memory, once a version.

    Parameters
    ----------
    version : 1 to the newest.

    Returns
    -------
    Tables and indices.
    """
    # Built rather than written down a second time, so that it cannot differ from the migrations.
    db = sqlite3.connect(":memory:", isolation_level=None)
    try:
        for number in range(1, version + 1):
            apply_migration(db, number, "", "")
        return objects_in(db)
    finally:
        db.close()
