"""A whole job as a folder of open formats, and back without loss.

What is read back are the rows of the job file as JSON and the files they name: logs as Parquet, what
drives said as zipped arrays. Tables as CSV stand beside them for people.
"""

from __future__ import annotations

import json
import math
import sqlite3
from pathlib import Path
from typing import Any

from lean_trim import __version__
from lean_trim.core.errors import BadInputError, LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.formats.folders import make_folder
from lean_trim.formats.tables import table_text
from lean_trim.formats.whole_files import write_whole, write_whole_bytes
from lean_trim.job.creation import make_file
from lean_trim.job.database import now
from lean_trim.job.loading import load_job, open_job
from lean_trim.job.records import Job
from lean_trim.job.rows import bring_up, filled_from, job_tables, memory_at
from lean_trim.job.schema import MIGRATIONS


class Say:
    """Sentences of this module."""

    NOT_EMPTY = Message(
        "folder.not_empty", "{path}: is not empty; a job is exported to a folder of its own"
    )
    NO_JOB = Message("folder.no_job", "{path}: is no exported job ({reason})")
    NEWER = Message(
        "folder.newer",
        "{path}: was exported by a newer version (schema {version}; this one reads up to {newest})",
    )
    BAD = Message("folder.bad", "{path}: {reason}")
    NO_SOUND = Message("folder.no_sound", "{path}: what it holds is no sound job: {reason}")


FORMAT = "lean-trim job 1"
INDEX = "job.json"
ROWS = "rows"
LOGS = "logs"
EVIDENCE = "evidence"
TABLES = "tables"
LARGEST_BYTES = 4_000_000_000
MOST_ROWS = 20_000_000
README = """\
A Lean Trim job, exported {when} by version {version}.

job.json      what this is, the version of its layout, and how many rows each file of rows/ holds
rows/*.json   everything the job holds, a list of rows a file: vehicle (the sheet), rounds, revisions and
              their tables, decided_cells, verdicts, predictions, proposals, steps (how it was decided),
              marks (bookmarks), left_out (stretches), round_words (answers and notes), settings and so on.
              A value {{"file": "..."}} stands for that file; {{"real": "inf"}} for a number JSON has not.
logs/*.parquet      the logs, a column a channel in the unit its name says, time_s first
evidence/*.zip      what each drive said of its table by place: tree.json and arrays.npz (NumPy)
tables/*.csv        for people: every table of every round as it was driven, and as it was decided.
                    They are not read back.

`lean-trim import THIS_FOLDER --out job.leantrim` makes the job file again, without loss.
"""


def _file_of(table: str, row: dict[str, Any]) -> str:
    """Name of the file that holds a row's bytes; made from the row alone, so that no other can be named."""
    if table == "logs":
        return f"{LOGS}/log-{int(row['id'])}.parquet"
    name = "".join(c if c.isalnum() or c in "_-" else "-" for c in str(row["table_name"]))
    return f"{EVIDENCE}/round-{int(row['round_id'])}-{name}.zip"


