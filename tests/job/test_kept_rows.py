"""What was worked out of a round, in the job file."""

from __future__ import annotations

from pathlib import Path

import pytest

from lean_trim.job.folder import export_job
from lean_trim.job.records import KeptAnswer
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron


@pytest.fixture
def store(tmp_path: Path) -> JobStore:
    return JobStore.create(tmp_path / "a.leantrim", heron())


def test_the_last_of_a_kind_is_kept(store: JobStore, tmp_path: Path) -> None:
    round_id = store.load().rounds[0].id
    assert store.kept_answer(round_id, "pulls") is None
    for text in (b"first", b"second"):
        store.keep_answer(round_id, "pulls", KeptAnswer("a key", text))
    found = store.kept_answer(round_id, "pulls")
    assert found is not None and (found.key, found.data) == ("a key", b"second")
    assert found.program and found.made
    assert store.kept_answer(round_id, "other") is None
    store.close()
    # It is worked out again wherever the job is read from.
    export_job(tmp_path / "a.leantrim", tmp_path / "folder")
    assert not (tmp_path / "folder" / "rows" / "kept_answers.json").exists()


@pytest.mark.parametrize(
    "sql",
    [
        "UPDATE kept_answers SET made = 'yesterday'",
        "UPDATE kept_answers SET data = 'text'",
        "UPDATE kept_answers SET key = x'00'",
    ],
)
def test_what_cannot_be_counts_as_none(store: JobStore, sql: str) -> None:
    round_id = store.load().rounds[0].id
    store.keep_answer(round_id, "pulls", KeptAnswer("a key", b"bytes"))
    with store.database.writing() as db:
        db.execute(sql)
    assert store.kept_answer(round_id, "pulls") is None
    store.close()
