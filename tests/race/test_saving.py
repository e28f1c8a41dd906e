"""What the file refuses is not in memory either, is told with the true cause, and is not lost."""

from __future__ import annotations

import contextlib
import os
import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest

from lean_trim.job.loading import load_job
from lean_trim.workspace.changes import Remedy
from lean_trim.workspace.workspace import Workspace
from tests.builders import changes_in
from tests.deciding import accept_knowingly, type_knowingly
from tests.race.conftest import Bench

Spoil = Callable[[Workspace, Path], contextlib.AbstractContextManager[None]]


@contextlib.contextmanager
def full_disk(workspace: Workspace, path: Path) -> Iterator[None]:
    """SQLite's own limit on pages raises what a full disk raises (SQLITE_FULL)."""
    assert workspace.open.store is not None
    db = workspace.open.store.db
    db.execute("VACUUM")
    before = db.execute("PRAGMA max_page_count").fetchone()[0]
    db.execute(f"PRAGMA max_page_count = {db.execute('PRAGMA page_count').fetchone()[0]}")
    # What is free in the pages a job has would take small changes all the same.
    with contextlib.suppress(sqlite3.OperationalError):
        for cell in range(2000):
            db.execute("INSERT INTO decided_cells VALUES (1, 'filler', ?, 1.5, 1, 0)", (cell,))
    yield
    with contextlib.suppress(sqlite3.ProgrammingError):
        db.execute(f"PRAGMA max_page_count = {before}")
    other = sqlite3.connect(path)
    other.execute("DELETE FROM decided_cells WHERE table_name = 'filler'")
    other.commit()
    other.close()


@contextlib.contextmanager
def read_only_file(workspace: Workspace, path: Path) -> Iterator[None]:
    """As SQLite reports it of a file or disk that cannot be written (SQLITE_READONLY)."""
    assert workspace.open.store is not None
    db = workspace.open.store.db
    db.execute("PRAGMA query_only = ON")
    yield
    with contextlib.suppress(sqlite3.ProgrammingError):
        db.execute("PRAGMA query_only = OFF")


@contextlib.contextmanager
def moved_file(workspace: Workspace, path: Path) -> Iterator[None]:
    aside = path.with_name("aside.leantrim")
    path.rename(aside)
    yield
    aside.rename(path)


@contextlib.contextmanager
def replaced_file(workspace: Workspace, path: Path) -> Iterator[None]:
    """Another file of the same name, as a synchronising program leaves it."""
    aside = path.with_name("aside.leantrim")
    path.rename(aside)
    path.write_bytes(aside.read_bytes())
    yield
    aside.rename(path)


