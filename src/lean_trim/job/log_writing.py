"""SQL that writes logs, which rounds they belong to, and what was marked on them.

Always in the caller's transaction.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

from lean_trim.core.data.log import Log
from lean_trim.job.database import now
from lean_trim.job.kept_logs import bytes_of, sum_of
from lean_trim.job.records import LogInfo, Mark, Round, Span, StoredLog


def keep_log(db: sqlite3.Connection, stored: StoredLog) -> int:
    """Add a log that belongs to no round yet; returns its id.

    Returns its id.
    """
    log = stored.log
    row = db.execute(
        "INSERT INTO logs (name, sha256, added, samples, duration_s, parquet, crc) "
        "VALUES (?, ?, ?, ?, ?, ?, ?)",
        (
            log.name,
            stored.sha256,
            now(),
            len(log),
            log.duration_s,
            stored.data,
            sum_of(stored.data),
        ),
    )
    return int(row.lastrowid or 0)


def put_log(db: sqlite3.Connection, round_id: int, stored: StoredLog) -> None:
    """Add a log at the end of a round."""
    log_id = keep_log(db, stored)
    db.execute(
        "INSERT INTO round_logs SELECT ?, ?, count(*) FROM round_logs WHERE round_id = ?",
        (round_id, log_id, round_id),
    )


def put_round_logs(db: sqlite3.Connection, r: Round) -> None:
    """Replace which logs belong to a round, which of them rest, and what was marked on them.

    A log the file does not hold (any more) is written again.

    Parameters
    ----------
    db : in a transaction.
    r : as it is to be.
    """
    db.execute("DELETE FROM round_logs WHERE round_id = ?", (r.id,))
    # Stretches and bookmarks of resting logs go with them.
    db.execute("DELETE FROM resting_logs WHERE round_id = ?", (r.id,))
    for position, info in enumerate(r.log_infos):
        log_id = _id_of(db, r.logs, position, info)
        db.execute("INSERT INTO round_logs VALUES (?, ?, ?)", (r.id, log_id, position))
    for rests in r.resting:
        log_id = _id_of(db, (rests.log,), 0, rests.info)
        db.execute("INSERT INTO resting_logs VALUES (?, ?)", (r.id, log_id))
        spans = [(r.id, log_id, s.start_s, s.end_s) for s in rests.left_out]
        db.executemany("INSERT INTO resting_left_out VALUES (?, ?, ?, ?)", spans)
        marks = [(r.id, log_id, m.time_s, m.text) for m in rests.marks]
        db.executemany("INSERT INTO resting_marks VALUES (?, ?, ?, ?)", marks)
    put_spans(db, r.id, r.left_out)
    put_marks(db, r.id, r.marks)


def _id_of(db: sqlite3.Connection, logs: Sequence[Log], place: int, info: LogInfo) -> int:
    """Id under which the file keeps one of some logs, written now if it does not."""
    row = db.execute("SELECT name, sha256, added FROM logs WHERE id = ?", (info.id,)).fetchone()
    if row == (info.name, info.sha256, info.added):
        return info.id
    # Another log may have got the id of one that was removed; that one then comes back under a new
    # id.
    wanted = info.id if row is None else None
    log = logs[place]
    data = bytes_of(logs, place)
    made = db.execute(
        "INSERT INTO logs VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (wanted, info.name, info.sha256, info.added, len(log), log.duration_s, data, sum_of(data)),
    )
    return int(made.lastrowid or 0)


def drop_unused_logs(db: sqlite3.Connection) -> None:
    """Delete logs that belong to no round any more."""
    db.execute(
        "DELETE FROM logs WHERE id NOT IN (SELECT log_id FROM round_logs) "
        "AND id NOT IN (SELECT log_id FROM resting_logs)"
    )


def put_spans(db: sqlite3.Connection, round_id: int, spans: Sequence[Span]) -> None:
    """Replace the stretches left out by hand."""
    db.execute("DELETE FROM left_out WHERE round_id = ?", (round_id,))
    db.executemany(
        "INSERT INTO left_out VALUES (?, ?, ?)", [(round_id, s.start_s, s.end_s) for s in spans]
    )


def put_marks(db: sqlite3.Connection, round_id: int, marks: Sequence[Mark]) -> None:
    """Replace the bookmarks."""
    db.execute("DELETE FROM marks WHERE round_id = ?", (round_id,))
    db.executemany(
        "INSERT INTO marks VALUES (?, ?, ?)", [(round_id, m.time_s, m.text) for m in marks]
    )
