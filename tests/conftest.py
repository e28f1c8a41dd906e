"""Fixtures shared by all tests. The simulated drive is made once per run."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline import transients
from lean_trim.core.pipeline.solve import (
    DrivenLog,
    Measured,
    Progress,
    Solution,
    SolveSettings,
    measure,
    solve,
)
from lean_trim.job.blobs import store_log
from lean_trim.job.store import JobStore
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.workspace import injector_study, solving
from lean_trim.workspace.binding import injector_key


@pytest.fixture(scope="session")
def heron_vehicle() -> Vehicle:
    return heron()


@pytest.fixture(scope="session")
def heron_log(heron_vehicle: Vehicle) -> Log:
    """Twelve minutes of Heron on the table it comes with."""
    return simulate(heron_vehicle, seed=1, minutes=12.0, name="simulated drive 1")


@pytest.fixture(scope="session")
def heron_solution(heron_vehicle: Vehicle, heron_log: Log) -> Solution:
    return solve([heron_log], heron_vehicle)


@pytest.fixture(scope="session")
def driven_job(
    tmp_path_factory: pytest.TempPathFactory, heron_vehicle: Vehicle, heron_log: Log
) -> bytes:
    """Bytes of a demo job file whose first round has been driven."""
    path = tmp_path_factory.mktemp("job") / "driven.leantrim"
    store = JobStore.create(path, heron_vehicle, car="heron")
    store.add_logs(store.load().rounds[0].id, [store_log(heron_log)])
    store.close()
    return path.read_bytes()


class FirstSolve:
    """The solve every demo job begins with, worked out once for all tests; any other is done in full."""

    def __init__(self, log: Log, vehicle: Vehicle, solution: Solution) -> None:
        self.log = log
        self.vehicle = vehicle
        self.solution = solution

    def __call__(
        self,
        logs: Sequence[DrivenLog],
        vehicle: Vehicle,
        settings: SolveSettings,
        left_out: np.ndarray | None,
        progress: Progress,
    ) -> Measured:
        if settings == SolveSettings() and left_out is None and self._is_first(logs, vehicle):
            progress(0.0, "Reading the log")
            return self.solution.measured
        return measure(logs, vehicle, settings, left_out, progress)

    def _is_first(self, logs: Sequence[DrivenLog], vehicle: Vehicle) -> bool:
        if len(logs) != 1 or logs[0].table is not None or len(logs[0].log) != len(self.log):
            return False
        channels = logs[0].log.channels
        same = channels.keys() == self.log.channels.keys() and all(
            np.array_equal(values, self.log[role], equal_nan=True)
            for role, values in channels.items()
        )
        return (
            same
            and vehicle.airflow_source == self.vehicle.airflow_source
            and injector_key(vehicle.injectors) == injector_key(self.vehicle.injectors)
            and vehicle.displacement_l == self.vehicle.displacement_l
            and np.array_equal(vehicle.table.values, self.vehicle.table.values)
        )


class OfFirstSolve:
    """A function of a solution whose answers for the first solve are worked out once for all tests."""

    def __init__(self, solution: Solution, function: Callable[..., object]) -> None:
        self.solution = solution
        self.function = function
        self.answers: dict[str, object] = {}

    def __call__(self, solution: Solution, *more: object) -> object:
        # Another round of the same solve is as good; one that was sifted otherwise is not.
        if solution.measured is not self.solution.measured:
            return self.function(solution, *more)
        key = repr(more)
        if key not in self.answers:
            self.answers[key] = self.function(solution, *more)
        return self.answers[key]


@pytest.fixture(scope="session")
def of_first_solve(heron_solution: Solution) -> dict[str, OfFirstSolve]:
    """What is asked of the first solve again and again; each is tested where it is worked out."""
    return {
        "looked_at": OfFirstSolve(heron_solution, solving.looked_at),
        "study": OfFirstSolve(heron_solution, injector_study.identify_from),
        "transients": OfFirstSolve(heron_solution, transients.transients_of),
    }


@pytest.fixture
def first_solve(
    monkeypatch: pytest.MonkeyPatch,
    heron_log: Log,
    heron_vehicle: Vehicle,
    heron_solution: Solution,
    of_first_solve: dict[str, OfFirstSolve],
) -> None:
    """Begin with the demo's first round worked out; what it says is tested in ``tests/core/pipeline``."""
    monkeypatch.setattr(solving, "measure", FirstSolve(heron_log, heron_vehicle, heron_solution))
    monkeypatch.setattr(solving, "looked_at", of_first_solve["looked_at"])
    monkeypatch.setattr(injector_study, "identify_from", of_first_solve["study"])
    monkeypatch.setattr(transients, "transients_of", of_first_solve["transients"])


@pytest.fixture
def job_path(tmp_path: Path, driven_job: bytes) -> Path:
    """A fresh copy of the driven demo job."""
    path = tmp_path / "heron.leantrim"
    path.write_bytes(driven_job)
    return path
