"""What was worked out of a round, as rows of the job file; damaged rows count as none."""

from __future__ import annotations

import sqlite3
from datetime import datetime

from lean_trim import __version__
from lean_trim.job.database import now
from lean_trim.job.records import KeptAnswer

MOST_BYTES = 1 << 28
"""Most that is kept of one kind."""
MOST_TEXT = 1000


def put_kept(db: sqlite3.Connection, round_id: int, kind: str, answer: KeptAnswer) -> None:
    """Keep an answer in place of what was kept of that kind.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    kind : what it is.
    answer : one without version or date gets the present ones.
    """
    db.execute(
        "INSERT OR REPLACE INTO kept_answers VALUES (?, ?, ?, ?, ?, ?)",
        (
            round_id,
            kind,
            answer.key,
            answer.data,
            answer.program or __version__,
            answer.made or now(),
        ),
    )


def read_kept(db: sqlite3.Connection, round_id: int, kind: str) -> KeptAnswer | None:
    """An answer.

    Parameters
    ----------
    db : a job whose declarations were checked.
    round_id : a round.
    kind : what it is.

    Returns
    -------
    None where there is none, or none that can be: it is worked out again.
    """
    row = db.execute(
        "SELECT key, data, program, made FROM kept_answers WHERE round_id = ? AND kind = ?",
        (round_id, kind),
    ).fetchone()
    if row is None:
        return None
    key, data, program, made = row
    if any(not isinstance(t, str) or len(t) > MOST_TEXT for t in (key, program, made)):
        return None
    if not isinstance(data, bytes) or len(data) > MOST_BYTES:
        return None
    try:
        datetime.fromisoformat(made)
    except ValueError:
        return None
    return KeptAnswer(key, data, program, made)
