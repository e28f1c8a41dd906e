"""A whole job out of its file, every value checked: the file may be damaged, or somebody else's."""

from __future__ import annotations

import json
import math
import sqlite3
from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

import numpy as np

from lean_trim.core.data.calibration import LAYER_NAMES, TABLE_NAME, Calibration, with_tables_of
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.decision import Decision, Origin, undecided
from lean_trim.core.decision.round_verdict import DrivenCells
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.vehicle_sheet import BLENDED, vehicle_from_dict
from lean_trim.job.blobs import table_from_row
from lean_trim.job.evidence_rows import read_evidence
from lean_trim.job.kept_logs import LONGEST_LOG_S, KeptLog, KeptLogs
from lean_trim.job.learned_rows import read_learned_map
from lean_trim.job.records import (
    ROUND_KINDS,
    Job,
    LogInfo,
    Mark,
    Prediction,
    RestingLog,
    Revision,
    Round,
    Span,
    StoredProposal,
    Verdict,
)
from lean_trim.job.step_rows import read_steps
from lean_trim.job.tuning import tuning_from
from lean_trim.job.word_rows import read_words


class Say:
    """Sentences of this module."""

    NO_VEHICLE = Message("reading.no_vehicle", "it holds no vehicle")
    ROUND_COUNT = Message("reading.round_count", "it holds {count} rounds; allowed are 1 to {most}")
    OTHER_SUBJECT = Message(
        "reading.other_subject", "a round corrects another table than the vehicle's ({airflow})"
    )
    NO_TEXT = Message("reading.no_text", "{what} is no text of an allowed length")
    OUT_OF_RANGE = Message(
        "reading.out_of_range", "{what} is {value!r}; allowed is {low:g} to {high:g}"
    )
    NO_WHOLE_NUMBER = Message(
        "reading.no_whole_number",
        "{what} is {value!r}; allowed is a whole number from {low} to {high}",
    )
    CELL_TOO_LARGE = Message(
        "reading.cell_too_large", "{name}: a cell is {largest:g}; allowed is up to {most:g}"
    )
    ROUND_KIND = Message("reading.round_kind", "round {number} is of an unknown kind, {kind!r}")
    NO_REVISION = Message("reading.no_revision", "round {number} has no revision {revision_id}")
    PROPOSAL_COLUMN = Message(
        "reading.proposal_column",
        "a proposal has {size} cells or an infinite one; the table has {expected}",
    )
    NO_PARENT = Message("reading.no_parent", "revision {revision_id} has no parent {parent_id}")
    HANDED_NAME = Message(
        "reading.handed_name", "a table {name!r} that was handed over is none of ours"
    )
    PROPOSAL_SIZE = Message(
        "reading.proposal_size", "a proposal has {count} cells; the table has {size}"
    )


MOST_ROUNDS = 10_000
MOST_TEXT = 100_000
"""Characters of a note or a name."""
LARGEST_CELL = 1e6
"""Larger than any cell an ECU's table may hold."""


ROUND_ROWS = "SELECT id, number, started, revision_id, subject, settings, handed_over, note, kind FROM rounds"


def read_round(db: sqlite3.Connection, round_id: int) -> Round:
    """One round with its logs and its revision.

    Parameters
    ----------
    db : a job.
    round_id : of a round in it.

    Returns
    -------
    The round.

    Raises
    ------
    BadInputError
        Naming what cannot be.
    """
    row = db.execute(f"{ROUND_ROWS} WHERE id = ?", (round_id,)).fetchone()
    return _round(db, row, {row[3]: read_revision(db, row[3])}, {})


def read_job(db: sqlite3.Connection) -> Job:
    """Everything in the file.

    Parameters
    ----------
    db : a job whose declarations were checked.

    Returns
    -------
    The job.

    Raises
    ------
    BadInputError
        Naming what cannot be.
    """
    row = db.execute("SELECT sheet, car FROM vehicle").fetchone()
    if row is None:
        raise BadInputError(Say.NO_VEHICLE())
    sheet = json.loads(_text(row[0], "the vehicle sheet"))
    car = _text(row[1], "the car's name")
    revisions = _revisions(db)
    rows = db.execute(f"{ROUND_ROWS} ORDER BY number").fetchmany(MOST_ROUNDS + 1)
    if not 1 <= len(rows) <= MOST_ROUNDS:
        raise BadInputError(Say.ROUND_COUNT(count=len(rows), most=MOST_ROUNDS))
    logs: dict[int, KeptLog] = {}
    rounds = tuple(_round(db, row, revisions, logs) for row in rows)
    first = rounds[0]
    blank = _blank_vehicle(sheet, first)
    if any(r.subject != blank.table_name for r in rounds):
        raise BadInputError(Say.OTHER_SUBJECT(airflow=blank.table_name))
    # Injector tables and a scale belong to rounds; the vehicle keeps what its sheet says of them.
    return Job(with_tables_of(blank, first.revision.calibration), rounds, car)


