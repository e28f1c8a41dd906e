"""Fixtures shared by all tests. The simulated drive is made once per run."""

from __future__ import annotations

import os
from collections.abc import Callable
from functools import cache
from pathlib import Path

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# As the program itself does; several workers with several threads each are three times as slow.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
os.environ.setdefault("OMP_NUM_THREADS", "1")

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline import pulls, transients
from lean_trim.core.pipeline.look import NOT_LOOKED
from lean_trim.core.pipeline.solve import Solution, conclude
from lean_trim.core.pipeline.transients import TransientReport
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.workspace import injector_study, rounds, solving
from tests.jobs import job_bytes
from tests.solved_once import SolvedOnce

DrivenJob = Callable[[float], bytes]
SHORT_MINUTES = 6.0
"""Of the drive a window opens on: enough for every desk, and half the sums of a usual one."""


@pytest.fixture(scope="session")
def heron_vehicle() -> Vehicle:
    return heron()


@pytest.fixture(scope="session")
def heron_log(heron_vehicle: Vehicle) -> Log:
    """Twelve minutes of Heron on the table it comes with."""
    return simulate(heron_vehicle, seed=1, minutes=12.0, name="simulated drive 1")


@pytest.fixture(scope="session")
def short_log(heron_vehicle: Vehicle) -> Log:
    """Six minutes of the same, for windows and files."""
    return simulate(heron_vehicle, seed=1, minutes=SHORT_MINUTES, name="simulated drive 1")


@pytest.fixture(scope="session")
def heron_solution(heron_vehicle: Vehicle, heron_log: Log, solved_once: SolvedOnce) -> Solution:
    """As ``solve`` gives it, which is these three in a row."""
    measured = solved_once.measure([heron_log], heron_vehicle)
    look = solved_once.of_solution(solving.looked_at)
    found: Solution = look(conclude(measured, NOT_LOOKED)).solution
    return found


@pytest.fixture(scope="session")
def heron_transients(heron_solution: Solution, solved_once: SolvedOnce) -> TransientReport:
    """Heron's quick changes, warm-up and idle."""
    found: TransientReport = solved_once.of_solution(transients.transients_of)(heron_solution)
    return found


@pytest.fixture(scope="session")
def driven_job(tmp_path_factory: pytest.TempPathFactory, heron_vehicle: Vehicle) -> DrivenJob:
    """Bytes of a demo job file whose first round has been driven for so many minutes."""

    @cache
    def driven(minutes: float) -> bytes:
        path = tmp_path_factory.mktemp("job") / "driven.leantrim"
        log = simulate(heron_vehicle, seed=1, minutes=minutes, name="simulated drive 1")
        return job_bytes(path, heron_vehicle, log, car="heron")

    return driven


@pytest.fixture(scope="session")
def solved_once(tmp_path_factory: pytest.TempPathFactory) -> SolvedOnce:
    """Where all workers keep what they have worked out."""
    base = tmp_path_factory.getbasetemp()
    shared = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "solved"
    shared.mkdir(exist_ok=True)
    return SolvedOnce(shared)


@pytest.fixture
def first_solve(
    request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch, solved_once: SolvedOnce
) -> None:
    """Begin with a job worked out; what a solve says is tested in ``tests/core/pipeline``.

    A test that is about solving while the window lives is marked ``solves``, one about driving
    while it lives ``drives``.
    """
    if request.node.get_closest_marker("drives") is None:
        monkeypatch.setattr(rounds, "drive_apart", solved_once.drive)
    if request.node.get_closest_marker("solves") is not None:
        return
    of = solved_once.of_solution
    monkeypatch.setattr(solving, "measure", solved_once.measure)
    monkeypatch.setattr(solving, "looked_at", of(solving.looked_at))
    monkeypatch.setattr(injector_study, "identify_from", of(injector_study.identify_from))
    monkeypatch.setattr(transients, "transients_of", of(transients.transients_of))
    monkeypatch.setattr(pulls, "find_pulls", solved_once.of_logs(pulls.find_pulls))


@pytest.fixture
def job_path(request: pytest.FixtureRequest, tmp_path: Path, driven_job: DrivenJob) -> Path:
    """A fresh copy of the driven demo job; its drive is as long as the mark ``minutes`` says."""
    marked = request.node.get_closest_marker("minutes")
    path = tmp_path / "heron.leantrim"
    path.write_bytes(driven_job(SHORT_MINUTES if marked is None else marked.args[0]))
    return path