def export_job(path: Path, folder: Path) -> Job:
    """Write a job as a folder.

    Parameters
    ----------
    path : of the job file; it may be open elsewhere.
    folder : new, or empty.

    Returns
    -------
    What was written.

    Raises
    ------
    BadInputError
        If the file is no sound job, or the folder is not empty.
    OSError
        If it cannot be written.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise BadInputError(Say.NOT_EMPTY(path=folder))
    store, job = open_job(path, take=False)
    try:
        for part in (ROWS, LOGS, EVIDENCE, TABLES):
            make_folder(folder / part)
        counts: dict[str, int] = {}

        def dump(db: sqlite3.Connection) -> None:
            db.execute("BEGIN")
            try:
                for table in job_tables(db):
                    counts[table] = _dump(db, table, folder)
            finally:
                db.execute("ROLLBACK")

        store.database.reading(dump)
    finally:
        store.close()
    _write_tables(job, folder / TABLES)
    write_whole(folder / "README.txt", README.format(when=now(), version=__version__))
    # Last: a folder without it is one whose export was cut short.
    index = {
        "format": FORMAT,
        "schema": len(MIGRATIONS),
        "program": __version__,
        "exported": now(),
        "vehicle": job.vehicle.name,
        "rounds": len(job.rounds),
        "rows": counts,
    }
    write_whole(folder / INDEX, json.dumps(index, indent=1, ensure_ascii=False))
    return job


def _dump(db: sqlite3.Connection, table: str, folder: Path) -> int:
    cursor = db.execute(f"SELECT * FROM {table} ORDER BY rowid")
    names = [column[0] for column in cursor.description]
    out = []
    for values in cursor:
        row = dict(zip(names, values, strict=True))
        plain: dict[str, Any] = {}
        for name, value in row.items():
            if isinstance(value, bytes):
                file = _file_of(table, row)
                write_whole_bytes(folder / file, value)
                plain[name] = {"file": file}
            elif isinstance(value, float) and not math.isfinite(value):
                plain[name] = {"real": repr(value)}
            else:
                plain[name] = value
        out.append(plain)
    text = (
        "[\n"
        + ",\n".join(json.dumps(r, ensure_ascii=False, allow_nan=False) for r in out)
        + "\n]\n"
    )
    write_whole(folder / ROWS / f"{table}.json", text)
    return len(out)


def _write_tables(job: Job, folder: Path) -> None:
    for r in job.rounds:
        for name, table in r.revision.calibration.tables.items():
            plain = name.replace("_", "-")
            write_whole(folder / f"round-{r.number}-{plain}-driven.csv", table_text(table))
            decided = r.resulting_calibration[name]
            if name in r.decisions:
                write_whole(folder / f"round-{r.number}-{plain}-decided.csv", table_text(decided))


def import_job(folder: Path, path: Path) -> Job:
    """Make a job file of an exported folder.

    Parameters
    ----------
    folder : as ``export_job`` wrote it.
    path : of the job file; must not exist.

    Returns
    -------
    What is in it.

    Raises
    ------
    BadInputError
        If the folder is no exported job, is damaged, or is of a newer version; no file is left then.
    SaveFailedError
        If the file cannot be written.
    """
    version, counts = _index(folder)
    old = _in_memory(folder, version, counts)
    try:
        # Rows may name rows of tables that come later.
        make_file(path, filled_from(old), unordered=True)
    finally:
        old.close()
    try:
        return load_job(path)
    except LeanTrimError as error:
        path.unlink(missing_ok=True)
        raise BadInputError(Say.NO_SOUND(path=folder, reason=error)) from error


def _index(folder: Path) -> tuple[int, dict[str, int]]:
    index = _json(folder / INDEX)
    if not isinstance(index, dict) or index.get("format") != FORMAT:
        raise BadInputError(Say.NO_JOB(path=folder, reason="job.json says something else"))
    version = index.get("schema")
    counts = index.get("rows")
    if isinstance(version, bool) or not isinstance(version, int) or version < 1:
        raise BadInputError(Say.NO_JOB(path=folder, reason="job.json names no schema"))
    if version > len(MIGRATIONS):
        raise BadInputError(Say.NEWER(path=folder, version=version, newest=len(MIGRATIONS)))
    if not isinstance(counts, dict):
        raise BadInputError(Say.NO_JOB(path=folder, reason="job.json counts no rows"))
    return version, counts


def _in_memory(folder: Path, version: int, counts: dict[str, int]) -> sqlite3.Connection:
    """The rows at the version they were exported by, brought up to date."""
    db = memory_at(version)
    try:
        for table in job_tables(db):
            rows = _json(folder / ROWS / f"{table}.json")
            if (
                not isinstance(rows, list)
                or len(rows) > MOST_ROWS
                or len(rows) != counts.get(table)
            ):
                raise BadInputError(
                    Say.BAD(
                        path=folder / ROWS / f"{table}.json",
                        reason=f"holds another number of rows than {INDEX} counts",
                    )
                )
            _put(db, table, rows, folder)
        bring_up(db, version)
    except sqlite3.Error as error:
        db.close()
        raise BadInputError(Say.NO_JOB(path=folder, reason=error)) from error
    except BaseException:
        db.close()
        raise
    return db


def _put(db: sqlite3.Connection, table: str, rows: list[Any], folder: Path) -> None:
    names = [str(row[1]) for row in db.execute(f"PRAGMA table_info({table})")]
    marks = ", ".join("?" * len(names))
    where = folder / ROWS / f"{table}.json"
    for number, row in enumerate(rows, start=1):
        if not isinstance(row, dict) or set(row) != set(names):
            raise BadInputError(Say.BAD(path=where, reason=f"row {number} has other columns"))
        values = [_value(row, name, table, folder, where, number) for name in names]
        db.execute(f"INSERT INTO {table} VALUES ({marks})", values)


def _value(
    row: dict[str, Any], name: str, table: str, folder: Path, where: Path, number: int
) -> object:
    value = row[name]
    if value is None or isinstance(value, (str, float)):
        return value
    if isinstance(value, int) and not isinstance(value, bool) and abs(value) < 1 << 63:
        return value
    if (
        isinstance(value, dict)
        and set(value) == {"real"}
        and value["real"] in ("inf", "-inf", "nan")
    ):
        return float(value["real"])
    if isinstance(value, dict) and set(value) == {"file"}:
        try:
            own = _file_of(table, row)
        except (KeyError, TypeError, ValueError):
            own = ""
        # Any other name could be any other file of the machine.
        if value["file"] == own:
            return _bytes(folder / own)
    raise BadInputError(Say.BAD(path=where, reason=f"row {number}: {name} is no value of ours"))


def _bytes(path: Path) -> bytes:
    try:
        if path.is_symlink() or path.stat().st_size > LARGEST_BYTES:
            raise BadInputError(Say.BAD(path=path, reason="it is a link, or too large"))
        return path.read_bytes()
    except OSError as error:
        raise BadInputError(Say.BAD(path=path, reason=error.strerror or error)) from error


def _json(path: Path) -> Any:
    try:
        return json.loads(_bytes(path).decode("utf-8"))
    except (ValueError, RecursionError) as error:
        raise BadInputError(Say.BAD(path=path, reason="it is no JSON")) from error
