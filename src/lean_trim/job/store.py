"""Reading and writing the job file; the only place with SQL besides the schema."""

from __future__ import annotations

import json
import math
import sqlite3
from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.decision import Decision, Origin, undecided
from lean_trim.core.errors import BadInputError
from lean_trim.formats.meaning.choices import Choices, ColumnChoice
from lean_trim.formats.vehicle_sheet import vehicle_dict, vehicle_from_dict
from lean_trim.job.blobs import log_from_parquet, table_from_row, table_row
from lean_trim.job.records import Job, LogInfo, Mark, Round, Span, StoredLog, Verdict
from lean_trim.job.schema import migrate

SUFFIX = ".leantrim"


def _now() -> str:
    return datetime.now().astimezone().isoformat(timespec="seconds")


class JobStore:
    """One open job file. Every method that changes something is one transaction."""

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            self.db = sqlite3.connect(path, isolation_level=None)
            self.db.execute("PRAGMA foreign_keys = ON")
            migrate(self.db, str(path))
        except sqlite3.DatabaseError as error:
            raise BadInputError(f"{path}: cannot be opened as a job file ({error})") from error

    @classmethod
    def create(cls, path: Path, vehicle: Vehicle, car: str = "") -> JobStore:
        """Make a new job with a first, empty round on the vehicle's table.

        Raises
        ------
        BadInputError
            If the file exists or cannot be made.
        """
        if path.exists():
            raise BadInputError(f"{path}: already exists; open it, or name another file")
        if not path.parent.is_dir():
            raise BadInputError(f"{path.parent}: is not a folder; name a folder that exists")
        store = cls(path)
        with store._transaction():
            sheet = json.dumps(vehicle_dict(vehicle))
            store.db.execute("INSERT INTO vehicle (id, sheet, car) VALUES (1, ?, ?)", (sheet, car))
            target = store._add_table("target_lambda", vehicle.target) if vehicle.target is not None else None
            table = store._add_table(vehicle.airflow, vehicle.table)
            store._add_round(1, table, target)
        return store

    @classmethod
    def open(cls, path: Path) -> JobStore:
        """Open an existing job.

        Raises
        ------
        BadInputError
            If the file is missing or not a job.
        """
        if not path.is_file():
            raise BadInputError(f"{path}: no such job file")
        store = cls(path)
        if store.db.execute("SELECT count(*) FROM vehicle").fetchone()[0] != 1:
            store.close()
            raise BadInputError(f"{path}: holds no vehicle, so it is not a Lean Trim job")
        return store

    def close(self) -> None:
        """Close the file; nothing is pending."""
        self.db.close()

    def _transaction(self) -> _Transaction:
        return _Transaction(self.db)

    def _add_table(self, kind: str, table: Table) -> int:
        row = self.db.execute(
            "INSERT INTO tables (kind, name, unit, axes, cells, created) VALUES (?, ?, ?, ?, ?, ?)",
            (kind, *table_row(table), _now()),
        )
        return int(row.lastrowid or 0)

    def _add_round(self, number: int, table_id: int, target_id: int | None) -> int:
        row = self.db.execute(
            "INSERT INTO rounds (number, started, table_id, target_id) VALUES (?, ?, ?, ?)",
            (number, _now(), table_id, target_id),
        )
        return int(row.lastrowid or 0)

    def _add_log(self, round_id: int, stored: StoredLog) -> None:
        log = stored.log
        row = self.db.execute(
            "INSERT INTO logs (name, sha256, added, samples, duration_s, parquet) VALUES (?, ?, ?, ?, ?, ?)",
            (log.name, stored.sha256, _now(), len(log), log.duration_s, stored.data),
        )
        self.db.execute(
            "INSERT INTO round_logs SELECT ?, ?, count(*) FROM round_logs WHERE round_id = ?",
            (round_id, row.lastrowid, round_id),
        )

    def add_logs(self, current: Round, logs: Sequence[StoredLog]) -> Round:
        """Add logs to a round; returns the round as it is now."""
        with self._transaction():
            for stored in logs:
                self._add_log(current.id, stored)
        return replace(current, logs=(*current.logs, *(s.log for s in logs)), log_infos=self._log_infos(current.id))

    def begin_round(self, result: Table, logs: Sequence[StoredLog] = ()) -> Round:
        """Start the next round on a new table revision, with its logs if they are there already."""
        with self._transaction():
            last = self.db.execute("SELECT number, target_id, id FROM rounds ORDER BY number DESC LIMIT 1").fetchone()
            kind = self.db.execute(
                "SELECT kind FROM tables JOIN rounds ON rounds.table_id = tables.id WHERE rounds.id = ?", (last[2],)
            ).fetchone()[0]
            table_id = self._add_table(kind, result)
            round_id = self._add_round(last[0] + 1, table_id, last[1])
            for stored in logs:
                self._add_log(round_id, stored)
        started = self.db.execute("SELECT started FROM rounds WHERE id = ?", (round_id,)).fetchone()[0]
        return Round(
            round_id, last[0] + 1, started, result, table_id, tuple(s.log for s in logs), self._log_infos(round_id)
        )

    def _log_infos(self, round_id: int) -> tuple[LogInfo, ...]:
        rows = self.db.execute(
            "SELECT logs.id, name, sha256, added FROM round_logs JOIN logs ON logs.id = log_id "
            "WHERE round_id = ? ORDER BY position",
            (round_id,),
        )
        return tuple(LogInfo(*r) for r in rows.fetchall())

    def save_decision(self, round_id: int, table: Table, decision: Decision) -> None:
        """Keep what was decided so far; untouched cells take no row."""
        rows = [
            (round_id, cell, float(v), int(s), int(p))
            for cell, (v, s, p) in enumerate(
                zip(decision.values.ravel(), decision.origin.ravel(), decision.pinned.ravel(), strict=True)
            )
            if s != Origin.UNTOUCHED or p
        ]
        with self._transaction():
            self.db.execute("DELETE FROM decisions WHERE round_id = ?", (round_id,))
            self.db.executemany("INSERT INTO decisions VALUES (?, ?, ?, ?, ?)", rows)

    def save_left_out(self, round_id: int, spans: Sequence[Span]) -> None:
        """Keep the stretches left out by hand."""
        with self._transaction():
            self.db.execute("DELETE FROM left_out WHERE round_id = ?", (round_id,))
            self.db.executemany(
                "INSERT INTO left_out VALUES (?, ?, ?)", [(round_id, s.start_s, s.end_s) for s in spans]
            )

    def save_marks(self, round_id: int, marks: Sequence[Mark]) -> None:
        """Keep the bookmarks of a round."""
        with self._transaction():
            self.db.execute("DELETE FROM marks WHERE round_id = ?", (round_id,))
            self.db.executemany("INSERT INTO marks VALUES (?, ?, ?)", [(round_id, m.time_s, m.text) for m in marks])

    def save_choices(self, shape: str, choices: Choices) -> None:
        """Keep what the user said about logs of one shape."""
        rows = [(shape, name, str(c.role) if c.role else None, c.unit) for name, c in choices.columns.items()]
        with self._transaction():
            self.db.execute("DELETE FROM column_choices WHERE shape = ?", (shape,))
            self.db.executemany("INSERT INTO column_choices VALUES (?, ?, ?, ?)", rows)
            self.db.execute("INSERT OR REPLACE INTO bank_choices VALUES (?, ?)", (shape, choices.banks))

    def load_choices(self) -> dict[str, Choices]:
        """What was said about logs, by shape."""
        columns: dict[str, dict[str, ColumnChoice]] = {}
        for shape, name, role, unit in self.db.execute("SELECT shape, name, role, unit FROM column_choices"):
            columns.setdefault(shape, {})[name] = ColumnChoice(Role(role) if role else None, unit)
        banks = dict(self.db.execute("SELECT shape, banks FROM bank_choices").fetchall())
        return {s: Choices(columns.get(s, {}), banks.get(s, "mean")) for s in {*columns, *banks}}

    def setting(self, key: str, default: str = "") -> str:
        """A setting of this job."""
        row = self.db.execute("SELECT value FROM settings WHERE key = ?", (key,)).fetchone()
        return str(row[0]) if row else default

    def save_setting(self, key: str, value: str) -> None:
        """Keep a setting of this job."""
        with self._transaction():
            self.db.execute("INSERT OR REPLACE INTO settings VALUES (?, ?)", (key, value))

    def save_verdict(self, round_id: int, verdict: Verdict) -> None:
        """Keep a round's figures."""
        figures = [v if math.isfinite(v) else None for v in (verdict.residual_rms, verdict.trim_rms, verdict.within_3)]
        with self._transaction():
            self.db.execute(
                "UPDATE rounds SET residual_rms = ?, trim_rms = ?, within_3 = ? WHERE id = ?", (*figures, round_id)
            )

    def mark_handed_over(self, round_id: int, how: str) -> None:
        """Keep how and when the table left the job."""
        with self._transaction():
            self.db.execute("UPDATE rounds SET handed_over = ? WHERE id = ?", (f"{_now()} {how}", round_id))

    def load(self) -> Job:
        """Everything in the file."""
        sheet, car = self.db.execute("SELECT sheet, car FROM vehicle").fetchone()
        rounds = tuple(
            self._load_round(row)
            for row in self.db.execute(
                "SELECT id, number, started, table_id, residual_rms, trim_rms, within_3, handed_over, note FROM rounds ORDER BY number"
            ).fetchall()
        )
        target_id = self.db.execute("SELECT target_id FROM rounds ORDER BY number LIMIT 1").fetchone()[0]
        target = self._table(target_id) if target_id else None
        return Job(vehicle_from_dict(json.loads(sheet), rounds[0].table, target), rounds, car)

    def _table(self, table_id: int) -> Table:
        row = self.db.execute("SELECT name, unit, axes, cells FROM tables WHERE id = ?", (table_id,)).fetchone()
        return table_from_row(*row)

    def _load_round(self, row: tuple[int, int, str, int, float | None, float | None, float | None, str, str]) -> Round:
        round_id, number, started, table_id, *figures, handed_over, note = row
        logs = self.db.execute(
            "SELECT name, parquet FROM round_logs JOIN logs ON logs.id = log_id WHERE round_id = ? ORDER BY position",
            (round_id,),
        ).fetchall()
        spans = self.db.execute("SELECT start_s, end_s FROM left_out WHERE round_id = ? ORDER BY start_s", (round_id,))
        verdict = None
        if figures[0] is not None:
            verdict = Verdict(*(float("nan") if f is None else float(f) for f in figures))  # type: ignore[arg-type]
        marks = self.db.execute("SELECT time_s, text FROM marks WHERE round_id = ? ORDER BY time_s", (round_id,))
        table = self._table(table_id)
        return Round(
            round_id,
            number,
            started,
            table,
            table_id,
            tuple(log_from_parquet(data, name) for name, data in logs),
            self._log_infos(round_id),
            tuple(Span(*s) for s in spans.fetchall()),
            tuple(Mark(*m) for m in marks.fetchall()),
            self._decision(round_id, table),
            verdict,
            handed_over,
            note,
        )

    def _decision(self, round_id: int, table: Table) -> Decision | None:
        rows = self.db.execute(
            "SELECT cell, value, source, pinned FROM decisions WHERE round_id = ?", (round_id,)
        ).fetchall()
        if not rows:
            return None
        blank = undecided(table)
        cells, values, sources, pins = (np.array(c) for c in zip(*rows, strict=True))
        out_values, out_sources, out_pins = blank.values.ravel(), blank.origin.ravel(), blank.pinned.ravel()
        out_values[cells], out_sources[cells], out_pins[cells] = values, sources, pins.astype(bool)
        shape = table.shape
        return replace(
            blank, values=out_values.reshape(shape), origin=out_sources.reshape(shape), pinned=out_pins.reshape(shape)
        )


class _Transaction:
    """BEGIN on entry; COMMIT, or ROLLBACK if anything was raised."""

    def __init__(self, db: sqlite3.Connection) -> None:
        self.db = db

    def __enter__(self) -> None:
        self.db.execute("BEGIN IMMEDIATE")

    def __exit__(self, kind: object, *_: object) -> None:
        self.db.execute("ROLLBACK" if kind else "COMMIT")


def load_job(path: Path) -> Job:
    """Read a whole job on a connection of its own, so that it can be done in any thread."""
    store = JobStore.open(path)
    try:
        return store.load()
    finally:
        store.close()
