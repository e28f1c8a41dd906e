"""What can still be read of a damaged job file, as a new file; the damaged one is left as it is.

Rows are read one by one around what cannot be read, rows that name lost ones go, and of a round that still
is none what hangs on it goes first, then the round.
"""

from __future__ import annotations

import sqlite3
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.job.creation import make_file
from lean_trim.job.database import LARGEST_VALUE_BYTES
from lean_trim.job.errors import DamagedJobError
from lean_trim.job.kept_logs import KeptLog
from lean_trim.job.loading import load_job
from lean_trim.job.reading import read_revision, read_round
from lean_trim.job.records import Job
from lean_trim.job.rows import bring_up, filled_from, job_tables, memory_at
from lean_trim.job.schema import APPLICATION_ID, MIGRATIONS


class Say:
    """Sentences of this module."""

    ROWS = Message("repair.rows", "{count} row(s) of {table}")
    LOG = Message("repair.log", "the log {name!r}")
    REVISION = Message("repair.revision", "revision {number} of the calibration")
    PART = Message("repair.part", "{what} of round {number}")
    ROUND = Message("repair.round", "round {number}")
    NOTHING = Message("repair.nothing", "nothing of it can be read any more ({reason})")
    NO_ROUND = Message("repair.no_round", "no round of it can be read any more")


MOST_TRIES = 20_000
"""Looks at stretches of one table around what cannot be read."""
BEYOND = 4096
"""Rows looked for beyond the last one that could be read, where the file cannot tell how many there are."""
PARTS = {
    "evidence": "what the drive said to later rounds",
    "round_words": "answers and notes",
    "proposals": "the proposal",
    "verdicts": "the verdict",
    "predictions": "the prediction",
    "steps": "how it was decided",
    "marks": "bookmarks",
    "left_out": "stretches left out",
    "learned_maps": "the learned map",
    "handed_over_tables": "the tables handed over",
    "decided_cells": "what was decided",
    "resting_logs": "logs that rest",
    "round_logs": "its logs",
}
"""Tables that hang on a round, what costs least first."""
UNREADABLE = (sqlite3.Error, LeanTrimError, ValueError, TypeError, KeyError, IndexError)
Row = tuple[Any, ...]


@dataclass(frozen=True, eq=False)
class Repaired:
    """The new job, and what is not in it any more, each in a few words."""

    job: Job
    lost: tuple[str, ...]


def repair_file(path: Path, out: Path) -> Repaired:
    """Copy what can be read of a job file into a new one; for a thread of its own.

    Parameters
    ----------
    path : of the damaged file; nothing is written to it.
    out : of the new file; must not exist.

    Returns
    -------
    The new job, and what was lost.

    Raises
    ------
    BadInputError
        If nothing can be saved of it, or the new file exists.
    SaveFailedError
        If the new file cannot be written.
    """
    found, version, lost = _rows_of(path)
    db = memory_at(version)
    try:
        _put(db, found, lost)
        bring_up(db, version)
        told = [str(Say.ROWS(count=n, table=table)) for table, n in sorted(lost.items()) if n]
        told += _without_orphans(db)
        told += _without_unreadable_logs(db)
        told += _without_orphans(db)
        told += _readable(path, db)
        make_file(out, filled_from(db), unordered=True)
    except sqlite3.Error as error:
        raise DamagedJobError(path, str(Say.NOTHING(reason=error))) from error
    finally:
        db.close()
    try:
        return Repaired(load_job(out), tuple(told))
    except LeanTrimError as error:
        out.unlink(missing_ok=True)
        raise DamagedJobError(path, str(Say.NOTHING(reason=error))) from error


def _rows_of(path: Path) -> tuple[dict[str, list[Row]], int, Counter[str]]:
    """Every row that can be read, by table; the schema's version, and how many could not."""
    address = f"{path.resolve().as_uri()}?mode=ro"
    try:
        db = sqlite3.connect(address, uri=True, isolation_level=None)
        db.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, LARGEST_VALUE_BYTES)
        db.execute("PRAGMA trusted_schema = OFF")
        version = int(db.execute("PRAGMA user_version").fetchone()[0])
        ours = db.execute("PRAGMA application_id").fetchone()[0] == APPLICATION_ID
    except sqlite3.Error as error:
        raise DamagedJobError(path, str(Say.NOTHING(reason=error))) from error
    try:
        if not ours or not 1 <= version <= len(MIGRATIONS):
            raise DamagedJobError(path, str(Say.NOTHING(reason="it is no job of ours")))
        empty = memory_at(version)
        tables = {
            t: len(empty.execute(f"PRAGMA table_info({t})").fetchall()) for t in job_tables(empty)
        }
        empty.close()
        lost: Counter[str] = Counter()
        rows = {table: list(_read(db, table, width, lost)) for table, width in tables.items()}
        return rows, version, lost
    finally:
        db.close()


