"""One state of the work: the table first, then its faults; nothing to write before they were looked for."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from lean_trim.core.data.log import Log
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.job.blobs import store_log
from lean_trim.job.loading import load_job
from lean_trim.job.store import JobStore
from lean_trim.simcar.heron import heron
from lean_trim.workspace import solving
from lean_trim.workspace.additions import AddLogs
from lean_trim.workspace.lookup import Lookup
from lean_trim.workspace.tasks import Lane, Tasks
from lean_trim.workspace.work_state import Stage
from tests.deciding import accept_knowingly, type_knowingly
from tests.race.conftest import Bench


class Held:
    """Looking for faults, held up until the test lets it go."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.go = threading.Event()
        real = solving.looked_at

        def slow(*args: object) -> object:
            assert self.go.wait(30.0)
            return real(*args)  # type: ignore[arg-type]

        monkeypatch.setattr(solving, "looked_at", slow)


@pytest.fixture
def held(monkeypatch: pytest.MonkeyPatch, first_solve: None) -> Iterator[Held]:
    made = Held(monkeypatch)
    yield made
    made.go.set()


@pytest.fixture
def looking(bench: Bench, held: Held, job_path: Path) -> Bench:
    """A round whose table is shown while its faults are looked for."""
    bench.workspace.opening.open_path(job_path)
    bench.until(lambda: bench.workspace.solver.solution is not None)
    return bench


def test_the_table_is_shown_before_its_faults_are_looked_for(looking: Bench, held: Held) -> None:
    workspace = looking.workspace
    state = workspace.work.state
    assert state.stage is Stage.LOOKING and state.shows_table and "Looking for faults" in state.said
    assert np.isfinite(looking.solution.estimate.correction_pct).sum() > 50
    assert looking.solution.findings == () and workspace.solver.proposal is None
    held.go.set()
    looking.settle()
    assert workspace.work.state.stage is Stage.WORKED_OUT and workspace.work.state.said == ""
    assert workspace.solver.proposal is not None and workspace.solver.events != ()


def test_nothing_is_written_meanwhile_and_nothing_fires_later(
    looking: Bench, held: Held, job_path: Path, tmp_path: Path
) -> None:
    workspace = looking.workspace
    accept_knowingly(workspace.deciding)
    assert not workspace.rounds.hand_over(tmp_path / "table.csv")
    assert not workspace.rounds.copied()
    assert looking.said.count("Faults are being looked for") == 3
    assert not (tmp_path / "table.csv").exists()
    # What is typed is the user's own.
    assert type_knowingly(workspace.deciding, "=55", frozenset({7}))
    held.go.set()
    looking.settle()
    kept = load_job(job_path).rounds[0]
    assert kept.decided.changed == 1 and not kept.handed_over
    accept_knowingly(workspace.deciding)
    assert workspace.rounds.hand_over(tmp_path / "table.csv")


def test_looking_that_is_stopped_says_so_and_writes_nothing(looking: Bench, held: Held) -> None:
    workspace = looking.workspace
    workspace.tasks.cancel()
    state = workspace.work.state
    assert state.stage is Stage.STOPPED and state.shows_table and "F9" in state.said
    accept_knowingly(workspace.deciding)
    assert "Faults were not looked for" in looking.notices[-1].text
    held.go.set()
    workspace.solver.solve()
    looking.settle()
    assert workspace.work.state.stage is Stage.WORKED_OUT


def test_a_change_whose_solve_is_stopped_leaves_what_is_shown_stale(
    driven: Bench, held: Held
) -> None:
    workspace = driven.workspace
    held.go.clear()
    workspace.deciding.leave_out(200.0, 260.0)
    driven.until(lambda: Lane.LOOKING in workspace.tasks.running)
    # The old table stands until the new one is whole; it is not flickered away.
    assert workspace.work.state.stage is Stage.LOOKING and workspace.solver.has_looked
    workspace.tasks.cancel()
    assert workspace.work.state.stage is Stage.STALE
    accept_knowingly(workspace.deciding)
    assert "before something was changed" in driven.notices[-1].text
    assert workspace.open.round is not None and workspace.open.round.decided.changed == 0


def test_every_stage_has_its_state(bench: Bench, short_log: Log, tmp_path: Path) -> None:
    workspace = bench.workspace
    assert workspace.work.state.stage is Stage.NO_JOB
    JobStore.create(tmp_path / "a.leantrim", heron(), car="heron").close()
    bench.open(tmp_path / "a.leantrim")
    assert workspace.work.state.stage is Stage.NO_LOG and workspace.work.state.holds_writing is None
    workspace.rounds.drive_minutes = 0.3
    workspace.rounds.drive()
    assert workspace.work.state.stage is Stage.DRIVING
    workspace.tasks.cancel()
    n = 40
    short = Log(short_log.time_s[:n], {r: v[:n] for r, v in short_log.channels.items()}, "short")
    assert workspace.open.round is not None
    round_id = workspace.open.round.id
    AddLogs(workspace.open, workspace.navigation, round_id, (store_log(short),)).apply()
    assert workspace.work.state.stage is Stage.WORKING_OUT
    assert workspace.work.state.holds_writing is not None
    bench.settle()
    state = workspace.work.state
    assert state.stage is Stage.FAILED and state.why and state.holds_writing is None


class Shop:
    """A lookup and what it told."""

    def __init__(self, bench: Bench) -> None:
        self.tasks: Tasks = bench.workspace.tasks
        self.told = 0
        self.found: list[object] = []
        self.lookup = Lookup(self.tasks, Lane.STUDY, self.tell)
        self.bench = bench

    def tell(self) -> None:
        self.told += 1

    def look(self, key: object, answer: object, again: bool = False) -> None:
        def work(_: object) -> object:
            if isinstance(answer, Exception):
                raise answer
            return answer

        self.lookup.look(key, "Looking", work, self.found.append, again)
        self.bench.until(lambda: not self.lookup.is_looking)


def test_a_lookup_says_why_it_failed_and_does_not_look_for_the_same_again(bench: Bench) -> None:
    """Two of three once swallowed the reason, and their desks said "looking" for ever."""
    shop = Shop(bench)
    why = LogError(Message("test.nothing_there", "nothing there")())
    shop.look(1, why)
    assert shop.lookup.failure == "nothing there" and shop.told == 1 and shop.found == []
    shop.look(1, "would be found")
    assert shop.found == [] and shop.lookup.failure
    shop.look(1, "asked by the user", again=True)
    shop.look(2, "another")
    assert shop.found == ["asked by the user", "another"] and shop.lookup.failure == ""


def test_a_lookup_drops_an_answer_for_what_is_no_longer_asked(bench: Bench) -> None:
    shop = Shop(bench)
    go = threading.Event()
    shop.lookup.look(1, "Looking", lambda _: go.wait(10.0), shop.found.append)
    shop.lookup.look(2, "Looking", lambda _: "newest", shop.found.append)
    go.set()
    bench.until(lambda: shop.told > 0)
    bench.loop.turn()
    assert shop.found == ["newest"] and shop.told == 1
