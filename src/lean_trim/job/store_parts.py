"""What more than one change of a job file has in common."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping
from dataclasses import replace

from lean_trim.core.data.calibration import calibration_of
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.meaning.choices import Choices
from lean_trim.formats.vehicle_sheet import vehicle_dict
from lean_trim.job.choices import put_choices
from lean_trim.job.reading import log_info, log_infos, read_job, resting_ids
from lean_trim.job.records import Job, Round
from lean_trim.job.tuning import Tuning
from lean_trim.job.writing import put_revision, put_round


class Say:
    """Sentences of this module."""

    DAMAGED = Message("store.damaged", "the database is damaged ({state})")
    MISSING_ENTRY = Message(
        "store.missing_entry", "an entry of {table} refers to one of {table_2} that is missing"
    )


def subject_of(db: sqlite3.Connection, round_id: int) -> str:
    """The table under correction in a round."""
    return str(db.execute("SELECT subject FROM rounds WHERE id = ?", (round_id,)).fetchone()[0])


def put_first_round(db: sqlite3.Connection, vehicle: Vehicle, car: str) -> None:
    """Write the vehicle and the round every job begins with."""
    sheet = json.dumps(vehicle_dict(vehicle))
    db.execute("INSERT INTO vehicle (id, sheet, car) VALUES (1, ?, ?)", (sheet, car))
    revision_id = put_revision(db, None, calibration_of(vehicle))
    put_round(db, 1, revision_id, vehicle.table_name, Tuning())


def put_vehicle(db: sqlite3.Connection, vehicle: Vehicle) -> None:
    """Replace the vehicle's sheet."""
    db.execute("UPDATE vehicle SET sheet = ?", (json.dumps(vehicle_dict(vehicle)),))


def put_settings(
    db: sqlite3.Connection, settings: Mapping[str, str], choices: Mapping[str, Choices]
) -> None:
    """Keep settings, and what was said of logs."""
    for key, value in settings.items():
        db.execute("INSERT OR REPLACE INTO settings VALUES (?, ?)", (key, value))
    for shape, choice in choices.items():
        put_choices(db, shape, choice)


def with_kept_ids(db: sqlite3.Connection, r: Round) -> Round:
    """A round with its logs under the ids the file keeps them under."""
    ids = resting_ids(db, r.id)
    resting = tuple(replace(x, info=log_info(db, i)) for x, i in zip(r.resting, ids, strict=True))
    return replace(r, log_infos=log_infos(db, r.id), resting=resting)


def sound_job(db: sqlite3.Connection) -> Job:
    """All of the job; BadInputError if the database is damaged or an entry is missing."""
    (state,) = db.execute("PRAGMA quick_check(1)").fetchone()
    if state != "ok":
        raise BadInputError(Say.DAMAGED(state=state))
    lost = db.execute("PRAGMA foreign_key_check").fetchone()
    if lost is not None:
        raise BadInputError(Say.MISSING_ENTRY(table=lost[0], table_2=lost[2]))
    return read_job(db)
