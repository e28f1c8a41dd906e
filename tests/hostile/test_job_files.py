"""A job file from anybody: what this program did not write is refused in words, and nothing in it runs."""

from __future__ import annotations

import json
import sqlite3
import time
from pathlib import Path

import pytest

from campaigns.mutations import mutate, outcome
from lean_trim.core.errors import BadInputError
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore

SAMPLE = 40
"""Mutated files tried here; ``./campaign mutations`` tries a thousand."""


def change(path: Path, *statements: str) -> None:
    db = sqlite3.connect(path)
    for statement in statements:
        db.execute(statement)
    db.commit()
    db.close()


PLANTED = [
    "CREATE TRIGGER sly AFTER UPDATE ON rounds BEGIN DELETE FROM decided_cells; END",
    "CREATE VIEW slow AS WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM c) SELECT x "
    "FROM c",
    "CREATE TABLE extra (x)",
    "CREATE INDEX odd ON rounds (note)",
]


@pytest.mark.parametrize("statement", PLANTED)
def test_a_planted_object_is_refused_before_it_can_act(job_path: Path, statement: str) -> None:
    change(job_path, statement)
    with pytest.raises(BadInputError, match="declares something of its own"):
        JobStore(job_path)


def test_a_table_replaced_by_a_view_is_refused(job_path: Path) -> None:
    change(
        job_path,
        "ALTER TABLE settings RENAME TO aside",
        "CREATE VIEW settings AS WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM c) "
        "SELECT x AS key, x AS value FROM c",
    )
    began = time.monotonic()
    with pytest.raises(BadInputError, match="declares something of its own"):
        JobStore(job_path)
    assert time.monotonic() - began < 2.0


def test_a_missing_table_is_named(job_path: Path) -> None:
    change(job_path, "DROP TABLE marks")
    with pytest.raises(BadInputError, match="table marks is missing"):
        JobStore(job_path)


LEARNED = (
    "INSERT INTO learned_maps SELECT rounds.id, name, unit, axes, {cells}, {bias}, 'x', "
    "'2026-01-01T10:00:00' FROM rounds, tables WHERE tables.kind = 've'"
)
BAD_VALUES = [
    ("UPDATE decided_cells SET cell = -3", "a decided cell is -3"),
    ("UPDATE decided_cells SET value = 1e308", "allowed is"),
    ("UPDATE decided_cells SET value = -5", "allowed is"),
    ("UPDATE decided_cells SET value = 'much'", "allowed is"),
    ("UPDATE decided_cells SET origin = 9", "the origin of a value is 9"),
    ("UPDATE decided_cells SET table_name = 'spark'", "no table 'spark'"),
    ("UPDATE tables SET cells = '[1e400]'", "shape"),
    ("UPDATE tables SET cells = replace(cells, '.', 'e300,')", "contents cannot be read"),
    ("UPDATE tables SET axes = '{}'", "contents cannot be read"),
    ("UPDATE tables SET axes = 'nonsense'", "contents cannot be read"),
    ("UPDATE vehicle SET sheet = '[]'", "must be one JSON object"),
    ("UPDATE vehicle SET sheet = replace(sheet, '1.8', '-1.8')", "displacement_l"),
    (
        "UPDATE vehicle SET sheet = replace(sheet, '\"ve\"', '\"maf\"')",
        "corrects another table|no table",
    ),
    ("UPDATE rounds SET started = 'yesterday'", "contents cannot be read"),
    ("UPDATE rounds SET number = -1", "a round's number is -1"),
    ("UPDATE rounds SET subject = 'maf'", "another table|no table"),
    ("UPDATE rounds SET note = zeroblob(10)", "no text"),
    ("UPDATE revisions SET parent_id = 77", "revisions that is missing"),
    (
        "INSERT INTO handed_over_tables SELECT rounds.id, '../spark', cells, name, unit, axes FROM "
        "rounds, tables WHERE tables.kind = 've'",
        "a table '../spark' that was handed over is none of ours",
    ),
    (
        "INSERT INTO handed_over_tables SELECT rounds.id, 've', '[1.0]', name, unit, axes FROM "
        "rounds, tables WHERE tables.kind = 've'",
        "shape|cells|reshape",
    ),
    (
        "INSERT INTO handed_over_tables SELECT rounds.id, 've', replace(cells, '53.7', '-53.7'), "
        "name, unit, axes FROM rounds, tables WHERE tables.kind = 've'",
        "-53.7|above 0|not positive|positive",
    ),
    (
        "INSERT INTO resting_logs SELECT id, 77 FROM rounds",
        "an entry of resting_logs refers to one of logs",
    ),
    (
        "INSERT INTO resting_marks SELECT id, 1, 5.0, 'x' FROM rounds",
        "an entry of resting_marks refers to one of resting_logs",
    ),
    (
        "UPDATE round_logs SET log_id = 77",
        "an entry of round_logs refers to one of logs that is missing",
    ),
    ("DELETE FROM vehicle", "no vehicle"),
    ("DELETE FROM rounds", "rounds that is missing"),
    ("DELETE FROM revision_tables", "at least one table"),
    ("UPDATE logs SET parquet = 'words'", "contents cannot be read"),
    ("UPDATE logs SET parquet = substr(parquet, 1, 500)", "is not what was saved of it"),
    ("UPDATE logs SET parquet = substr(parquet, 1, 500), crc = -1", "cannot be read"),
    ("UPDATE logs SET crc = 'x'", "is not what was saved of it"),
    ("INSERT INTO left_out VALUES (1, 5.0, 1.0)", "the end of a stretch"),
    ("INSERT INTO left_out VALUES (1, 9e999, 1.0)", "the start of a stretch"),
    ("INSERT INTO marks VALUES (1, 9e999, '')", "a bookmark's time"),
    ("UPDATE verdicts SET residual_rms = -4", "a figure of a verdict"),
    ("UPDATE verdicts SET cells = '{\"gap_pct\": [1.0]}'", "contents cannot be read"),
    ("UPDATE verdicts SET cells = 'words'", "contents cannot be read"),
    (
        'UPDATE verdicts SET cells = \'{"gap_pct": [1.0], "seconds": [1, 2], "is_curve": 0, '
        '"doubted": 0}\'',
        "expected|allowed|proposal",
    ),
    ("UPDATE proposals SET cells = '{\"status\": []}'", "contents cannot be read|proposal"),
    ("UPDATE verdicts SET table_name = '../spark'", "is none of ours"),
    (LEARNED.format(bias=9.0, cells="cells"), "a learned map cannot be"),
    (LEARNED.format(bias=0.0, cells="'[1.0]'"), "a learned map cannot be"),
    (LEARNED.format(bias=0.0, cells="cells"), "holds no fuel trims"),
]


