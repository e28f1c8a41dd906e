"""What is worked out again and again from the same drive is worked out once for all tests and workers.

Only what a job begins with: all settings as they come, nothing left out by hand. Each of these
functions is tested where it is written, and there it is called as it is.
"""

from __future__ import annotations

import hashlib
import io
import os
import pickle
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import CancelledError
from lean_trim.core.pipeline.carrying import Earlier
from lean_trim.core.pipeline.solve import (
    DrivenLog,
    Measured,
    Progress,
    Solution,
    SolveSettings,
    measure,
)
from lean_trim.job.results import digest
from lean_trim.simcar.cars import faults_on_drive, truth_of
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.faults import SOUND
from lean_trim.workspace.tasks import Report

MEASURED = "measured"


class _Writer(pickle.Pickler):
    """Leaves out the measured table an answer is about: whoever reads it has that very object."""

    def __init__(self, stream: io.BytesIO, of: Measured | None) -> None:
        super().__init__(stream, pickle.HIGHEST_PROTOCOL)
        self.of = of

    def persistent_id(self, obj: object) -> str | None:
        return MEASURED if obj is self.of and obj is not None else None


class _Reader(pickle.Unpickler):
    def __init__(self, data: bytes, of: Measured | None) -> None:
        super().__init__(io.BytesIO(data))
        self.of = of

    def persistent_load(self, pid: str) -> Measured | None:
        return self.of


def _written(answer: object, of: Measured | None) -> bytes:
    stream = io.BytesIO()
    _Writer(stream, of).dump(answer)
    return stream.getvalue()


class SolvedOnce:
    """Answers by what they were worked out from, kept in a folder all workers see.

    Parameters
    ----------
    folder : of this run of the tests.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._answers: dict[str, Any] = {}
        # By identity: what goes on from a measured table is asked with that very object.
        self._keys: dict[int, str] = {}

    def _once(self, key: str, work: Callable[[], Any], of: Measured | None = None) -> Any:
        if key in self._answers:
            return self._answers[key]
        path = self.folder / f"{key}.pickle"
        try:
            answer = _Reader(path.read_bytes(), of).load()
        except (OSError, EOFError):
            answer = work()
            part = path.with_suffix(f".{os.getpid()}")
            part.write_bytes(_written(answer, of))
            part.replace(path)
        self._answers[key] = answer
        return answer

    def measure(
        self,
        logs: Sequence[Log | DrivenLog],
        vehicle: Vehicle,
        settings: SolveSettings | None = None,
        left_out: np.ndarray | None = None,
        progress: Progress | None = None,
        earlier: Sequence[Earlier] = (),
    ) -> Measured:
        """As ``measure``."""
        if settings not in (None, SolveSettings()) or left_out is not None:
            return measure(logs, vehicle, settings, left_out, progress, earlier)
        told = [(e.number, e.months, digest(e.evidence)) for e in earlier]
        key = hashlib.sha256(pickle.dumps((list(logs), vehicle, told))).hexdigest()
        if progress is not None:
            progress(0.0, "Reading the log")
        found: Measured = self._once(
            key, lambda: measure(logs, vehicle, settings, left_out, progress, earlier)
        )
        self._keys[id(found)] = key
        return found

    def of_solution(self, function: Callable[..., Any]) -> Callable[..., Any]:
        """A function of a solution whose answers are kept where its measured table is."""
        name = function.__qualname__

        def kept(solution: Solution, *more: object) -> Any:
            key = self._keys.get(id(solution.measured))
            if key is None:
                return function(solution, *more)
            words = hashlib.sha256(repr((name, more)).encode()).hexdigest()
            kept_as = f"{key}-{words[:16]}"
            return self._once(kept_as, lambda: function(solution, *more), of=solution.measured)

        return kept

    def of_logs(self, function: Callable[..., Any]) -> Callable[..., Any]:
        """A function of logs and what else can be pickled."""
        name = function.__qualname__

        def kept(*asked: object) -> Any:
            key = hashlib.sha256(pickle.dumps((name, asked))).hexdigest()
            return self._once(key, lambda: function(*asked))

        return kept

    def drive(
        self,
        vehicle: Vehicle,
        seed: int,
        minutes: float,
        report: Report,
        *,
        car: str = "",
        plan: str = "",
    ) -> Log:
        """As ``drive_apart``, without a process of its own: the same log to the last digit it streams.

        Plans are not driven here.
        """
        assert not plan, "what drives a plan is marked as about driving"
        driven = self.of_logs(_driven)(vehicle, seed, minutes, car)
        part = slice(0, len(driven) // 2)
        begun = Log(driven.time_s[part], {r: v[part] for r, v in driven.channels.items()})
        if not report(0.5, begun) or not report(1.0, driven):
            raise CancelledError("the drive was cancelled")
        return Log(driven.time_s, driven.channels, f"simulated drive {seed}")


def _driven(vehicle: Vehicle, seed: int, minutes: float, car: str) -> Log:
    driven = simulate(
        vehicle,
        seed,
        minutes,
        truth=truth_of(car, vehicle) if car else None,
        faults=faults_on_drive(car, seed) if car else SOUND,
    )
    streamed = {role: np.round(values, 4) for role, values in driven.channels.items()}
    return Log(np.round(driven.time_s, 4), streamed)
