"""Damage job files at random.

Each has to be read, or refused with a sentence, and nothing planted may take effect.

Mutations: bytes flipped, stretches zeroed, cut off, or copied elsewhere; SQL values replaced by
impossible ones; triggers, views and tables planted; settings, roles and JSON spoiled.
"""

from __future__ import annotations

import random
import sqlite3
import time
from collections.abc import Sequence
from pathlib import Path

from campaigns.jobs import driven_job
from campaigns.runner import Campaign, Trial
from lean_trim.core.errors import BadInputError
from lean_trim.features.feature import parts_of
from lean_trim.features.registry import FEATURES
from lean_trim.job.loading import open_job
from lean_trim.workspace.loop import ManualLoop
from lean_trim.workspace.workspace import Workspace

VALUES = (
    "NULL",
    "-5",
    "1e308",
    "-1e308",
    "9e999",
    "''",
    "'nonsense'",
    "zeroblob(64)",
    "-9223372036854775808",
    "'[[[['",
    "randomblob(3)",
)
PLANTS = (
    "CREATE TRIGGER sly AFTER INSERT ON settings BEGIN DELETE FROM decided_cells; END",
    "CREATE TRIGGER slow BEFORE UPDATE ON rounds BEGIN SELECT count(*) FROM tables a, tables b, "
    "tables c, logs d; END",
    "CREATE VIEW endless AS WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM c) "
    "SELECT x FROM c",
    "CREATE TABLE extra AS SELECT * FROM rounds",
)
JSON_COLUMNS = (
    ("vehicle", "sheet"),
    ("tables", "axes"),
    ("tables", "cells"),
    ("rounds", "settings"),
    ("proposals", "cells"),
)


def mutate(original: bytes, target: Path, seed: int) -> str:
    """Write a damaged copy of a job; returns what was done to it."""
    rng = random.Random(seed)
    kind = rng.choice(("bytes", "zeros", "cut", "copy", "value", "value", "value", "plant", "json"))
    if kind in ("bytes", "zeros", "cut", "copy"):
        target.write_bytes(_damaged(bytearray(original), kind, rng))
        return kind
    target.write_bytes(original)
    db = sqlite3.connect(target)
    try:
        db.execute("PRAGMA ignore_check_constraints = ON")
        return _edit(db, kind, rng)
    finally:
        db.commit()
        db.close()


def _damaged(data: bytearray, kind: str, rng: random.Random) -> bytes:
    size = len(data)
    # Most of a job is the log; half of the damage goes to the first pages, where the structure is.
    reach = size if rng.random() < 0.5 else min(size, 60_000)
    if kind == "bytes":
        for _ in range(rng.choice((1, 5, 50, 500))):
            data[rng.randrange(reach)] = rng.randrange(256)
    elif kind == "zeros":
        start = rng.randrange(reach)
        length = rng.choice((16, 512, 4096, 20_000))
        data[start : start + length] = bytes(min(length, size - start))
    elif kind == "cut":
        del data[rng.randrange(size) :]
    else:
        source = rng.randrange(reach)
        goal = rng.randrange(reach)
        length = rng.choice((64, 4096))
        data[goal : goal + length] = data[source : source + length]
    return bytes(data)


def _edit(db: sqlite3.Connection, kind: str, rng: random.Random) -> str:
    if kind == "plant":
        statement = rng.choice(PLANTS)
        db.execute(statement)
        return f"plant {statement[:24]}"
    if kind == "json":
        table, column = rng.choice(JSON_COLUMNS)
        rows = db.execute(f"SELECT rowid, {column} FROM {table}").fetchall()
        if rows:
            row, text = rng.choice(rows)
            db.execute(
                f"UPDATE {table} SET {column} = ? WHERE rowid = ?", (_spoilt(str(text), rng), row)
            )
        return f"json {table}.{column}"
    tables = [r[0] for r in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
    table = rng.choice(tables)
    column = rng.choice([r[1] for r in db.execute(f"PRAGMA table_info({table})")])
    value = rng.choice(VALUES)
    try:
        db.execute(f"UPDATE {table} SET {column} = {value}")
    except sqlite3.Error:
        return f"value {table}.{column} refused by the schema"
    return f"value {table}.{column} = {value}"


def _spoilt(text: str, rng: random.Random) -> str:
    place = rng.randrange(max(len(text), 1))
    return rng.choice(
        (
            text[:place],
            text[:place] + "1e999" + text[place:],
            text.replace("1", "-1"),
            text.replace("{", "[", 1),
            "null",
            "5",
            '"word"',
            "[" * 5000,
            text[:place] + "\x00" + text[place:],
        )
    )


def outcome(path: Path) -> tuple[str, float]:
    """What opening a file and changing something in it gives, and how long it took.

    "read", "refused", or the escaped error.
    """
    began = time.monotonic()
    try:
        result = _try(path)
    except BadInputError as error:
        result = "refused" if str(path) in str(error) else f"a sentence without the file: {error}"
    # Whatever else comes out is what is looked for.
    except BaseException as error:
        result = f"{type(error).__name__}: {error}"
    return result, time.monotonic() - began


def _try(path: Path) -> str:
    store, job = open_job(path)
    workspace = Workspace(ManualLoop(), parts_of(FEATURES))
    try:
        workspace.opening.take_job(path, store, job)
        workspace.tasks.drop_all()
        before = sum(r.decided.changed for r in job.rounds)
        workspace.saving.attempt(lambda: workspace.open.save_setting("probe", "1"))
        workspace.deciding.type_in("+1%", frozenset({0}))
        after = (
            workspace.open.job.rounds[-1].decided.changed if workspace.open.job is not None else 0
        )
        if after < job.rounds[-1].decided.changed or before < 0:
            return "a decision was lost"
    finally:
        workspace.opening.close_job()
    return "read"


JOB = "whole.leantrim"
SLOW_S = 2.0


def _trial(folder: Path, seed: int) -> Trial:
    target = folder / f"mutated-{seed}.leantrim"
    kind = mutate((folder / JOB).read_bytes(), target, seed)
    result, seconds = outcome(target)
    for left in folder.glob(f"mutated-{seed}.*"):
        left.unlink()
    return {"kind": kind, "result": result, "seconds": round(seconds, 3)}


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [r for r in results if r["result"] not in ("read", "refused") or r["seconds"] > SLOW_S]


def _table(results: Sequence[Trial]) -> list[str]:
    kinds = sorted({str(r["kind"]).split()[0] for r in results})
    lines = [
        "A driven job is damaged at random, opened, and a setting and a decision are saved in it. "
        "What is read has kept every",
        "decision; what is refused is refused with one sentence that names the file.",
        "",
        "| mutation | files | read | refused | escaped error | slowest, s |",
        "|---|---|---|---|---|---|",
    ]
    for kind in (*kinds, "all"):
        of = [r for r in results if kind == "all" or str(r["kind"]).split()[0] == kind]
        counts = [sum(r["result"] == x for r in of) for x in ("read", "refused")]
        slowest = max(float(r["seconds"]) for r in of)
        lines.append(
            f"| {kind} | {len(of)} | {counts[0]} | {counts[1]} | {len(of) - sum(counts)} | "
            f"{slowest:.2f} |"
        )
    return lines


CAMPAIGN = Campaign(
    title="Damaged job files",
    count=1000,
    prepare=lambda folder: driven_job(folder / JOB) and None,
    trial=_trial,
    table=_table,
    failed=_failed,
)