def _read(db: sqlite3.Connection, table: str, width: int, lost: Counter[str]) -> Iterator[Row]:
    """Rows of a table as far as they can be read, then around what cannot be."""
    last = 0
    try:
        for place, *row in db.execute(f"SELECT rowid, * FROM {table} ORDER BY rowid"):
            if len(row) == width:
                yield tuple(row)
            last = place
        return
    except UNREADABLE:
        pass
    try:
        end = int(db.execute(f"SELECT max(rowid) FROM {table}").fetchone()[0])
    except UNREADABLE:
        end = last + BEYOND
    tries = MOST_TRIES
    parts = [(last + 1, end)]
    while parts and tries:
        tries -= 1
        low, high = parts.pop()
        if low > high:
            continue
        try:
            found = db.execute(
                f"SELECT * FROM {table} WHERE rowid BETWEEN ? AND ? ORDER BY rowid", (low, high)
            ).fetchall()
            yield from (row for row in found if len(row) == width)
        except UNREADABLE:
            middle = (low + high) // 2
            if low == high:
                lost[table] += 1
            else:
                parts += [(middle + 1, high), (low, middle)]


def _put(db: sqlite3.Connection, rows: dict[str, list[Row]], lost: Counter[str]) -> None:
    for table, found in rows.items():
        for row in found:
            marks = ", ".join("?" * len(row))
            try:
                db.execute(f"INSERT INTO {table} VALUES ({marks})", row)
            except sqlite3.Error:
                lost[table] += 1


def _without_orphans(db: sqlite3.Connection) -> list[str]:
    """Drop rows that name rows which are not there."""
    # A revision without its parent is still a calibration.
    db.execute(
        "UPDATE revisions SET parent_id = NULL WHERE parent_id NOT IN (SELECT id FROM revisions)"
    )
    gone: Counter[str] = Counter()
    while orphans := db.execute("PRAGMA foreign_key_check").fetchall():
        for table, place, *_ in orphans:
            gone[table] += db.execute(f"DELETE FROM {table} WHERE rowid = ?", (place,)).rowcount
    return [str(Say.ROWS(count=n, table=table)) for table, n in sorted(gone.items()) if n]


def _without_unreadable_logs(db: sqlite3.Connection) -> list[str]:
    told = []
    for log_id, name in db.execute("SELECT id, name FROM logs").fetchall():
        data, check = db.execute("SELECT parquet, crc FROM logs WHERE id = ?", (log_id,)).fetchone()
        # A log whose bytes are others may still be read, with other readings.
        if not _works(partial(_read_log, data, name, check)):
            told.append(str(Say.LOG(name=name)))
            for table in ("round_logs", "resting_logs"):
                db.execute(f"DELETE FROM {table} WHERE log_id = ?", (log_id,))
            db.execute("DELETE FROM logs WHERE id = ?", (log_id,))
    return told


def _read_log(data: bytes, name: str, check: int) -> None:
    KeptLog(data, name, check).read()


def _readable(path: Path, db: sqlite3.Connection) -> list[str]:
    """Drop what cannot be read although it is there; says what."""
    told = []
    for (number,) in db.execute("SELECT id FROM revisions ORDER BY id").fetchall():
        if not _works(partial(read_revision, db, number)):
            told.append(str(Say.REVISION(number=number)))
            db.execute("DELETE FROM revision_tables WHERE revision_id = ?", (number,))
            db.execute("DELETE FROM revisions WHERE id = ?", (number,))
    told += _without_orphans(db)
    rounds = db.execute("SELECT id, number FROM rounds ORDER BY number").fetchall()
    for round_id, number in rounds:
        told += _round_readable(db, round_id, number)
    if not db.execute("SELECT 1 FROM rounds").fetchone():
        raise DamagedJobError(path, str(Say.NO_ROUND()))
    return told


def _round_readable(db: sqlite3.Connection, round_id: int, number: int) -> list[str]:
    """Drop what keeps a round from being read: one thing that hangs on it, all of them, or itself."""

    def works() -> bool:
        return _works(lambda: read_round(db, round_id))

    if works():
        return []
    for part, what in PARTS.items():
        db.execute("SAVEPOINT tried")
        _drop(db, [part], round_id)
        if works():
            db.execute("RELEASE tried")
            return [str(Say.PART(what=what, number=number))]
        db.execute("ROLLBACK TO tried")
        db.execute("RELEASE tried")
    gone = []
    for part, what in PARTS.items():
        _drop(db, [part], round_id)
        gone.append(str(Say.PART(what=what, number=number)))
        if works():
            return gone
    db.execute("DELETE FROM rounds WHERE id = ?", (round_id,))
    return [str(Say.ROUND(number=number))]


def _drop(db: sqlite3.Connection, tables: Sequence[str], round_id: int) -> None:
    hanging = {"resting_logs": ("resting_left_out", "resting_marks")}
    for table in tables:
        for one in (table, *hanging.get(table, ())):
            db.execute(f"DELETE FROM {one} WHERE round_id = ?", (round_id,))


def _works(read: Callable[[], object]) -> bool:
    try:
        read()
    except UNREADABLE:
        return False
    return True
