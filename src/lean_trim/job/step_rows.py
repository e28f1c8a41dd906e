"""Steps of the trail as rows of the job file, and back with every value checked."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable
from datetime import datetime
from typing import Any

import numpy as np

from lean_trim.core.decision.confirmation import Danger, Warned
from lean_trim.core.decision.decision import Origin
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.trail import MOST_STEPS, CellStates, Step, Way


class Say:
    """Sentences of this module."""

    BAD_STEP = Message("step_rows.bad_step", "a step of the history cannot be ({reason})")


MOST_CELLS = 512 * 512
LARGEST_TEXT = 100_000_000
"""Characters of the cells of one step: a table of the largest size, all its cells changed."""
LARGEST_CELL = 1e6
"""Larger than any cell an ECU's table may hold."""


def put_step(db: sqlite3.Connection, round_id: int, step: Step) -> None:
    """Add a step; of more than are kept the oldest go.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    step : the newest.
    """
    db.execute(
        "INSERT INTO steps (round_id, made, table_name, text, way, cells) VALUES (?, ?, ?, ?, ?, ?)",
        (round_id, step.made, step.table_name, step.text, step.way.value, _cells_text(step)),
    )
    db.execute(
        "DELETE FROM steps WHERE round_id = ? AND id NOT IN "
        "(SELECT id FROM steps WHERE round_id = ? ORDER BY id DESC LIMIT ?)",
        (round_id, round_id, MOST_STEPS),
    )


def drop_last_step(db: sqlite3.Connection, round_id: int) -> None:
    """Drop the newest step of a round, whose gesture goes on."""
    db.execute(
        "DELETE FROM steps WHERE id = (SELECT max(id) FROM steps WHERE round_id = ?)", (round_id,)
    )


def put_steps(db: sqlite3.Connection, round_id: int, steps: Iterable[Step]) -> None:
    """Replace all steps of a round.

    Parameters
    ----------
    db : in a transaction.
    round_id : a round.
    steps : oldest first.
    """
    db.execute("DELETE FROM steps WHERE round_id = ?", (round_id,))
    for step in steps:
        put_step(db, round_id, step)


def _cells_text(step: Step) -> str:
    return json.dumps(
        {
            "places": step.places.tolist(),
            "before": _states_dict(step.before),
            "after": _states_dict(step.after),
            "confirmed": [
                {"danger": w.danger.value, "cells": sorted(w.cells), "worst_pct": w.worst_pct}
                for w in step.warned
            ],
        }
    )


def _states_dict(states: CellStates) -> dict[str, list[Any]]:
    return {
        "values": states.values.tolist(),
        "origin": states.origin.tolist(),
        "pinned": states.pinned.tolist(),
    }


def read_steps(db: sqlite3.Connection, round_id: int) -> tuple[Step, ...]:
    """Every step of a round, oldest first.

    Parameters
    ----------
    db : a job whose declarations were checked.
    round_id : a round.

    Returns
    -------
    The steps.

    Raises
    ------
    BadInputError
        If one of them cannot be.
    """
    rows = db.execute(
        "SELECT made, table_name, text, way, cells FROM steps WHERE round_id = ? ORDER BY id",
        (round_id,),
    ).fetchmany(MOST_STEPS)
    try:
        return tuple(_step(*row) for row in rows)
    except (KeyError, TypeError, ValueError, RecursionError) as error:
        raise BadInputError(Say.BAD_STEP(reason=type(error).__name__)) from error


def _step(made: str, table_name: str, text: str, way: str, cells: str) -> Step:
    datetime.fromisoformat(made)
    if len(cells) > LARGEST_TEXT:
        raise BadInputError(Say.BAD_STEP(reason="too long"))
    data = json.loads(cells)
    places = _whole(data["places"], MOST_CELLS - 1)
    return Step(
        made=made,
        table_name=str(table_name),
        text=str(text),
        way=Way(way),
        places=places,
        before=_states(data["before"], len(places)),
        after=_states(data["after"], len(places)),
        warned=tuple(_warned(w) for w in data["confirmed"]),
    )


def _whole(values: list[object], most: int) -> np.ndarray:
    found = np.array(values, np.int64)
    if found.ndim != 1 or (found < 0).any() or (found > most).any():
        raise BadInputError(Say.BAD_STEP(reason="a cell out of range"))
    return found.astype(np.intp)


def _states(data: dict[str, list[Any]], size: int) -> CellStates:
    values = np.array(data["values"], float)
    origin = _whole(data["origin"], max(Origin))
    pinned = np.array([bool(x) for x in data["pinned"]], bool)
    if not values.shape == origin.shape == pinned.shape == (size,):
        raise BadInputError(Say.BAD_STEP(reason="cells are missing"))
    if not (np.isfinite(values) & (values > 0) & (values <= LARGEST_CELL)).all():
        raise BadInputError(Say.BAD_STEP(reason="a value out of range"))
    return CellStates(values=values, origin=origin.astype(np.int8), pinned=pinned)


def _warned(data: dict[str, Any]) -> Warned:
    worst = float(data["worst_pct"])
    if not 0.0 <= worst <= LARGEST_CELL:
        raise BadInputError(Say.BAD_STEP(reason="a percentage out of range"))
    cells = _whole(data["cells"], MOST_CELLS - 1)
    return Warned(danger=Danger(data["danger"]), cells=frozenset(cells.tolist()), worst_pct=worst)
