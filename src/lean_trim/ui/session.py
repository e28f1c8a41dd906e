"""The open job as the window's parts see it.

The workspace's messages as Qt signals, and what every view asks for.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TypeVar

from PySide6.QtCore import QObject, Qt, QTimer, Signal, SignalInstance

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.proposal import PolicySettings, Proposal
from lean_trim.core.explore.events import Event
from lean_trim.core.messages import Said
from lean_trim.core.pipeline.prepare import Prepared
from lean_trim.core.pipeline.solve import Solution, SolveSettings
from lean_trim.core.sieve.sieve import Sifted
from lean_trim.job.records import Job, Round
from lean_trim.ui.selection import Selection
from lean_trim.workspace import changes
from lean_trim.workspace.carrying import EarlierRound
from lean_trim.workspace.changes import Part
from lean_trim.workspace.parts import MakePart
from lean_trim.workspace.tasks import WAITED_FOR, Lane
from lean_trim.workspace.work_state import WorkState
from lean_trim.workspace.workspace import Workspace

T = TypeVar("T")


class QtTimer:
    """A single shot of Qt's that can be cancelled."""

    def __init__(self, timer: QTimer) -> None:
        self._timer = timer

    def cancel(self) -> None:
        """Do not call it."""
        self._timer.stop()
        self._timer.deleteLater()


class QtLoop(QObject):
    """The window's own event loop as the workspace's."""

    _posted = Signal(object)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._posted.connect(self._call, Qt.ConnectionType.QueuedConnection)

    def post(self, call: Callable[[], None]) -> None:
        """Have something called in the window's thread."""
        try:
            self._posted.emit(call)
        except RuntimeError:
            # The window is gone; a thread that ran out late has nobody to tell.
            return

    def _call(self, call: Callable[[], None]) -> None:
        call()

    def call_later(self, delay_s: float, call: Callable[[], None]) -> QtTimer:
        """Have something called after a while."""
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.timeout.connect(call)
        timer.timeout.connect(timer.deleteLater)
        timer.start(round(1000 * delay_s))
        return QtTimer(timer)


class Teller(QObject):
    """A message of a feature as a Qt signal."""

    told = Signal()


