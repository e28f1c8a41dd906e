"""The learned map of a round as a row of the job file, and back with every value checked."""

from __future__ import annotations

import sqlite3
from datetime import datetime

from lean_trim.core.errors import BadInputError, LeanTrimError
from lean_trim.core.learned.reading import BIAS_RANGE, trims_of
from lean_trim.core.messages import Message
from lean_trim.job.blobs import table_from_row, table_row
from lean_trim.job.records import LearnedMap


class Say:
    """Sentences of this module."""

    BAD = Message("learned_rows.bad", "a learned map cannot be ({reason})")


MOST_TEXT = 1_000_000
MOST_NAME = 1000


def put_learned(db: sqlite3.Connection, round_id: int, learned: LearnedMap | None) -> None:
    """Replace the learned map of a round; None takes it away.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    learned : the map.
    """
    db.execute("DELETE FROM learned_maps WHERE round_id = ?", (round_id,))
    if learned is None:
        return
    row = table_row(learned.table)
    db.execute(
        "INSERT INTO learned_maps (round_id, label, unit, axes, cells, bias_pct, source, added) "
        "VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        (round_id, *row, learned.bias_pct, learned.source, learned.added),
    )


def read_learned_map(db: sqlite3.Connection, round_id: int) -> LearnedMap | None:
    """The learned map of a round.

    Parameters
    ----------
    db : a job whose declarations were checked.
    round_id : a round.

    Returns
    -------
    None if it has none.

    Raises
    ------
    BadInputError
        If it cannot be.
    """
    row = db.execute(
        "SELECT label, unit, axes, cells, bias_pct, source, added FROM learned_maps "
        "WHERE round_id = ?",
        (round_id,),
    ).fetchone()
    if row is None:
        return None
    *texts, bias, source, added = row
    try:
        if any(not isinstance(t, str) or len(t) > MOST_TEXT for t in texts):
            raise ValueError("no text")
        if not isinstance(source, str) or len(source) > MOST_NAME:
            raise ValueError("no name")
        datetime.fromisoformat(added)
        low, high = BIAS_RANGE
        if isinstance(bias, bool) or not low <= float(bias) <= high:
            raise ValueError("a bias out of range")
        table = table_from_row(*texts)
        trims_of(table)
        if len(table.axes) != 2:
            raise ValueError("no grid")
    except (TypeError, ValueError, KeyError, RecursionError, LeanTrimError) as error:
        raise BadInputError(Say.BAD(reason=str(error) or type(error).__name__)) from error
    return LearnedMap(table=table, bias_pct=float(bias), source=source, added=added)
