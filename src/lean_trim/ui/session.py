"""The open job as the window sees it: current round, its solution, proposal and decision, and what is running."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack

from ..core import decision as decide
from ..core.decision import Decision
from ..core.driving import driving_shares
from ..core.errors import LeanTrimError
from ..core.events import Event, find_events
from ..core.knock import knock_cells
from ..core.log import Log
from ..core.physics import Mask
from ..core.proposal import PolicySettings, Proposal, propose
from ..core.solve import DrivenLog, Solution, SolveSettings, join_logs, solve
from ..core.tables import Table
from ..core.vehicle import Vehicle
from ..job.blobs import store_log
from ..job.records import Job, Round, Span, StoredLog, Verdict
from ..job.store import JobStore, load_job
from ..job.tuning import KEY
from .commands import DecisionCommand, LeftOutCommand
from .drive_process import drive_apart
from .import_desk import ImportDesk
from .selection import Selection
from .tape_state import TapeState
from .task import Report, Task
from .tuning_desk import TuningDesk


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
        self.task: Task | None = None
        self.drive_minutes = 12.0
        self.solve_number = 0
        self.tuning = TuningDesk(self)
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
        vehicle, source = self.job.vehicle_in(self.index), self.tuning.state.source
        return vehicle if source is None else replace(vehicle, source=source)

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

        self.start("Opening the job", lambda report: load_job(path), opened)

    def close_job(self) -> None:
        """Let go of the job; everything is saved already."""
        self.tuning.stop()
        self.cancel(wait=True)
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

    def _append_round(self, new: Round) -> None:
        assert self.job is not None
        self.job = replace(self.job, rounds=(*self.job.rounds, new))
        self.job_changed.emit()
        self.show_round(len(self.job.rounds) - 1)

    def extend_round(self, logs: list[StoredLog]) -> None:
        """Add logs to the current round and solve it."""
        assert self.store is not None and self.round is not None
        self._replace_round(self.store.add_logs(self.round, logs))
        self.job_changed.emit()
        self.show_round(self.index)

    def start(self, title: str, work: Callable[[Report], Any], done: Callable[[Any], None]) -> Task | None:
        """Run long work; only one at a time."""
        if self.task is not None:
            self.message.emit("note", f"{self.task.title} is still running; wait for it or cancel it first.")
            return None
        task = Task(work, title, self)
        self.task = task
        task.done.connect(lambda answer: self._finish(task, lambda: done(answer)))
        task.failed.connect(lambda text: self._finish(task, lambda: self.message.emit("error", text)))
        task.cancelled.connect(lambda: self._finish(task, lambda: self._was_cancelled(title)))
        task.progress.connect(self._progress)
        self.busy.emit(title, 0.0)
        task.start()
        return task

    def _was_cancelled(self, title: str) -> None:
        self.message.emit("note", f"{title} was cancelled; nothing was changed.")
        self.round_changed.emit()

    def _finish(self, task: Task, then: Callable[[], None]) -> None:
        if task is not self.task:
            return
        self.task = None
        self.idle.emit()
        then()
        task.deleteLater()

    def _progress(self, share: float, detail: object) -> None:
        if self.task is None:
            return
        if isinstance(detail, Log):
            self.driving.emit(detail)
        self.busy.emit(detail if isinstance(detail, str) else self.task.title, share)

    def cancel(self, wait: bool = False) -> None:
        """Stop what is running."""
        if self.task is not None:
            self.task.cancel()
            if wait:
                task, self.task = self.task, None
                task.wait()
                self.idle.emit()

    def solve(self) -> None:
        """Work out the correction of the current round in the background."""
        current, vehicle = self.round, self.vehicle
        if current is None or vehicle is None or not current.logs:
            return
        if self.task is not None and self.task.title == "Solving":
            self.cancel(wait=True)
        self.solve_number += 1
        number, settings, rounds = self.solve_number, self.settings, self._rounds_used()

        def work(report: Report) -> tuple[int, Solution, tuple[Event, ...]]:
            logs = [DrivenLog(log, r.table if r is not current else None) for r in rounds for log in r.logs]
            solution = solve(logs, vehicle, settings, left_out_of(rounds), report)
            return number, solution, find_events(solution)

        self.start("Solving", work, self._take_solution)

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
        self._replace_round(replace(self.round, verdict=verdict))
        self.store.save_verdict(self.round.id, verdict)
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

    def _replace_round(self, changed: Round) -> None:
        assert self.job is not None
        self.job = self.job.with_round(self.index, changed)

    def set_decision(self, decision: Decision) -> None:
        """Keep a decision, in memory and in the file."""
        assert self.round is not None and self.store is not None
        self._replace_round(replace(self.round, decision=decision))
        self.store.save_decision(self.round.id, self.round.table, decision)
        if self.solution is not None:
            self._propose()
        self.decided.emit()

    def set_left_out(self, spans: tuple[Span, ...]) -> None:
        """Keep the stretches left out by hand and solve again."""
        assert self.round is not None and self.store is not None
        self._replace_round(replace(self.round, left_out=spans))
        self.store.save_left_out(self.round.id, spans)
        self.solve()

    def change_decision(self, text: str, change: Callable[[Decision], Decision]) -> bool:
        """Apply a change with undo; False (and a message) if it cannot be done."""
        if self.decision is None or not self.is_last:
            self.message.emit("note", "Only the newest round can be decided; earlier ones are kept as they were.")
            return False
        before = self.decision
        try:
            after = change(before)
        except LeanTrimError as error:
            self.message.emit("error", str(error))
            return False
        self.undo.push(DecisionCommand(self, text, before, after))
        return True

    def accept(self, cells: frozenset[int] | None = None) -> None:
        """Accept the proposal for all cells or for some."""
        if self.proposal is None:
            self.message.emit("note", "There is no proposal yet; this round needs a log.")
            return
        proposal = self.proposal
        self.change_decision("Accept", lambda d: decide.accept(d, proposal, cells))

    def put_back(self, cells: frozenset[int] | None = None) -> None:
        """Return cells to the value they were driven on."""
        if self.round:
            table = self.round.table
            self.change_decision("Put back", lambda d: decide.put_back(d, table, cells))

    def pin(self, cells: frozenset[int]) -> None:
        """Pin cells, or release them if all are pinned."""
        if self.round and self.decision is not None and cells:
            table, on = self.round.table, not self.decision.pinned.ravel()[list(cells)].all()
            self.change_decision("Pin" if on else "Release", lambda d: decide.pin(d, table, cells, on))

    def type_in(self, text: str, cells: frozenset[int]) -> bool:
        """Apply typed input to cells."""
        if not cells:
            self.message.emit("note", "Select the cells first, then type, for example +3% or =82.")
            return False
        if self.vehicle is None:
            return False
        limits = self.vehicle.limits
        return self.change_decision(f"Set {text}", lambda d: decide.type_in(d, text, cells, limits))

    def leave_out(self, start_s: float, end_s: float) -> None:
        """Leave a stretch of the log out by hand, with undo; a stretch left out already is kept again."""
        if self.round is None or not self.round.logs:
            return
        before = self.round.left_out
        inside = tuple(s for s in before if not (s.start_s >= start_s - 1e-6 and s.end_s <= end_s + 1e-6))
        after = inside if len(inside) < len(before) else (*before, Span(start_s, end_s))
        self.undo.push(LeftOutCommand(self, before, after))

    def drive(self) -> None:
        """Drive the simulated car: on this round's table if it has no log yet, else on the decided one in a new round."""
        current, vehicle = self.round, self.vehicle
        if self.job is None or current is None or vehicle is None or not self.job.car:
            self.message.emit(
                "note", "Only a demo job has a simulated car. Log a real drive and add the log to this round."
            )
            return
        if not self.is_last:
            self.show_round(len(self.job.rounds) - 1)
            current, vehicle = self.round, self.vehicle
            assert current is not None and vehicle is not None
        fresh = not current.logs
        table = current.table if fresh else current.result
        driven, seed, minutes = vehicle.with_table(table), current.number + (0 if fresh else 1), self.drive_minutes

        def work(report: Report) -> StoredLog:
            return store_log(drive_apart(driven, seed, minutes, report))

        self.start("Driving the simulated car", work, lambda stored: self._drove(fresh, table, stored))

    def _drove(self, fresh: bool, table: Table, stored: StoredLog) -> None:
        assert self.store is not None
        if fresh:
            self.extend_round([stored])
        else:
            self._append_round(self.store.begin_round(table, [stored]))

    def begin_round(self) -> None:
        """Start the next round on the decided table, to be filled with a log."""
        if self.store is None or self.round is None or not self.is_last:
            return
        if not self.round.logs:
            self.message.emit("note", "This round has no log yet; add one before starting the next round.")
            return
        self._append_round(self.store.begin_round(self.round.result))

    def add_logs(self, paths: list[Path]) -> None:
        """Open log files in the background and add them to the newest round."""
        self.imports.add(paths)

    def hand_over(self, path: Path) -> bool:
        """Write the decided table as CSV."""
        from ..formats.tables_csv import write_table

        if self.round is None or self.store is None:
            return False
        try:
            write_table(self.round.result, path)
        except OSError as error:
            self.message.emit("error", f"{path}: cannot be written ({error.strerror}); choose another place.")
            return False
        self.mark_handed_over(f"CSV {path.name}")
        self.message.emit(
            "note", f"Table written to {path}. Keep a copy of what is in the ECU before you write this to it."
        )
        return True

    def mark_handed_over(self, how: str) -> None:
        """Note in the job how the table left it."""
        assert self.round is not None and self.store is not None
        self.store.mark_handed_over(self.round.id, how)
        self._replace_round(replace(self.round, handed_over=how))
        self.job_changed.emit()


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