@pytest.fixture
def decided_path(job_path: Path) -> Path:
    """The driven job with one decided cell, a verdict and a proposal."""
    change(
        job_path,
        "INSERT INTO decided_cells VALUES (1, 've', 5, 60.0, 1, 0)",
        "INSERT INTO verdicts VALUES (1, 've', 7.0, 5.0, 40.0, '0', '2026-01-01T10:00:00+00:00', '')",
        "INSERT INTO proposals VALUES (1, 've', '{}', '0', '2026-01-01T10:00:00+00:00')",
    )
    return job_path


@pytest.mark.parametrize(("statement", "words"), BAD_VALUES)
def test_impossible_values_are_refused_in_words(
    decided_path: Path, statement: str, words: str
) -> None:
    if "proposals" not in statement:
        change(decided_path, "DELETE FROM proposals")
    change(decided_path, statement)
    with pytest.raises(BadInputError, match=words) as caught:
        load_job(decided_path)
    assert str(decided_path) in str(caught.value) and "\n" not in str(caught.value)


@pytest.mark.parametrize(
    "text",
    [
        "[[[" * 2000,
        '{"sieve": 5}',
        '{"disabled": 7}',
        '{"earlier": ["x", 1e308]}',
        '{"source": {"kind": "oracle"}}',
        '{"policy": {"extrapolate_end": "yes", "gain": true}}',
        '{"surface": {"prior_pct": 1e308}}',
    ],
)
def test_settings_that_make_no_sense_take_their_default(job_path: Path, text: str) -> None:
    from lean_trim.job.tuning import Tuning

    db = sqlite3.connect(job_path)
    db.execute("UPDATE rounds SET settings = ?", (text,))
    db.commit()
    db.close()
    assert load_job(job_path).rounds[0].tuning == Tuning()


def test_choices_that_make_no_sense_are_asked_again(job_path: Path) -> None:
    change(
        job_path,
        "INSERT INTO column_choices VALUES ('s', 'a', 'warp_factor', '')",
        "INSERT INTO column_choices VALUES ('s', 'b', 'rpm', 'rpm')",
        "INSERT INTO bank_choices VALUES ('s', 'third')",
    )
    store = JobStore(job_path)
    found = store.load_choices()["s"]
    store.close()
    assert set(found.columns) == {"b"} and found.banks == "mean"


def test_a_sample_of_mutated_files_never_fails_uncaught(job_path: Path, tmp_path: Path) -> None:
    """Every mutation ends in a job or in a sentence, and none takes long on a busy machine."""
    original = job_path.read_bytes()
    seen: dict[str, int] = {}
    for seed in range(SAMPLE):
        target = tmp_path / f"mutated-{seed}.leantrim"
        kind = mutate(original, target, seed)
        result, seconds = outcome(target)
        assert result in ("read", "refused"), (seed, kind, result)
        assert seconds < 5.0, (seed, kind, seconds)
        seen[result] = seen.get(result, 0) + 1
        target.unlink()
    assert len(seen) == 2, "mutations that are all read, or all refused, show nothing"


def test_a_list_of_recent_jobs_that_is_none_is_empty(tmp_path: Path) -> None:
    from lean_trim.ui.window.recent import Recent

    for text in ("5", '{"a": 1}', "null", "[5, null]", "[[" * 5000, ""):
        (tmp_path / "recent.json").write_text(text)
        assert Recent(tmp_path).paths() == []
    (tmp_path / "recent.json").write_text(json.dumps(["/no/such/file"]))
    assert Recent(tmp_path).paths() == []
