"""What the user answered and noted of a round, as rows of the job file, and back with every value checked."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping
from datetime import datetime

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.records import Word, WordKey


class Say:
    """Sentences of this module."""

    BAD = Message("word_rows.bad", "a note cannot be ({reason})")


MOST_WORDS = 10_000
MOST_KEY = 200
MOST_TEXT = 100_000


def put_words(db: sqlite3.Connection, round_id: int, words: Mapping[WordKey, Word]) -> None:
    """Replace all words of a round.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    words : by kind and key.
    """
    db.execute("DELETE FROM round_words WHERE round_id = ?", (round_id,))
    rows = [(round_id, *key, w.text, w.written) for key, w in words.items()]
    db.executemany("INSERT INTO round_words VALUES (?, ?, ?, ?, ?)", rows)


def read_words(db: sqlite3.Connection, round_id: int) -> dict[WordKey, Word]:
    """All words of a round.

    Parameters
    ----------
    db : a job whose declarations were checked.
    round_id : a round.

    Returns
    -------
    By kind and key.

    Raises
    ------
    BadInputError
        If a row cannot be.
    """
    rows = db.execute(
        "SELECT kind, key, text, written FROM round_words WHERE round_id = ?", (round_id,)
    ).fetchmany(MOST_WORDS + 1)
    out = {}
    try:
        if len(rows) > MOST_WORDS:
            raise ValueError("too many")
        for kind, key, text, written in rows:
            if any(not isinstance(t, str) for t in (kind, key, text, written)):
                raise ValueError("no text")
            if len(kind) > MOST_KEY or len(key) > MOST_KEY or len(text) > MOST_TEXT:
                raise ValueError("too long")
            datetime.fromisoformat(written)
            out[(kind, key)] = Word(text, written)
    except ValueError as error:
        raise BadInputError(Say.BAD(reason=error)) from error
    return out
