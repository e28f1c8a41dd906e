"""The open job as the window sees it: current round, its solution, proposal and decision, and what is running."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.driving_shares import driving_shares
from lean_trim.core.decision.knock import knock_cells
from lean_trim.core.decision.proposal import PolicySettings, Proposal, propose
from lean_trim.core.explore.events import Event, find_events
from lean_trim.core.pipeline.solve import DrivenLog, Solution, SolveSettings, join_logs, solve
from lean_trim.core.types import Mask
from lean_trim.job.records import Job, Round, Span, StoredLog, Verdict
from lean_trim.job.store import JobStore, load_job
from lean_trim.job.tuning import KEY
from lean_trim.ui.deciding import Deciding
from lean_trim.ui.import_desk import ImportDesk
from lean_trim.ui.round_desk import RoundDesk
from lean_trim.ui.selection import Selection
from lean_trim.ui.tape.tape_state import TapeState
from lean_trim.ui.task import Report, Task
from lean_trim.ui.tuning_desk import TuningDesk
from lean_trim.ui.worker import Worker


class Session(QObject):
    """Holds the truth the views show. Views call its methods and listen to its signals."""

    job_changed = Signal()
    round_changed = Signal()
    solved = Signal()
    decided = Signal()
    driving = Signal(object)
    busy = Signal(str, float)
    idle = Signal()
    message = Signal(str, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.store: JobStore | None = None
        self.job: Job | None = None
        self.index = 0
        self.solution: Solution | None = None
        self.events: tuple[Event, ...] = ()
        self.proposal: Proposal | None = None
        self.selection = Selection(self)
        self.undo = QUndoStack(self)
        self.drive_minutes = 12.0
        self.solve_number = 0
        self.work = Worker(self)
        self.tuning = TuningDesk(self)
        self.deciding = Deciding(self)
        self.rounds = RoundDesk(self)
        self.tape_state = TapeState(self)
        self.imports = ImportDesk(self)

    @property
    def round(self) -> Round | None:
        return self.job.rounds[self.index] if self.job else None

    @property
    def decision(self) -> Decision | None:
        return self.round.decided if self.round else None

    @property
    def vehicle(self) -> Vehicle | None:
        """The vehicle with the current round's table, and the airflow source as the user says it is told."""
        if self.job is None:
            return None
        vehicle, source = self.job.vehicle_in(self.index), self.tuning.state.airflow_source
        return vehicle if source is None else replace(vehicle, airflow_source=source)

    @property
    def task(self) -> Task | None:
        """What is running."""
        return self.work.task

    @property
    def settings(self) -> SolveSettings:
        return self.tuning.state.solve

    @property
    def policy(self) -> PolicySettings:
        return self.tuning.state.policy

    @property
    def is_last(self) -> bool:
        """Only the newest round can still be decided."""
        return self.job is not None and self.index == len(self.job.rounds) - 1

    def open_path(self, path: Path, then: Callable[[], None] | None = None) -> None:
        """Show a job file, at its newest round; ``then`` is called when it is open."""
        JobStore.open(path).close()
        self.close_job()

        def opened(job: Job) -> None:
            self.store, self.job = JobStore.open(path), job
            self.tuning.load(self.store.setting(KEY))
            self.job_changed.emit()
            self.show_round(len(job.rounds) - 1)
            if then is not None:
                then()

        self.work.start("Opening the job", lambda report: load_job(path), opened)

    def close_job(self) -> None:
        """Let go of the job; everything is saved already."""
        self.tuning.stop()
        self.work.cancel(wait=True)
        if self.store:
            self.store.close()
        self.store = self.job = self.solution = self.proposal = None
        self.undo.clear()
        self.selection.clear()
        self.imports.clear()

    def show_round(self, index: int) -> None:
        """Make a round the current one and solve it if it has logs."""
        self.index = index
        self.solution = self.proposal = None
        self.undo.clear()
        self.selection.clear()
        self.round_changed.emit()
        if self.round and self.round.logs:
            self.solve()

    def append_round(self, new: Round) -> None:
        """Add a round that was begun and show it."""
        assert self.job is not None
        self.job = replace(self.job, rounds=(*self.job.rounds, new))
        self.job_changed.emit()
        self.show_round(len(self.job.rounds) - 1)

    def extend_round(self, logs: list[StoredLog]) -> None:
        """Add logs to the current round and solve it."""
        assert self.store is not None and self.round is not None
        self.replace_round(self.store.add_logs(self.round, logs))
        self.job_changed.emit()
        self.show_round(self.index)

    def solve(self) -> None:
        """Work out the correction of the current round in the background."""
        current, vehicle = self.round, self.vehicle
        if current is None or vehicle is None or not current.logs:
            return
        if self.task is not None and self.task.title == "Solving":
            self.work.cancel(wait=True)
        self.solve_number += 1
        number, settings, rounds = self.solve_number, self.settings, self._rounds_used()

        def work(report: Report) -> tuple[int, Solution, tuple[Event, ...]]:
            logs = [DrivenLog(log, r.table if r is not current else None) for r in rounds for log in r.logs]
            solution = solve(logs, vehicle, settings, left_out_of(rounds), report)
            return number, solution, find_events(solution)

        self.work.start("Solving", work, self._take_solution)

    def _rounds_used(self) -> tuple[Round, ...]:
        """The current round, then the earlier ones whose logs count too."""
        assert self.job is not None
        also = self.tuning.state.earlier
        return (self.job.rounds[self.index], *(r for r in self.job.rounds[: self.index] if r.number in also and r.logs))

    def _take_solution(self, answer: tuple[int, Solution, tuple[Event, ...]]) -> None:
        number, solution, events = answer
        if number != self.solve_number or self.round is None or self.store is None:
            return
        self.events = events
        figures = solution.residual
        verdict = Verdict(figures.rms, figures.trim_rms, figures.within_3)
        self.replace_round(replace(self.round, verdict=verdict))
        self.store.save_verdict(self.round.id, verdict)
        if not self.tuning.overtakes(solution):
            self.show_solution(solution)
        self.job_changed.emit()

    def show_solution(self, solution: Solution) -> None:
        """Make a solution the one all views show."""
        self.solution = solution
        self._propose()
        self.solved.emit()

    def _propose(self) -> None:
        assert self.solution is not None and self.vehicle is not None and self.decision is not None
        sifted, observations = self.solution.sifted, self.solution.observations
        pinned = frozenset(np.flatnonzero(self.decision.pinned.ravel()).tolist())
        self.proposal = propose(
            self.solution.estimate, replace(self.policy, pinned=pinned), self.vehicle.limits, knock_cells(sifted),
            driving_shares(sifted, observations),
        )  # fmt: skip

    def propose_again(self) -> None:
        """Apply the policy anew."""
        if self.solution is not None:
            self._propose()
            self.decided.emit()

    def replace_round(self, changed: Round) -> None:
        """Take a changed record of the current round."""
        assert self.job is not None
        self.job = self.job.with_round(self.index, changed)

    def add_logs(self, paths: list[Path]) -> None:
        """Open log files in the background and add them to the newest round."""
        self.imports.add(paths)


def left_out_of(rounds: tuple[Round, ...]) -> Mask | None:
    """Samples of the rounds' joined logs that were left out by hand, or None if there are none."""
    if not any(r.left_out for r in rounds):
        return None
    return np.concatenate([_left_out(join_logs(r.logs), r.left_out) for r in rounds])


def _left_out(log: Log, spans: tuple[Span, ...]) -> Mask:
    out = np.zeros(len(log), bool)
    for span in spans:
        out |= (log.time_s >= span.start_s) & (log.time_s <= span.end_s)
    return out
