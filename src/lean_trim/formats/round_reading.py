"""A round.json read back: what was driven on, what was asked of it, and how sure that was."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.data.tables import OwnUnit, Table
from lean_trim.core.errors import BadInputError
from lean_trim.core.estimation.carried import PlaceMeans
from lean_trim.core.messages import Message
from lean_trim.core.proving.transfer import Written
from lean_trim.core.types import Floats
from lean_trim.formats.round_json import axis_key


class Say:
    """Sentences of this module."""

    NO_FILE = Message(
        "round_reading.no_file",
        "{path}: not found; --before names the folder that `lean-trim correct` wrote for the round before",
    )
    NO_JSON = Message("round_reading.no_json", "{path}: is no round.json ({reason})")
    CELLS = Message(
        "round_reading.cells",
        "{path}: has {found} cells; the table of the vehicle sheet has {size}",
    )
    PLACE = Message(
        "round_reading.place",
        "{path}: cell {number} lies at {found}; the table of the vehicle sheet has {wanted} there",
    )
    VALUE = Message(
        "round_reading.value", "{path}: {key} of cell {number} is {found!r}, no number above 0"
    )
    OTHER = Message(
        "round_reading.other",
        "the table of the vehicle sheet is neither what {path} was driven on nor what it wrote, and "
        "differs from that by {most:.0f} %: name the sheet with the table that was written to the ECU",
    )
    PLACES = Message(
        "round_reading.places", "{path}: what it says of places cannot be; write the round anew"
    )


LARGEST_BYTES = 100_000_000
SAME = 0.002
"""Values that differ by less than this are one, as a share: files round."""
MOST_BY_HAND = 0.5
"""A table that differs from both by more than this is not what was made of the round by hand."""


def read_written(path: Path, table: Table) -> Written:
    """What a round handed over.

    Parameters
    ----------
    path : of its round.json.
    table : of the vehicle sheet: what the round was driven on, or what was written.

    Returns
    -------
    With the sheet's table as what was written, unless that is what the round was driven on.

    Raises
    ------
    BadInputError
        If the file is missing, damaged, or of another table.
    """
    cells = _cells(path)
    if len(cells) != table.size:
        raise BadInputError(Say.CELLS(path=path, found=len(cells), size=table.size))
    columns = _columns(path, cells, table)
    before, after = (columns[key].reshape(table.shape) for key in ("before", "after"))
    written = table.values
    if _apart(written, before) <= SAME:
        written = after
    elif _apart(written, after) > MOST_BY_HAND:
        raise BadInputError(Say.OTHER(path=path, most=100.0 * _apart(written, after)))
    return Written(
        before=table.with_values(before),
        after=table.with_values(written),
        asked_pct=columns["correction_pct"].reshape(table.shape),
        error_pct=columns["own_error_pct"].reshape(table.shape),
        seconds=np.nan_to_num(columns["seconds"]).reshape(table.shape),
        means=_places(path, table),
    )


def _places(path: Path, table: Table) -> PlaceMeans | None:
    """What the drive said place by place; None of a file that does not hold it."""
    told = json.loads(path.read_text(encoding="utf-8")).get("places")
    if not isinstance(told, dict):
        return None
    try:
        own = table.own or OwnUnit(table.unit)
        at = np.array([told[axis_key(axis.unit)] for axis in table.axes], float)
        wanted = np.asarray(own.ours(np.array(told["wanted"], float)))
        error = np.array(told["error_pct"], float) / 100.0
        seconds = np.array(told["seconds"], float)
    except (KeyError, TypeError, ValueError) as cause:
        raise BadInputError(Say.PLACES(path=path)) from cause
    sound = (
        at.shape == (len(table.axes), len(wanted)) and error.shape == wanted.shape == seconds.shape
    )
    if not sound or not (np.isfinite(at).all() and (wanted > 0.0).all() and (error > 0.0).all()):
        raise BadInputError(Say.PLACES(path=path))
    unknown = np.full(len(wanted), np.nan)
    return PlaceMeans(
        at=at,
        wanted=wanted,
        weight=1.0 / error**2,
        seconds=seconds,
        others_pct=np.zeros(len(wanted)),
        rpm=unknown,
        map_kpa=unknown,
        unit=1.0,
        scatter=np.inf,
    )


def _columns(path: Path, cells: list[dict[str, Any]], table: Table) -> dict[str, Floats]:
    """Figures of every cell, flat; values in our units."""
    own = table.own or OwnUnit(table.unit)
    columns: dict[str, Floats] = {
        key: np.full(table.size, np.nan)
        for key in ("before", "after", "correction_pct", "own_error_pct", "seconds")
    }
    for number, place in enumerate(np.ndindex(table.shape)):
        cell = cells[number]
        for axis, i in zip(table.axes, place, strict=True):
            wanted = float(axis.points[i])
            found = _number(cell.get(axis_key(axis.unit)))
            if not math.isclose(found, wanted, rel_tol=1e-6, abs_tol=1e-6):
                raise BadInputError(
                    Say.PLACE(
                        path=path,
                        number=number + 1,
                        found=f"{found:g} {axis.unit}",
                        wanted=f"{wanted:g} {axis.unit}",
                    )
                )
        for key, column in columns.items():
            column[number] = _number(cell.get(key))
    for key in ("before", "after"):
        columns[key] = np.asarray(own.ours(columns[key]))
        bad = np.flatnonzero(~(columns[key] > 0.0))
        if len(bad):
            number = int(bad[0])
            raise BadInputError(
                Say.VALUE(path=path, key=key, number=number + 1, found=cells[number].get(key))
            )
    return columns


def _apart(one: Floats, other: Floats) -> float:
    return float(np.max(np.abs(one / other - 1.0)))


def _number(value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        return math.nan
    return float(value) if math.isfinite(value) else math.nan


def _cells(path: Path) -> list[dict[str, Any]]:
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise BadInputError(Say.NO_JSON(path=path, reason="it is too large"))
        found = json.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError as error:
        raise BadInputError(Say.NO_FILE(path=path)) from error
    except (OSError, ValueError, RecursionError) as error:
        raise BadInputError(Say.NO_JSON(path=path, reason=type(error).__name__)) from error
    cells = found.get("cells") if isinstance(found, dict) else None
    if not isinstance(cells, list) or any(not isinstance(c, dict) for c in cells):
        raise BadInputError(Say.NO_JSON(path=path, reason="it has no list of cells"))
    return cells
