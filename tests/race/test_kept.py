"""What is said to be kept is kept: no way out of a job drops a refused change without a word."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from lean_trim.job.database import Database
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.ui.window.main_window import MainWindow
from lean_trim.workspace.changes import Remedy
from tests.deciding import type_knowingly
from tests.race.conftest import Bench
from tests.ui.conftest import until, window

__all__ = ["until", "window"]


class Disk:
    """A disk that can be full."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.full = False
        may_write = Database._may_write

        def write(database: Database) -> None:
            if self.full:
                raise SaveFailedError(database.path, "no room left on the disk")
            may_write(database)

        monkeypatch.setattr(Database, "_may_write", write)


@pytest.fixture
def disk(monkeypatch: pytest.MonkeyPatch) -> Iterator[Disk]:
    made = Disk(monkeypatch)
    yield made
    made.full = False


def test_opening_another_job_waits_for_the_users_word(
    driven: Bench, disk: Disk, job_path: Path, tmp_path: Path
) -> None:
    workspace = driven.workspace
    other = tmp_path / "other.leantrim"
    JobStore.create(other, heron()).close()
    disk.full = True
    type_knowingly(workspace.deciding, "=50", frozenset({1}))
    workspace.opening.open_path(other)
    driven.settle()
    assert workspace.open.path == job_path and "are not saved yet" in driven.said
    assert driven.notices[-1].remedies == (Remedy.SAVE_ELSEWHERE, Remedy.LET_GO)
    disk.full = False
    workspace.saving.save_elsewhere(tmp_path / "copy.leantrim")
    driven.settle()
    assert load_job(tmp_path / "copy.leantrim").rounds[0].decided.changed == 1
    # Nothing is kept back any more, so nothing is asked.
    workspace.opening.open_path(other)
    driven.settle()
    assert workspace.open.path == other


def test_what_the_user_lets_go_is_gone_and_the_other_job_opens(
    driven: Bench, disk: Disk, tmp_path: Path
) -> None:
    workspace = driven.workspace
    other = tmp_path / "other.leantrim"
    JobStore.create(other, heron()).close()
    disk.full = True
    type_knowingly(workspace.deciding, "=50", frozenset({1}))
    disk.full = False
    workspace.opening.open_path(other)
    workspace.opening.let_go()
    driven.settle()
    assert workspace.open.path == other and workspace.saving.unsaved == []


def test_a_job_that_is_taken_over_gets_what_it_refused(driven: Bench, job_path: Path) -> None:
    """Taking the job over once dropped what had been kept to be saved elsewhere."""
    workspace = driven.workspace
    other = JobStore(job_path, take=False)
    other.take_over()
    job = other.load()
    decision = job.rounds[0].decided
    values = decision.values.copy()
    values.ravel()[2] = 60.0
    origin = decision.origin.copy()
    origin.ravel()[2] = 2
    other.save_decision(job.rounds[0].id, "ve", type(decision)(values, origin, decision.pinned))
    type_knowingly(workspace.deciding, "=50", frozenset({1}))
    assert len(workspace.saving.unsaved) == 1
    other.close()
    workspace.opening.take_over()
    driven.settle()
    kept = load_job(job_path).rounds[0].decided.values.ravel()
    assert (kept[1], kept[2]) == (50.0, 60.0)
    assert "saved now" in driven.said and workspace.saving.unsaved == []


def test_the_window_stays_open_until_it_is_said_what_becomes_of_them(
    window: MainWindow, job_path: Path, until: Callable[..., None], disk: Disk, first_solve: None
) -> None:
    window.opening.open_job(job_path)
    until(lambda: window.session.solution is not None and not window.session.is_busy)
    disk.full = True
    type_knowingly(window.session.deciding, "=50", frozenset({1}))
    disk.full = False
    assert not window.close() and window.isVisible()
    assert window.messages.isVisible() and "not saved yet" in window.messages.text.text()
    window.actions_["close_job"].trigger()
    assert window.session.job is not None
    window.messages.remedies[Remedy.LET_GO].click()
    assert window.session.job is None
    assert window.close()
