"""A job as a folder and back: equal row by row, whatever is in it, and refused where it is not whole."""

from __future__ import annotations

import json
import shutil
import sqlite3
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.decision.decision import Origin, undecided
from lean_trim.core.errors import BadInputError
from lean_trim.job.blobs import store_log
from lean_trim.job.folder import INDEX, export_job, import_job
from lean_trim.job.records import Mark, Span, StoredEvidence, Word
from lean_trim.job.rows import OF_THE_FILE
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron

TEXT = st.text(
    alphabet=st.characters(exclude_categories=("Cs",), exclude_characters="\0"), max_size=40
)
FINITE = st.floats(allow_nan=False, allow_infinity=False, width=64, min_value=1.0, max_value=200.0)


def rows_of(path: Path) -> dict[str, list[tuple[object, ...]]]:
    """Everything a job file holds but who has it open."""
    with sqlite3.connect(path) as db:
        names = [n for (n,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        out = {
            n: db.execute(f"SELECT * FROM {n} ORDER BY rowid").fetchall()
            for n in names
            if n not in OF_THE_FILE
        }
    db.close()
    return out


def small_log(values: list[float]) -> Log:
    time = np.arange(float(len(values) + 2))
    shown = np.array([*values, 1.0, np.nan])
    return Log(time, {Role.RPM: shown, Role.LAMBDA: shown[::-1].copy()}, "a drive")


@st.composite
def contents(draw: st.DrawFn) -> dict[str, object]:
    return {
        "values": draw(st.lists(FINITE, min_size=1, max_size=5)),
        "notes": draw(st.dictionaries(st.tuples(TEXT, TEXT), TEXT, max_size=4)),
        "marks": draw(st.lists(st.tuples(FINITE, TEXT), max_size=3)),
        "cells": draw(st.lists(st.tuples(st.integers(0, 200), FINITE), max_size=4)),
        "evidence": draw(st.binary(max_size=60)),
        "setting": draw(TEXT),
    }


def make(path: Path, found: dict[str, object]) -> None:
    store = JobStore.create(path, heron(), car="heron")
    first = store.load().rounds[0]
    store.add_logs(first.id, [store_log(small_log(found["values"]))])  # type: ignore[arg-type]
    store.save_marks(first.id, [Mark(t, text) for t, text in found["marks"]])  # type: ignore[attr-defined]
    store.save_left_out(first.id, (Span(0.0, 1.0),))
    decision = undecided(first.table)
    values, origins = decision.values.copy(), decision.origin.copy()
    for cell, value in found["cells"]:  # type: ignore[attr-defined]
        values.ravel()[cell] = value
        origins.ravel()[cell] = Origin.BY_HAND
    store.save_decision(first.id, "ve", replace(decision, values=values, origin=origins))
    when = "2026-01-02T03:04:05+00:00"
    words = {key: Word(text, when) for key, text in found["notes"].items()}  # type: ignore[attr-defined]
    store.save_words(first.id, words)
    store.save_evidence(first.id, "ve", StoredEvidence(found["evidence"], "1", when))  # type: ignore[arg-type]
    store.save_setting("plan_where", str(found["setting"]))
    store.begin_round(store.load().rounds[0], store.load().rounds[0].resulting_calibration)
    store.close()


@settings(
    max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(contents())
def test_what_comes_back_is_equal(
    tmp_path_factory: pytest.TempPathFactory, found: dict[str, object]
) -> None:
    folder = tmp_path_factory.mktemp("job")
    make(folder / "a.leantrim", found)
    export_job(folder / "a.leantrim", folder / "out")
    import_job(folder / "out", folder / "b.leantrim")
    assert rows_of(folder / "b.leantrim") == rows_of(folder / "a.leantrim")


PLAIN = {
    "values": [2000.0, 3000.0],
    "notes": {("check", "fire"): "yes"},
    "marks": [(1.0, "a bump")],
    "cells": [(3, 55.5)],
    "evidence": b"abc",
    "setting": "road",
}


@pytest.fixture
def exported(tmp_path: Path) -> Path:
    make(tmp_path / "a.leantrim", PLAIN)
    export_job(tmp_path / "a.leantrim", tmp_path / "out")
    return tmp_path / "out"


def test_people_find_tables_logs_and_what_each_file_is(exported: Path) -> None:
    import polars as pl

    readme = (exported / "README.txt").read_text(encoding="utf-8")
    assert "rows/*.json" in readme and "not read back" in readme
    assert (exported / "tables" / "round-1-ve-driven.csv").read_text().startswith("kPa\\rpm")
    assert "55.5" in (exported / "tables" / "round-1-ve-decided.csv").read_text()
    (log,) = (exported / "logs").iterdir()
    assert pl.read_parquet(log)["rpm"].to_list()[:2] == [2000.0, 3000.0]


def test_nothing_is_written_over(exported: Path, tmp_path: Path) -> None:
    with pytest.raises(BadInputError, match="is not empty"):
        export_job(tmp_path / "a.leantrim", exported)
    with pytest.raises(BadInputError):
        import_job(exported, tmp_path / "a.leantrim")


def edited(folder: Path, table: str, change: object) -> None:
    path = folder / "rows" / f"{table}.json"
    rows = json.loads(path.read_text(encoding="utf-8"))
    change(rows)  # type: ignore[operator]
    path.write_text(json.dumps(rows), encoding="utf-8")


def spoilt(folder: Path, how: str) -> None:
    index = folder / INDEX
    told = json.loads(index.read_text(encoding="utf-8"))
    if how == "no index":
        index.unlink()
    elif how == "newer":
        index.write_text(json.dumps({**told, "schema": 999}))
    elif how == "rows missing":
        (folder / "rows" / "rounds.json").unlink()
    elif how == "row lost":
        edited(folder, "rounds", lambda rows: rows.pop())
    elif how == "column lost":
        edited(folder, "rounds", lambda rows: rows[0].pop("subject"))
    elif how == "no value":
        edited(folder, "rounds", lambda rows: rows[0].update(number=[1]))
    elif how == "another file":
        edited(folder, "logs", lambda rows: rows[0].update(parquet={"file": "../../etc/passwd"}))
    elif how == "log lost":
        shutil.rmtree(folder / "logs")
    elif how == "log spoilt":
        next((folder / "logs").iterdir()).write_bytes(b"PAR1")
    elif how == "round without revision":
        edited(folder, "rounds", lambda rows: rows[0].update(revision_id=77))
    elif how == "deep":
        (folder / "rows" / "rounds.json").write_text("[" * 200_000)


@pytest.mark.parametrize(
    "how",
    [
        "no index",
        "newer",
        "rows missing",
        "row lost",
        "column lost",
        "no value",
        "another file",
        "log lost",
        "log spoilt",
        "round without revision",
        "deep",
    ],
)
def test_a_folder_that_is_not_whole_is_refused_and_leaves_no_file(
    exported: Path, tmp_path: Path, how: str
) -> None:
    spoilt(exported, how)
    with pytest.raises(BadInputError) as refused:
        import_job(exported, tmp_path / "b.leantrim")
    assert str(tmp_path / "out") in str(refused.value)
    assert not (tmp_path / "b.leantrim").exists()