@contextlib.contextmanager
def locked_file(workspace: Workspace, path: Path) -> Iterator[None]:
    other = sqlite3.connect(path, isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    yield
    other.execute("ROLLBACK")
    other.close()


@contextlib.contextmanager
def blocked_commit(workspace: Workspace, path: Path) -> Iterator[None]:
    """A reader in the middle of its transaction lets a write begin, but not end."""
    other = sqlite3.connect(path, isolation_level=None)
    other.execute("BEGIN")
    other.execute("SELECT count(*) FROM rounds").fetchone()
    yield
    other.execute("ROLLBACK")
    other.close()


@contextlib.contextmanager
def changed_file(workspace: Workspace, path: Path) -> Iterator[None]:
    other = sqlite3.connect(path)
    other.execute("INSERT INTO settings VALUES ('by', 'another program')")
    other.commit()
    other.close()
    yield


CASES = [
    (full_disk, "the disk is full"),
    (read_only_file, "the file cannot be written to"),
    (moved_file, "was moved, renamed or deleted"),
    (replaced_file, "was moved, renamed or deleted"),
    (locked_file, "another program holds the file"),
    (blocked_commit, "another program holds the file"),
    (changed_file, "another program has changed the file"),
]


@pytest.mark.parametrize(("spoil", "cause"), CASES)
def test_a_decision_the_file_refuses_is_told_and_kept_for_elsewhere(
    driven: Bench, job_path: Path, tmp_path: Path, spoil: Spoil, cause: str
) -> None:
    workspace = driven.workspace
    type_knowingly(workspace.deciding, "=50", frozenset({0}))
    assert workspace.open.round is not None
    before = workspace.open.round.decided.values
    with spoil(workspace, job_path):
        accept_knowingly(workspace.deciding)
        assert (
            cause in driven.said
            and "Nothing was changed" in driven.said
            and str(job_path) in driven.said
        )
        assert f"“Accept {changes_in(workspace.solver)} cells” is kept" in driven.said
        assert Remedy.SAVE_ELSEWHERE in driven.notices[-1].remedies
        assert workspace.open.round.decided.values is before
        assert workspace.history.count() == 1
        elsewhere = tmp_path / "elsewhere.leantrim"
        workspace.saving.save_elsewhere(elsewhere)
        driven.until(lambda: workspace.open.path == elsewhere)
    assert workspace.open.round.decided.changed > 30 and workspace.saving.unsaved == []
    workspace.opening.close_job()
    copy = load_job(elsewhere).rounds[0]
    assert copy.decided.changed > 30 and copy.decided.values.ravel()[0] == 50.0
    assert len(copy.logs) == 1 and copy.verdict is not None
    if job_path.exists():
        np.testing.assert_array_equal(load_job(job_path).rounds[0].decided.values, before)


@pytest.mark.parametrize(
    ("spoil", "cause"), [c for c in CASES if c[0] in (read_only_file, locked_file, blocked_commit)]
)
def test_saving_goes_on_once_the_cause_is_gone(
    driven: Bench, job_path: Path, spoil: Spoil, cause: str
) -> None:
    """A blocked COMMIT once left its transaction open, and every later save failed unseen."""
    workspace = driven.workspace
    with spoil(workspace, job_path):
        accept_knowingly(workspace.deciding)
    type_knowingly(workspace.deciding, "=51", frozenset({3}))
    assert workspace.open.round is not None
    assert workspace.open.round.decided.changed == 1
    workspace.opening.close_job()
    assert load_job(job_path).rounds[0].decided.values.ravel()[3] == 51.0


def test_undo_that_cannot_be_saved_undoes_nothing(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    assert workspace.open.round is not None
    changed = workspace.open.round.decided.changed
    with locked_file(workspace, job_path):
        workspace.navigation.undo()
        assert workspace.open.round.decided.changed == changed and workspace.history.count() == 1
        assert "another program holds the file" in driven.said
    workspace.navigation.undo()
    assert workspace.open.round.decided.changed == 0


def test_a_knob_that_could_not_be_kept_goes_back(driven: Bench, job_path: Path) -> None:
    workspace = driven.workspace
    with locked_file(workspace, job_path):
        workspace.tuning.turn("sieve", "tip.after_s", 2.5)
        workspace.tuning.rest()
    assert workspace.tuning.state == workspace.tuning.settled
    assert workspace.tuning.state.solve.sieve.changes == {}
    assert "“Quick change: hold off after 0.5 → 2.5 s” is kept" in driven.said


def test_a_drive_that_cannot_be_saved_is_kept(
    driven: Bench, job_path: Path, tmp_path: Path
) -> None:
    workspace = driven.workspace
    accept_knowingly(workspace.deciding)
    workspace.rounds.drive_minutes = 1.0
    with locked_file(workspace, job_path):
        workspace.rounds.drive()
        driven.settle()
        assert workspace.open.job is not None and len(workspace.open.job.rounds) == 1
        assert "“simulated drive 2” is kept" in driven.said
    workspace.saving.save_elsewhere(tmp_path / "elsewhere.leantrim")
    driven.until(lambda: workspace.open.job is not None and len(workspace.open.job.rounds) == 2)
    driven.settle()
    workspace.opening.close_job()
    assert (
        load_job(tmp_path / "elsewhere.leantrim").rounds[1].log_infos[0].name == "simulated drive 2"
    )


def test_elsewhere_that_cannot_be_written_keeps_everything(
    driven: Bench, job_path: Path, tmp_path: Path
) -> None:
    workspace = driven.workspace
    with locked_file(workspace, job_path):
        accept_knowingly(workspace.deciding)
        workspace.saving.save_elsewhere(tmp_path / "no" / "such.leantrim")
        driven.settle()
        assert "is not a folder" in driven.said and "still kept" in driven.said
        assert len(workspace.saving.unsaved) == 1 and workspace.open.path == job_path


def test_a_hand_over_that_is_not_noted_is_told(
    driven: Bench, job_path: Path, tmp_path: Path
) -> None:
    workspace = driven.workspace
    with locked_file(workspace, job_path):
        assert not workspace.rounds.hand_over(tmp_path / "out.csv")
    assert workspace.open.round is not None and workspace.open.round.handed_over == ""
    assert workspace.rounds.hand_over(tmp_path / "out.csv")
    assert workspace.open.round.handed_over.endswith("CSV out.csv")
    assert (
        workspace.open.round.prediction is not None
        and 0.0 < workspace.open.round.prediction.residual_rms < 10.0
    )


def test_a_second_window_looks_on_until_it_takes_over(driven: Bench, job_path: Path) -> None:
    first = driven.workspace
    second = Bench()
    second.open(job_path)
    assert "is open in another window" in second.workspace.open.read_only
    accept_knowingly(second.workspace.deciding)
    assert "is open in another window" in second.said and second.workspace.open.round is not None
    assert second.workspace.open.round.decided.changed == 0
    type_knowingly(first.deciding, "=50", frozenset({0}))
    second.workspace.opening.take_over()
    second.until(
        lambda: second.workspace.open.read_only == "" and second.workspace.open.job is not None
    )
    second.settle()
    assert second.workspace.open.round.decided.values.ravel()[0] == 50.0
    type_knowingly(second.workspace.deciding, "=60", frozenset({1}))
    type_knowingly(first.deciding, "=70", frozenset({2}))
    assert "taken over by another window" in first.open.read_only
    assert Remedy.TAKE_OVER in driven.notices[-1].remedies
    assert first.open.round is not None and first.open.round.decided.changed == 1
    second.workspace.opening.close_job()
    decided = load_job(job_path).rounds[0].decided.values.ravel()
    assert (decided[0], decided[1]) == (50.0, 60.0) and decided[2] != 70.0


def test_a_window_that_died_holds_nothing(driven: Bench, job_path: Path) -> None:
    """The row stays in the file, but the process of that number started at another time, or is gone."""
    driven.workspace.opening.close_job()
    db = sqlite3.connect(job_path)
    db.execute(
        "INSERT INTO owner VALUES (1, 'x', ?, ?, '1', 'before')", (os.uname().nodename, os.getpid())
    )
    db.commit()
    db.close()
    driven.open(job_path)
    assert driven.workspace.open.read_only == ""


def test_a_window_on_another_machine_may_still_hold(driven: Bench, job_path: Path) -> None:
    driven.workspace.opening.close_job()
    db = sqlite3.connect(job_path)
    db.execute(
        "INSERT INTO owner VALUES (1, 'x', 'bench-computer', 1, '1', '2026-01-01T10:00:00+00:00')"
    )
    db.commit()
    db.close()
    driven.open(job_path)
    assert "another window on bench-computer, since 2026-01-01" in driven.workspace.open.read_only
    driven.workspace.opening.take_over()
    driven.until(
        lambda: driven.workspace.open.job is not None and driven.workspace.open.read_only == ""
    )
