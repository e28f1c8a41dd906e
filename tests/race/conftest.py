"""A workspace without a window, on a driven demo job, whose solves wait until the test lets them go."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import pytest

from lean_trim.core.pipeline.solve import Measured, Solution
from lean_trim.features.feature import Feature, parts_of
from lean_trim.features.registry import FEATURES
from lean_trim.workspace import solving
from lean_trim.workspace.changes import Notice
from lean_trim.workspace.loop import ManualLoop
from lean_trim.workspace.workspace import Workspace


class Bench:
    """A workspace with its loop and everything it told."""

    def __init__(self, features: Sequence[Feature] = FEATURES) -> None:
        self.loop = ManualLoop()
        self.workspace = Workspace(self.loop, parts_of(features))
        self.notices: list[Notice] = []
        self.workspace.hub.subscribe(Notice, self.notices.append)

    @property
    def said(self) -> str:
        """All notices in one text."""
        return "\n".join(n.text for n in self.notices)

    def until(self, condition: Callable[[], bool], seconds: float = 30.0) -> None:
        """Turn the loop until something holds."""
        self.loop.run_until(condition, seconds)

    def settle(self) -> None:
        """Turn the loop until nothing runs."""
        self.until(lambda: not self.workspace.tasks.running and self.workspace.tuning.is_resting)

    def open(self, path: Path) -> None:
        """Open a job and wait until its newest round is solved."""
        self.workspace.opening.open_path(path)
        self.until(lambda: self.workspace.open.job is not None)
        self.settle()

    @property
    def solution(self) -> Solution:
        """The solution that is shown."""
        assert self.workspace.solver.solution is not None
        return self.workspace.solver.solution


class Gate:
    """Holds solves up; ``waiting`` is how many have begun and not gone on."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.opened = threading.Event()
        self.waiting = 0
        self.begun = threading.Semaphore(0)
        real = solving.measure

        def slow(*args: object, **more: object) -> Measured:
            self.waiting += 1
            self.begun.release()
            assert self.opened.wait(60.0)
            self.waiting -= 1
            return real(*args, **more)  # type: ignore[arg-type]

        monkeypatch.setattr(solving, "measure", slow)

    def wait_begun(self) -> None:
        """Until another solve is held up."""
        assert self.begun.acquire(timeout=30.0)


@pytest.fixture
def bench(first_solve: None) -> Iterator[Bench]:
    made = Bench()
    yield made
    made.workspace.opening.close_job()


@pytest.fixture
def driven_bench(bench: Bench, job_path: Path) -> Bench:
    """Round 1 of the demo, driven and solved."""
    bench.open(job_path)
    return bench


@pytest.fixture
def driven(driven_bench: Bench) -> Bench:
    """The same by a shorter name, where no window goes by it."""
    return driven_bench
