"""Logs on their way into the job.

Opened, asked about where needed, then saved into the round they were opened for.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import BadInputError, CancelledError, LogError
from lean_trim.core.messages import Message
from lean_trim.formats.logs import OpenedLog, open_log
from lean_trim.formats.meaning.choices import Banks, Choices, ColumnChoice, shape_of, two_point_scale
from lean_trim.job.blobs import store_log
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.records import StoredLog
from lean_trim.workspace.changes import ImportsChanged, Notice
from lean_trim.workspace.rounds import Addition, AddLogs, saved
from lean_trim.workspace.tasks import Lane, Report

if TYPE_CHECKING:
    from lean_trim.workspace.workspace import Workspace


class Say:
    """What opening logs says."""

    NO_JOB = Message("imports.no_job", "Open or make a job first; a log belongs to a job.")
    FOUND = Message("imports.found", "{text}")
    PROBLEM = Message("imports.problem", "{text}")
    CANCELLED = Message("imports.cancelled", "opening logs was cancelled; nothing was changed")


@dataclass(frozen=True, eq=False)
class Pending:
    """A log that is not in the job yet.

    Attributes
    ----------
    round_id : the round it was opened for.
    problem : why it cannot be used as it is, "" if it can.
    """

    path: Path
    opened: OpenedLog
    choices: Choices
    problem: str
    round_id: int

    @property
    def asks(self) -> bool:
        """True if the user has to look at it."""
        return bool(self.opened.mapped.doubts) or (bool(self.problem) and bool(self.opened.mapped.unused))


@dataclass(frozen=True)
class Opened:
    """What opening several logs gave: all of them, and what became of those that needed no look."""

    all: tuple[Pending, ...]
    addition: Addition | None
    error: SaveFailedError | None


class LogImports:
    """Opens logs in the background; those with doubts wait here until the user has answered."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.waiting: list[Pending] = []

    @property
    def current(self) -> Pending | None:
        """The log that is asked about now."""
        return self.waiting[0] if self.waiting else None

    def add(self, paths: list[Path], look: bool = False) -> None:
        """Open logs for the newest round; ``look`` shows their columns even if nothing is doubtful.

        Parameters
        ----------
        paths : log files.
        look : show their columns in any case.
        """
        workspace = self.workspace
        job = workspace.job
        store = workspace.store
        if job is None or store is None:
            workspace.note(Say.NO_JOB())
            return
        if not workspace.is_last:
            workspace.show_round(len(job.rounds) - 1)
        # Settled now: the user may look at another round while the logs are read.
        newest = job.rounds[-1]
        remembered = workspace.choices_cache
        vehicle = job.vehicle_in(len(job.rounds) - 1)

        def work(report: Report) -> Opened:
            opened = [_open(path, vehicle, remembered, report, newest.id) for path in paths]
            ready = [] if look else [s for pending, s in opened if not pending.problem and not pending.asks]
            every = tuple(pending for pending, _ in opened)
            if not ready:
                return Opened(every, None, None)
            return Opened(every, *saved(AddLogs(workspace, newest.id, tuple(ready)), store, report))

        workspace.tasks.start(Lane.READING, "Opening logs", work, lambda opened: self._opened(opened, look))

    def _opened(self, opened: Opened, look: bool) -> None:
        for pending in opened.all:
            for line in pending.opened.mapped.notes:
                self.workspace.note(Say.FOUND(text=line))
            if pending.problem and not pending.asks:
                self.workspace.hub.publish(Notice("error", Say.PROBLEM(text=pending.problem)))
        self.waiting += [p for p in opened.all if p.asks or (look and not p.problem)]
        self._tell()
        if opened.addition is not None:
            self.workspace.rounds.take(opened.addition, opened.error)

    def choose(self, column: str, role: Role | None, unit: str = "") -> None:
        """The user's word on one column; the log is read again with it.

        Parameters
        ----------
        column : its name.
        role : what it plays; None for nothing.
        unit : "" leaves it to the reader.
        """
        pending = self.current
        if pending is None:
            return
        try:
            two_point_scale(unit)
        except BadInputError as error:
            self.workspace.hub.publish(Notice("error", Say.PROBLEM(text=str(error))))
            return
        columns = {k: c for k, c in pending.choices.columns.items() if role is None or c.role is not role}
        for match in pending.opened.mapped.matches:
            for other in match.columns if match.role is role else ():
                columns[other.name] = ColumnChoice(None)
        columns[column] = ColumnChoice(role, unit)
        self._read_again(replace(pending.choices, columns=columns))

    def use_banks(self, banks: Banks) -> None:
        """Mean of two banks, or one of them.

        Parameters
        ----------
        banks : "mean", "1" or "2".
        """
        if self.current is not None:
            self._read_again(replace(self.current.choices, banks=banks))

    def _read_again(self, choices: Choices) -> None:
        pending = self.current
        vehicle = self._vehicle()
        if pending is None or vehicle is None:
            return

        def work(report: Report) -> Pending:
            return _pending(pending.path, vehicle, choices, report, pending.round_id)

        self.workspace.tasks.start(
            Lane.READING, "Reading the log again", work, lambda again: self._replace(pending, again)
        )

    def _vehicle(self) -> Vehicle | None:
        """The vehicle as it was driven for the log that is asked about."""
        job = self.workspace.job
        pending = self.current
        index = job.index_of(pending.round_id) if job is not None and pending is not None else None
        return None if job is None or index is None else job.vehicle_in(index)

    def _replace(self, pending: Pending, again: Pending) -> None:
        self.waiting = [again if p is pending else p for p in self.waiting]
        self._tell()

    def accept(self) -> None:
        """Add the log as it is understood now, and remember what was said for logs of the same shape."""
        pending = self.current
        store = self.workspace.store
        if pending is None or store is None:
            return
        if pending.problem:
            self.workspace.hub.publish(Notice("error", Say.PROBLEM(text=pending.problem)))
            return
        shape = shape_of(pending.opened.mapped.raw.columns)
        workspace = self.workspace

        def work(report: Report) -> tuple[Addition, SaveFailedError | None]:
            stored = store_log(pending.opened.log, pending.opened.sha256)
            return saved(AddLogs(workspace, pending.round_id, (stored,)), store, report)

        def done(answer: tuple[Addition, SaveFailedError | None]) -> None:
            self.waiting = [p for p in self.waiting if p is not pending]
            self._tell()
            workspace.rounds.take(*answer)

        if workspace.saving.attempt(lambda: workspace.save_choices(shape, pending.choices)):
            workspace.tasks.start(Lane.READING, "Keeping the log", work, done)

    def discard(self) -> None:
        """Leave the log out of the job."""
        if self.waiting:
            self.waiting.pop(0)
        self._tell()

    def clear(self) -> None:
        """Nothing waits any more."""
        self.waiting = []
        self._tell()

    def _tell(self) -> None:
        self.workspace.hub.publish(ImportsChanged())


def _pending(path: Path, vehicle: Vehicle, choices: Choices, report: Report, round_id: int) -> Pending:
    def progress(share: float) -> bool:
        return report(0.9 * share, f"Opening {path.name}")

    opened = open_log(path, vehicle.stoich_afr, choices, progress)
    problem = ""
    try:
        make_frame(opened.log, vehicle)
    except LogError as error:
        problem = str(error)
    return Pending(path, opened, choices, problem, round_id)


def _open(
    path: Path, vehicle: Vehicle, remembered: dict[str, Choices], report: Report, round_id: int
) -> tuple[Pending, StoredLog]:
    pending = _pending(path, vehicle, Choices(), report, round_id)
    known = remembered.get(shape_of(pending.opened.mapped.raw.columns))
    if known is not None and (known.columns or known.banks != "mean"):
        pending = _pending(path, vehicle, known, report, round_id)
    if not report(0.95, f"Keeping {path.name}"):
        raise CancelledError(Say.CANCELLED())
    return pending, store_log(pending.opened.log, pending.opened.sha256)