def _blank_vehicle(sheet: Any, first: Round) -> Vehicle:
    """The vehicle of a sheet with the airflow tables of its first round; of two, as that round sees it."""
    tables = first.revision.calibration
    layers = {name: tables[name] for name in LAYER_NAMES if name in tables}
    if layers and "ve" in tables:
        blank = vehicle_from_dict(sheet, table=tables["ve"], target=None, layers=layers)
        return blank.seen_by(first.subject)
    if not isinstance(sheet, dict) or sheet.get("airflow") != BLENDED:
        return vehicle_from_dict(sheet, table=first.table, target=None)
    blank = vehicle_from_dict(sheet, table=tables["maf"], target=None, other=tables["ve"])
    return blank.seen_by(first.subject)


def _text(value: object, what: str) -> str:
    if not isinstance(value, str) or len(value) > LARGEST_TEXT.get(what, MOST_TEXT):
        raise BadInputError(Say.NO_TEXT(what=what))
    return value


LARGEST_TEXT = {"the vehicle sheet": 1_000_000, "the cells handed over": 1_000_000}


def _number(value: object, what: str, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise BadInputError(Say.OUT_OF_RANGE(what=what, value=value, low=low, high=high))
    return float(value)


def _whole(value: object, what: str, low: int, high: int) -> int:
    if not isinstance(value, int) or not low <= value <= high:
        raise BadInputError(Say.NO_WHOLE_NUMBER(what=what, value=value, low=low, high=high))
    return value


def _moment(value: object, what: str) -> str:
    text = _text(value, what)
    datetime.fromisoformat(text)
    return text


def _revisions(db: sqlite3.Connection) -> dict[int, Revision]:
    """Every revision by its id; parents have to exist and come before their children."""
    out: dict[int, Revision] = {}
    for (revision_id,) in db.execute("SELECT id FROM revisions ORDER BY id").fetchall():
        revision = read_revision(db, revision_id)
        if revision.parent_id is not None and revision.parent_id not in out:
            raise BadInputError(
                Say.NO_PARENT(revision_id=revision_id, parent_id=revision.parent_id)
            )
        out[revision_id] = revision
    return out


def read_revision(db: sqlite3.Connection, revision_id: int) -> Revision:
    """One revision with its tables.

    Parameters
    ----------
    db : a job.
    revision_id : of a revision in it.

    Returns
    -------
    The revision; whether its parent is there was not looked at.

    Raises
    ------
    BadInputError
        Naming what cannot be.
    """
    parent_id, created, note = db.execute(
        "SELECT parent_id, created, note FROM revisions WHERE id = ?", (revision_id,)
    ).fetchone()
    rows = db.execute(
        "SELECT revision_tables.name, tables.name, unit, axes, cells FROM revision_tables "
        "JOIN tables ON tables.id = table_id WHERE revision_id = ?",
        (revision_id,),
    ).fetchall()
    tables = {_text(key, "a table's name"): _table(row) for key, *row in rows}
    return Revision(
        revision_id,
        parent_id,
        _moment(created, "a revision's date"),
        Calibration(tables),
        _text(note, "a note"),
    )


def _table(row: list[str]) -> Table:
    table = table_from_row(*row)
    if table.values.max() > LARGEST_CELL:
        raise BadInputError(
            Say.CELL_TOO_LARGE(name=table.name, largest=table.values.max(), most=LARGEST_CELL)
        )
    return table


def _round(
    db: sqlite3.Connection,
    row: tuple[int, int, str, int, str, str, str, str, str],
    revisions: Mapping[int, Revision],
    logs: dict[int, KeptLog],
) -> Round:
    round_id, number, started, revision_id, subject, settings, handed_over, note, kind = row
    if kind not in ROUND_KINDS:
        raise BadInputError(Say.ROUND_KIND(number=number, kind=kind))
    if revision_id not in revisions:
        raise BadInputError(Say.NO_REVISION(number=number, revision_id=revision_id))
    revision = revisions[revision_id]
    infos = log_infos(db, round_id)
    read = Round(
        id=round_id,
        number=_whole(number, "a round's number", 1, MOST_ROUNDS),
        started=_moment(started, "a round's date"),
        revision=revision,
        subject=_text(subject, "a table's name"),
        logs=KeptLogs([_log(db, info, logs) for info in infos]),
        log_infos=infos,
        left_out=tuple(_spans(db, round_id)),
        marks=tuple(_marks(db, round_id)),
        tuning=tuning_from(_text(settings, "a round's settings")),
        verdicts=_verdicts(db, round_id),
        predictions=_predictions(db, round_id),
        handed_over=_text(handed_over, "a hand-over"),
        note=_text(note, "a note"),
        kind=kind,
        resting=tuple(_resting(db, round_id, logs)),
        handed=_handed(db, round_id, revision.calibration),
        steps=read_steps(db, round_id),
        learned=read_learned_map(db, round_id),
        evidence=read_evidence(db, round_id),
        words=read_words(db, round_id),
    )
    return replace(
        read,
        decisions=_decisions(db, round_id, revision.calibration),
        proposals=_proposals(db, round_id, revision),
    )


def log_infos(db: sqlite3.Connection, round_id: int) -> tuple[LogInfo, ...]:
    """Where a round's logs came from, in their order.

    Returns one entry per log.
    """
    rows = db.execute(
        "SELECT log_id FROM round_logs WHERE round_id = ? ORDER BY position", (round_id,)
    )
    return tuple(log_info(db, log_id) for (log_id,) in rows.fetchall())


def log_info(db: sqlite3.Connection, log_id: int) -> LogInfo:
    """Where a log came from.

    Returns its entry.
    """
    name, sha, added = db.execute(
        "SELECT name, sha256, added FROM logs WHERE id = ?", (log_id,)
    ).fetchone()
    return LogInfo(
        log_id,
        _text(name, "a log's name"),
        _text(sha, "a log's hash"),
        _moment(added, "a log's date"),
    )


def resting_ids(db: sqlite3.Connection, round_id: int) -> tuple[int, ...]:
    """Logs of a round that rest, in the order they were put aside.

    Returns their ids.
    """
    rows = db.execute(
        "SELECT log_id FROM resting_logs WHERE round_id = ? ORDER BY rowid", (round_id,)
    )
    return tuple(log_id for (log_id,) in rows.fetchall())


def _resting(
    db: sqlite3.Connection, round_id: int, logs: dict[int, KeptLog]
) -> Iterable[RestingLog]:
    for log_id in resting_ids(db, round_id):
        info = log_info(db, log_id)
        key = (round_id, log_id)
        spans = db.execute(
            "SELECT start_s, end_s FROM resting_left_out WHERE round_id = ? AND log_id = ? "
            "ORDER BY start_s, end_s",
            key,
        )
        marks = db.execute(
            "SELECT time_s, text FROM resting_marks WHERE round_id = ? AND log_id = ? ORDER BY "
            "time_s",
            key,
        )
        yield RestingLog(
            info,
            _log(db, info, logs).read(),
            tuple(_span(*row) for row in spans.fetchall()),
            tuple(_mark(*row) for row in marks.fetchall()),
        )


def _log(db: sqlite3.Connection, info: LogInfo, logs: dict[int, KeptLog]) -> KeptLog:
    """A log as it is kept, once however many rounds it belongs to."""
    if info.id not in logs:
        data, check, seconds = db.execute(
            "SELECT parquet, crc, duration_s FROM logs WHERE id = ?", (info.id,)
        ).fetchone()
        length = _number(seconds, "the length of a log", 0.0, LONGEST_LOG_S)
        logs[info.id] = KeptLog(data, info.name, check, length)
    return logs[info.id]


def _spans(db: sqlite3.Connection, round_id: int) -> Iterable[Span]:
    rows = db.execute(
        "SELECT start_s, end_s FROM left_out WHERE round_id = ? ORDER BY start_s, end_s",
        (round_id,),
    )
    return (_span(*row) for row in rows.fetchall())


def _span(start: object, end: object) -> Span:
    first = _number(start, "the start of a stretch", -LONGEST_LOG_S, LONGEST_LOG_S)
    return Span(first, _number(end, "the end of a stretch", first, LONGEST_LOG_S))


def _marks(db: sqlite3.Connection, round_id: int) -> Iterable[Mark]:
    rows = db.execute(
        "SELECT time_s, text FROM marks WHERE round_id = ? ORDER BY time_s", (round_id,)
    )
    return (_mark(*row) for row in rows.fetchall())


def _mark(time: object, text: object) -> Mark:
    return Mark(
        _number(time, "a bookmark's time", -LONGEST_LOG_S, LONGEST_LOG_S),
        _text(text, "a bookmark's note"),
    )


def _handed(db: sqlite3.Connection, round_id: int, calibration: Calibration) -> dict[str, Table]:
    """Tables that were handed over, by name."""
    rows = db.execute(
        "SELECT table_name, label, unit, axes, cells FROM handed_over_tables WHERE round_id = ?",
        (round_id,),
    )
    out: dict[str, Table] = {}
    for key, label, unit, axes, cells in rows.fetchall():
        name = _text(key, "a table's name")
        if not TABLE_NAME.fullmatch(name):
            raise BadInputError(Say.HANDED_NAME(name=name))
        if axes:
            out[name] = _table([label, unit, axes, cells])
            continue
        # Earlier versions kept the cells only; they lie on the round's own axes, if it still has
        # them.
        listed = json.loads(_text(cells, "the cells handed over"))
        if name in calibration and len(listed) == calibration[name].size:
            values = [_number(value, "a cell handed over", 1e-9, LARGEST_CELL) for value in listed]
            out[name] = calibration[name].with_values(np.reshape(values, calibration[name].shape))
    return out


def _verdicts(db: sqlite3.Connection, round_id: int) -> dict[str, Verdict]:
    rows = db.execute(
        "SELECT table_name, residual_rms, trim_rms, within_3, program, judged, cells FROM verdicts "
        "WHERE round_id = ?",
        (round_id,),
    )
    return {_table_name(name): _verdict(row) for name, *row in rows.fetchall()}


def _table_name(value: object) -> str:
    name = _text(value, "a table's name")
    if not TABLE_NAME.fullmatch(name):
        raise BadInputError(Say.HANDED_NAME(name=name))
    return name


def _verdict(row: list[object]) -> Verdict:
    residual, trims, within = (
        math.nan if value is None else _number(value, "a figure of a verdict", 0.0, 1e6)
        for value in row[:3]
    )
    return Verdict(
        residual,
        trims,
        within,
        _text(row[3], "a version"),
        _moment(row[4], "a verdict's date"),
        _driven(_text(row[5], "the cells of a verdict")),
    )


def _driven(text: str) -> DrivenCells | None:
    """What a drive showed by cell; None where that was not kept."""
    if not text:
        return None
    data = json.loads(text)
    size = len(data["gap_pct"])
    return DrivenCells(
        gap_pct=_column(data["gap_pct"], size),
        seconds=_column(data["seconds"], size),
        is_curve=bool(data["is_curve"]),
        doubted=bool(data["doubted"]),
    )


def _predictions(db: sqlite3.Connection, round_id: int) -> dict[str, Prediction]:
    rows = db.execute(
        "SELECT table_name, residual_rms, std_error FROM predictions WHERE round_id = ?",
        (round_id,),
    )
    return {
        _table_name(name): Prediction(*(_number(v, "a prediction", 0.0, 1e6) for v in row))
        for name, *row in rows.fetchall()
    }


def _decisions(
    db: sqlite3.Connection, round_id: int, calibration: Calibration
) -> dict[str, Decision]:
    rows = db.execute(
        "SELECT table_name, cell, value, origin, pinned FROM decided_cells WHERE round_id = ?",
        (round_id,),
    ).fetchall()
    cells: dict[str, list[tuple[object, ...]]] = {}
    for name, *cell in rows:
        cells.setdefault(_text(name, "a table's name"), []).append(tuple(cell))
    return {name: _decision(calibration[name], found) for name, found in cells.items()}


def _decision(table: Table, rows: list[tuple[object, ...]]) -> Decision:
    blank = undecided(table)
    values = blank.values.ravel()
    origins = blank.origin.ravel()
    pins = blank.pinned.ravel()
    for cell, value, origin, pinned in rows:
        place = _whole(cell, "a decided cell", 0, table.size - 1)
        values[place] = _number(value, f"the value decided for cell {place}", 1e-9, LARGEST_CELL)
        origins[place] = _whole(origin, "the origin of a value", min(Origin), max(Origin))
        pins[place] = bool(_whole(pinned, "a pin", 0, 1))
    shape = table.shape
    return Decision(values.reshape(shape), origins.reshape(shape), pins.reshape(shape))


def _proposals(
    db: sqlite3.Connection, round_id: int, revision: Revision
) -> dict[str, StoredProposal]:
    rows = db.execute(
        "SELECT table_name, cells, program, made FROM proposals WHERE round_id = ?", (round_id,)
    )
    out = {}
    for name, cells, program, made in rows.fetchall():
        size = revision.calibration[_text(name, "a table's name")].size
        data = json.loads(cells)
        status = tuple(_text(s, "a cell's status") for s in data["status"])
        if len(status) != size:
            raise BadInputError(Say.PROPOSAL_SIZE(count=len(status), size=size))
        out[name] = StoredProposal(
            asked_pct=_column(data["asked_pct"], size),
            step_pct=_column(data["step_pct"], size),
            std_error_pct=_column(data["std_error_pct"], size),
            status=status,
            program=_text(program, "a version"),
            made=_moment(made, "a proposal's date"),
        )
    return out


def _column(values: list[float | None], size: int) -> Floats:
    """Numbers of a proposal by cell, None for NaN."""
    found = np.array([math.nan if v is None else v for v in values], float)
    if found.shape != (size,) or np.isinf(found).any():
        raise BadInputError(Say.PROPOSAL_COLUMN(size=found.size, expected=size))
    return found
