"""What the user said about the columns of logs, kept by the logs' shape."""

from __future__ import annotations

import sqlite3
from typing import get_args

from lean_trim.core.data.channels import Role
from lean_trim.formats.meaning.choices import Banks, Choices, ColumnChoice

BANKS: tuple[Banks, ...] = get_args(Banks)


def put_choices(db: sqlite3.Connection, shape: str, choices: Choices) -> None:
    """Keep the choices for logs of one shape, inside the caller's transaction.

    Parameters
    ----------
    db : in a transaction.
    shape : key of the logs' columns.
    choices : replace those that were kept.
    """
    rows = [
        (shape, name, str(c.role) if c.role else None, c.unit)
        for name, c in choices.columns.items()
    ]
    db.execute("DELETE FROM column_choices WHERE shape = ?", (shape,))
    db.executemany("INSERT INTO column_choices VALUES (?, ?, ?, ?)", rows)
    db.execute("INSERT OR REPLACE INTO bank_choices VALUES (?, ?)", (shape, choices.banks))
    words = (shape, choices.time, choices.time_unit, choices.rate_hz, choices.baro_kpa)
    db.execute("INSERT OR REPLACE INTO log_words VALUES (?, ?, ?, ?, ?)", words)


def choices_in(db: sqlite3.Connection) -> dict[str, Choices]:
    """Choices by shape. What is not understood (a role of another version, a damaged value) is left out.

    It is then asked again.

    Parameters
    ----------
    db : an open job.

    Returns
    -------
    Shape → choices.
    """
    known = {str(role) for role in Role}
    columns: dict[str, dict[str, ColumnChoice]] = {}
    for shape, name, role, unit in db.execute(
        "SELECT shape, name, role, unit FROM column_choices"
    ).fetchall():
        if all(isinstance(x, str) for x in (shape, name, unit)) and (role is None or role in known):
            columns.setdefault(shape, {})[name] = ColumnChoice(Role(role) if role else None, unit)
    stored = db.execute("SELECT shape, banks FROM bank_choices").fetchall()
    banks: dict[str, Banks] = {s: b for s, b in stored if isinstance(s, str) and b in BANKS}
    words = _words_in(db)
    return {
        s: Choices(columns.get(s, {}), banks.get(s, "mean"), *words.get(s, ("", "", 0.0, 0.0)))
        for s in {*columns, *banks, *words}
    }


def _words_in(db: sqlite3.Connection) -> dict[str, tuple[str, str, float, float]]:
    """Time column, its unit, rate and barometer by shape; numbers no log can have are left out."""
    found = {}
    for shape, time, unit, rate, baro in db.execute(
        "SELECT shape, time_column, time_unit, rate_hz, baro_kpa FROM log_words"
    ).fetchall():
        texts = all(isinstance(x, str) for x in (shape, time, unit))
        numbers = all(isinstance(x, int | float) and 0.0 <= x < 1e6 for x in (rate, baro))
        if texts and numbers:
            found[shape] = (time, unit, float(rate), float(baro))
    return found