class Session(QObject):
    """Views call the workspace's parts and listen to these signals.

    Nothing is kept here but the selection. ``features`` are parts that features bring along; their
    views reach them by ``part`` and hear them by ``told``.
    """

    job_changed = Signal()
    job_closing = Signal()
    job_closed = Signal()
    round_changed = Signal()
    solved = Signal()
    solve_failed = Signal(str)
    decided = Signal()
    marks_changed = Signal()
    tuning_changed = Signal()
    imports_changed = Signal()
    injectors_told = Signal()
    history_changed = Signal()
    access_changed = Signal(str)
    driving = Signal(object)
    work_changed = Signal()
    busy = Signal(str, float)
    idle = Signal()
    noticed = Signal(object)

    def __init__(self, parent: QObject | None = None, features: Sequence[MakePart] = ()) -> None:
        super().__init__(parent)
        self.selection = Selection(self)
        # What views need they reach by name; which parts make it up is no view's business.
        parts = Workspace(QtLoop(self), features)
        self.parts = parts.parts
        self.open = parts.open
        self.opening = parts.opening
        self.navigation = parts.navigation
        self.tasks = parts.tasks
        self.deciding = parts.deciding
        self.shaping = parts.shaping
        self.axis_edits = parts.axis_edits
        self.airflow_tables = parts.airflow_tables
        self.learned = parts.learned
        self.without = parts.without
        self.elsewhere = parts.elsewhere
        self.rounds = parts.rounds
        self.logs = parts.logs
        self.log_export = parts.log_export
        self.tuning = parts.tuning
        self.imports = parts.imports
        self.marks = parts.marks
        self.solver = parts.solver
        self.work = parts.work
        self.saving = parts.saving
        self.history = parts.history
        self.swaps = parts.swaps
        self.vehicles = parts.vehicles
        self.study = parts.study
        self.injectors = parts.injectors
        self.scale = parts.scale
        self._work: tuple[WorkState, bool] | None = None
        self._tellers: dict[type, Teller] = {}
        self._listen()

    def _listen(self) -> None:
        hear = self.open.hub.subscribe
        hear(changes.JobOpened, lambda _: self.job_changed.emit())
        hear(changes.JobClosing, lambda _: self.job_closing.emit())
        hear(changes.JobClosed, lambda _: self._job_closed())
        hear(changes.RoundShown, lambda _: self._round_shown())
        hear(changes.RoundAdded, lambda _: self.job_changed.emit())
        hear(changes.RoundChanged, self._part_changed)
        hear(changes.SolutionShown, lambda _: self._solved())
        hear(changes.SolveFailed, self._solve_failed)
        hear(changes.ProposalChanged, lambda _: self.decided.emit())
        hear(changes.TuningTurned, lambda _: self.tuning_changed.emit())
        hear(changes.DriveGrew, lambda m: self.driving.emit(m.log))
        hear(changes.ImportsChanged, lambda _: self.imports_changed.emit())
        hear(changes.InjectorsTold, lambda _: self.injectors_told.emit())
        hear(changes.HistoryChanged, lambda _: self.history_changed.emit())
        hear(changes.AccessChanged, lambda m: self.access_changed.emit(m.read_only))
        hear(changes.Notice, self.noticed.emit)
        hear(changes.WorkStarted, lambda m: self._work_moved(m.task, m.title, 0.0))
        hear(changes.WorkMoved, lambda m: self._work_moved(m.task, m.what, m.share))
        hear(changes.WorkEnded, lambda _: self._work_ended())

    def part(self, kind: type[T]) -> T:
        """The part of a kind that a feature brought along."""
        return self.parts[kind]

    def told(self, kind: type) -> SignalInstance:
        """A signal for the messages of a kind, a feature's own included."""
        if kind not in self._tellers:
            teller = Teller(self)
            self.open.hub.subscribe(kind, lambda _: teller.told.emit())
            self._tellers[kind] = teller
        return self._tellers[kind].told

    def _solve_failed(self, failed: changes.SolveFailed) -> None:
        """No solution is shown now, which every view of it has to hear as well."""
        self.solve_failed.emit(failed.reason)
        self._solved()

    def _solved(self) -> None:
        self.solved.emit()
        self._tell_work()

    def _tell_work(self) -> None:
        """Tell of another state of the work; of how far it is ``busy`` tells."""
        state = (replace(self.work.state, what="", share=0.0), self.is_reading)
        if state != self._work:
            self._work = state
            self.work_changed.emit()

    def _round_shown(self) -> None:
        self.selection.clear()
        self.round_changed.emit()
        self._tell_work()

    def _job_closed(self) -> None:
        self.selection.clear()
        self.job_closed.emit()
        self.job_changed.emit()
        self.round_changed.emit()
        self._tell_work()

    def _part_changed(self, change: changes.RoundChanged) -> None:
        if change.part is Part.MARKS:
            self.marks_changed.emit()
        elif change.part is not Part.TUNING and not (
            change.part is Part.DECISION and self.open.shows(change.round_id)
        ):
            # A decision on the shown round is told by the proposal that follows from it.
            self.job_changed.emit()

    def _work_moved(self, task: int, what: str, share: float) -> None:
        """Tell of the task people wait for: reading or driving before solving; quick refits are not told."""
        running = self.tasks.running
        # A solve beside a drive is not told, or the two would take turns in one bar.
        shown = next((running[lane] for lane in WAITED_FOR if lane in running), None)
        if shown is not None and shown.number == task:
            self.busy.emit(what, share)
        self._tell_work()

    def _work_ended(self) -> None:
        self._tell_work()
        if not self.is_busy:
            self.idle.emit()

    @property
    def job(self) -> Job | None:
        """The open job."""
        return self.open.job

    @property
    def index(self) -> int:
        """Place of the round that is looked at."""
        return self.open.index

    @property
    def round(self) -> Round | None:
        """The round that is looked at."""
        return self.open.round

    @property
    def decision(self) -> Decision | None:
        """What was decided for the table under correction."""
        return self.round.decided if self.round is not None else None

    @property
    def vehicle(self) -> Vehicle | None:
        """The vehicle as it was driven in that round."""
        return self.open.vehicle

    @property
    def solution(self) -> Solution | None:
        """The solution of that round."""
        return self.solver.solution

    def earlier_rounds(self) -> tuple[EarlierRound, ...]:
        """Rounds with a drive before the one that is looked at, each with why it does not count."""
        return self.solver.earlier()

    @property
    def prepared(self) -> Prepared | None:
        """The log as the sieve saw it, also where too little was left to fit."""
        leftover = self.solver.leftover
        if self.solution is not None:
            return self.solution.prepared
        return leftover.prepared if leftover is not None else None

    @property
    def sifted(self) -> Sifted | None:
        """What the sieve did, also where too little was left to fit."""
        leftover = self.solver.leftover
        if self.solution is not None:
            return self.solution.sifted
        return leftover.sifted if leftover is not None else None

    @property
    def events(self) -> tuple[Event, ...]:
        """Events of its drive."""
        return self.solver.events

    @property
    def proposal(self) -> Proposal | None:
        """What is proposed for the table under correction."""
        return self.solver.proposal

    @property
    def settings(self) -> SolveSettings:
        """Settings as the knobs stand."""
        return self.tuning.state.solve

    @property
    def policy(self) -> PolicySettings:
        """The policy as its knobs stand."""
        return self.tuning.state.policy

    @property
    def is_last(self) -> bool:
        """Only the newest round can still be decided."""
        return self.open.is_last

    @property
    def is_reading(self) -> bool:
        """True while something is read or driven."""
        return Lane.READING in self.tasks.running

    @property
    def is_busy(self) -> bool:
        """True while anything people wait for runs."""
        return any(lane in self.tasks.running for lane in WAITED_FOR)

    @property
    def can_save(self) -> bool:
        """False if the job can only be looked at."""
        return self.job is not None and not self.open.read_only

    def open_path(self, path: Path, then: Callable[[], None] | None = None) -> None:
        """Show a job file, at its newest round; ``then`` is called when it is open."""
        self.opening.open_path(path, then)

    def close_job(self) -> None:
        """Let go of the job; everything is saved already."""
        self.opening.close_job()

    def show_round(self, index: int) -> None:
        """Look at a round."""
        self.navigation.show_round(index)

    def note(self, said: Said) -> None:
        """Tell the user something."""
        self.open.note(said)

    def cancel(self) -> None:
        """Stop what people wait for."""
        self.tasks.cancel()
