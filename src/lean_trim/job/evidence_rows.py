"""What a round's drive said of its table, as rows of the job file, and back with every value checked."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from datetime import datetime
from functools import lru_cache

from lean_trim import __version__
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.pipeline.carrying import DriveEvidence
from lean_trim.job.database import now
from lean_trim.job.records import StoredEvidence
from lean_trim.job.results import packed, unpacked


class Say:
    """Sentences of this module."""

    BAD = Message("evidence_rows.bad", "what a drive said of its table cannot be ({reason})")


MOST_BYTES = 1 << 26
"""Most that is kept of one drive; an hour over 512 × 512 cells takes a tenth of it."""
MOST_NAME = 1000
MOST_READ = 64
"""Drives kept as they were read, for every later round reads them all."""


def stored_evidence(evidence: DriveEvidence) -> StoredEvidence:
    """Evidence as it is kept.

    Returns bytes with version and date.
    """
    return StoredEvidence(packed(evidence), __version__, now())


@lru_cache(maxsize=MOST_READ)
def evidence_from(stored: StoredEvidence) -> DriveEvidence:
    """The inverse.

    Parameters
    ----------
    stored : as it was kept.

    Returns
    -------
    The evidence.

    Raises
    ------
    BadInputError
        If it is damaged, or of a version that kept something else.
    """
    found = unpacked(stored.data)
    if not isinstance(found, DriveEvidence):
        raise BadInputError(Say.BAD(reason=type(found).__name__))
    means = found.means
    count = len(means)
    columns = (means.weight, means.seconds, means.others_pct, means.rpm, means.map_kpa)
    if means.at.shape != (len(found.table.axes), count) or any(
        column.shape != (count,) for column in columns
    ):
        raise BadInputError(Say.BAD(reason="columns of unequal length"))
    shape = found.table.shape
    masks = (found.restraints.knock, found.restraints.fault, found.restraints.unproven)
    if any(mask.shape != shape for mask in masks):
        raise BadInputError(Say.BAD(reason="cells of another table"))
    return found


def put_evidence(
    db: sqlite3.Connection, round_id: int, evidence: Mapping[str, StoredEvidence]
) -> None:
    """Keep evidence of a round by table, in place of what was kept of those tables.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    evidence : by table.
    """
    rows = [(round_id, name, e.data, e.program, e.made) for name, e in evidence.items()]
    db.executemany("INSERT OR REPLACE INTO evidence VALUES (?, ?, ?, ?, ?)", rows)


def read_evidence(db: sqlite3.Connection, round_id: int) -> dict[str, StoredEvidence]:
    """Evidence of a round by table.

    Parameters
    ----------
    db : a job whose declarations were checked.
    round_id : a round.

    Returns
    -------
    Bytes that are read when they are needed.

    Raises
    ------
    BadInputError
        If a row cannot be.
    """
    rows = db.execute(
        "SELECT table_name, data, program, made FROM evidence WHERE round_id = ?", (round_id,)
    )
    out = {}
    for name, data, program, made in rows.fetchall():
        try:
            if any(not isinstance(t, str) or len(t) > MOST_NAME for t in (name, program, made)):
                raise ValueError("no text")
            if not isinstance(data, bytes) or len(data) > MOST_BYTES:
                raise ValueError("no bytes of ours")
            datetime.fromisoformat(made)
        except ValueError as error:
            raise BadInputError(Say.BAD(reason=error)) from error
        out[name] = StoredEvidence(data, program, made)
    return out
