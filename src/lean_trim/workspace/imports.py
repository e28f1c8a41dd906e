"""Logs on their way into the job.

Opened, asked about where needed, then saved into the round they were opened for.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import BadInputError, CancelledError, LogError
from lean_trim.core.messages import Message, Said
from lean_trim.formats.logs import OpenedLog, open_log
from lean_trim.formats.meaning.choices import Banks, Choices, ColumnChoice, shape_of, two_point_scale
from lean_trim.job.blobs import store_log
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.records import LogInfo, StoredLog
from lean_trim.job.store import JobStore
from lean_trim.workspace.changes import ImportsChanged, Notice
from lean_trim.workspace.destination import Destination, Place, destination
from lean_trim.workspace.rounds import Addition, saved
from lean_trim.workspace.tasks import Lane, Report

if TYPE_CHECKING:
    from lean_trim.workspace.workspace import Workspace


class Say:
    """What opening logs says."""

    NO_JOB = Message("imports.no_job", "Open or make a job first; a log belongs to a job.")
    FOUND = Message("imports.found", "{text}")
    PROBLEM = Message("imports.problem", "{text}")
    ALREADY_THERE = Message(
        "imports.already_there",
        "{name} is not added again: it is the same file as {other} in round {number}. "
        "To read it otherwise, remove or replace that one on the Logs page first.",
    )
    RESTS = Message(
        "imports.rests",
        "{name} is not added again: it is the same file as {other}, which is left out in round {number}. Let "
        "that one count again on the Logs page.",
    )
    CANCELLED = Message("imports.cancelled", "opening logs was cancelled; nothing was changed")


@dataclass(frozen=True, eq=False)
class Pending:
    """A log that is not in the job yet.

    Attributes
    ----------
    where : the round it was opened for, and the table of the one after it.
    place : which of the two, as far as the log itself and the hand-over tell.
    problem : why it cannot be used as it is, "" if it can.
    """

    path: Path
    opened: OpenedLog
    choices: Choices
    problem: str
    where: Destination
    place: Place

    @property
    def asks(self) -> bool:
        """True if the user has to look at it."""
        return bool(self.opened.mapped.doubts) or (bool(self.problem) and bool(self.opened.mapped.unused))


@dataclass(frozen=True, eq=False)
class Unplaced:
    """A log that was understood, of which only the user knows which table it was driven on."""

    stored: StoredLog
    where: Destination


@dataclass(frozen=True)
class Opened:
    """What opening several logs gave: all of them, and what became of those that needed no look."""

    all: tuple[Pending, ...]
    additions: tuple[tuple[Addition, SaveFailedError | None], ...] = ()
    unplaced: tuple[Unplaced, ...] = ()
    replacement: tuple[Destination, LogInfo, Log] | None = None
    said: tuple[Said, ...] = ()


class LogImports:
    """Opens logs in the background; those with doubts wait here until the user has answered.

    ``waiting`` are logs whose columns are asked about, ``unplaced`` those whose table is.
    """

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.waiting: list[Pending] = []
        self.unplaced: list[Unplaced] = []

    @property
    def current(self) -> Pending | None:
        """The log whose columns are asked about now."""
        return self.waiting[0] if self.waiting else None

    def add(self, paths: list[Path], look: bool = False, replaces: tuple[int, int] | None = None) -> None:
        """Open logs for the newest round or the one after it.

        Parameters
        ----------
        paths : log files.
        look : show their columns in any case.
        replaces : (round id, log id) of a log the first of them takes the place of.
        """
        workspace = self.workspace
        store = workspace.store
        if replaces is None and not workspace.is_last and workspace.job is not None:
            workspace.show_round(len(workspace.job.rounds) - 1)
        # Settled now: the user may look at another round while the logs are read.
        where = destination(workspace, replaces)
        if where is None or store is None:
            workspace.note(Say.NO_JOB())
            return
        remembered = workspace.choices_cache
        wanted = paths[:1] if replaces is not None else paths

        def work(report: Report) -> Opened:
            opened = [_open(path, remembered, report, where) for path in wanted]
            new, said = self._only_new(opened) if replaces is None else (opened, ())
            ready = [] if look else [(p, s) for p, s in new if not p.problem and not p.asks]
            every = tuple(pending for pending, _ in new)
            return replace(self._keep(ready, every, store, report), said=said)

        workspace.tasks.start(Lane.READING, "Opening logs", work, lambda opened: self._opened(opened, look))

    def _only_new(
        self, opened: list[tuple[Pending, StoredLog]]
    ) -> tuple[list[tuple[Pending, StoredLog]], tuple[Said, ...]]:
        """Logs the job does not have yet; a drive that counts twice would pass for two."""
        job = self.workspace.job
        known: dict[str, Said] = {}
        for r in job.rounds if job is not None else ():
            for info in r.log_infos:
                known[info.sha256] = Say.ALREADY_THERE(name="", other=info.name, number=r.number)
            for resting in r.resting:
                known[resting.info.sha256] = Say.RESTS(name="", other=resting.info.name, number=r.number)
        new = []
        said = []
        for pending, stored in opened:
            before = known.get(stored.sha256) if stored.sha256 else None
            if before is not None:
                said.append(Said(before.message, {**before.values, "name": stored.log.name}))
                continue
            new.append((pending, stored))
            number = job.rounds[-1].number if job is not None else 0
            known[stored.sha256] = Say.ALREADY_THERE(name="", other=stored.log.name, number=number)
        return new, tuple(said)

    def _keep(
        self,
        ready: list[tuple[Pending, StoredLog]],
        every: tuple[Pending, ...],
        store: JobStore,
        report: Report,
    ) -> Opened:
        """Save logs that need no look where they belong, in a task's thread."""
        if not ready:
            return Opened(every)
        where = ready[0][0].where
        if where.replaces is not None:
            report.saving()
            stored = ready[0][1]
            return Opened(every, replacement=(where, store.keep_log(stored), stored.log))
        additions = []
        for place in (Place.HERE, Place.NEXT):
            logs = tuple(s for p, s in ready if p.place is place)
            addition = self.workspace.rounds.addition_for(where, place, logs) if logs else None
            if addition is not None:
                additions.append(saved(addition, store, report))
        asked = tuple(Unplaced(s, p.where) for p, s in ready if p.place is Place.ASK)
        return Opened(every, tuple(additions), asked)

    def _opened(self, opened: Opened, look: bool) -> None:
        for pending in opened.all:
            for line in pending.opened.mapped.notes:
                self.workspace.note(Say.FOUND(text=line))
            if pending.problem and not pending.asks:
                self.workspace.hub.publish(Notice("error", Say.PROBLEM(text=pending.problem)))
        self.waiting += [p for p in opened.all if p.asks or (look and not p.problem)]
        self._take(opened)
        for said in opened.said:
            self.workspace.note(said)

    def _take(self, opened: Opened) -> None:
        """Take what a task saved into memory, and ask about what it could not place."""
        self.unplaced += opened.unplaced
        self._tell()
        for addition, error in opened.additions:
            self.workspace.rounds.take(addition, error)
        if opened.replacement is not None:
            where, info, log = opened.replacement
            assert where.replaces is not None
            self.workspace.logs.replace(where.round_id, where.replaces, info, log)

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

    def choose_time(self, column: str, unit: str = "") -> None:
        """The user's word on the time of the rows; the log is read again with it.

        Parameters
        ----------
        column : its name.
        unit : "" leaves it to the reader.
        """
        if self.current is not None:
            self._read_again(replace(self.current.choices, time=column, time_unit=unit))

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
        if pending is None:
            return

        def work(report: Report) -> Pending:
            return _pending(pending.path, choices, report, pending.where)

        self.workspace.tasks.start(
            Lane.READING, "Reading the log again", work, lambda again: self._replace(pending, again)
        )

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

        def work(report: Report) -> Opened:
            stored = store_log(pending.opened.log, pending.opened.sha256)
            return self._keep([(pending, stored)], (), store, report)

        def done(opened: Opened) -> None:
            self.waiting = [p for p in self.waiting if p is not pending]
            self._take(opened)

        if workspace.saving.attempt(lambda: workspace.save_choices(shape, pending.choices)):
            workspace.tasks.start(Lane.READING, "Keeping the log", work, done)

    def place(self, place: Place) -> None:
        """The user's word on which table the logs that wait were driven on.

        Parameters
        ----------
        place : ``HERE`` for the table of the round, ``NEXT`` for the one that was decided from it.
        """
        store = self.workspace.store
        asked = tuple(self.unplaced)
        if not asked or store is None:
            return
        where = asked[0].where
        addition = self.workspace.rounds.addition_for(where, place, tuple(u.stored for u in asked))
        if addition is None:
            return

        def work(report: Report) -> Opened:
            return Opened((), (saved(addition, store, report),))

        def done(opened: Opened) -> None:
            self.unplaced = [u for u in self.unplaced if u not in asked]
            self._take(opened)

        self.workspace.tasks.start(Lane.READING, "Keeping the log", work, done)

    def discard(self) -> None:
        """Leave the log that is asked about out of the job."""
        if self.waiting:
            self.waiting.pop(0)
        else:
            self.unplaced = []
        self._tell()

    def clear(self) -> None:
        """Nothing waits any more."""
        self.waiting = []
        self.unplaced = []
        self._tell()

    def _tell(self) -> None:
        self.workspace.hub.publish(ImportsChanged())


def _pending(path: Path, choices: Choices, report: Report, where: Destination) -> Pending:
    def progress(share: float) -> bool:
        return report(0.9 * share, f"Opening {path.name}")

    vehicle = where.vehicle
    opened = open_log(path, vehicle.stoich_afr, choices, progress, vehicle=vehicle)
    problem = ""
    place = where.place
    try:
        make_frame(opened.log, where.vehicle)
        place = where.place_of(opened.log)
    except LogError as error:
        problem = str(error)
    return Pending(path, opened, choices, problem, where, place)


def _open(
    path: Path, remembered: dict[str, Choices], report: Report, where: Destination
) -> tuple[Pending, StoredLog]:
    pending = _pending(path, Choices(), report, where)
    known = remembered.get(shape_of(pending.opened.mapped.raw.columns))
    if known is not None and known.said_anything:
        pending = _pending(path, known, report, where)
    if not report(0.95, f"Keeping {path.name}"):
        raise CancelledError(Say.CANCELLED())
    return pending, store_log(pending.opened.log, pending.opened.sha256)
