"""Logs on their way into the job: opened, asked about where needed, then added."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from lean_trim.core.data.channels import Role
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.frame import make_frame
from lean_trim.core.errors import BadInputError, CancelledError, LogError
from lean_trim.formats.logs import OpenedLog, open_log
from lean_trim.formats.meaning.choices import Banks, Choices, ColumnChoice, shape_of, two_point_scale
from lean_trim.job.blobs import store_log
from lean_trim.job.records import StoredLog
from lean_trim.ui.task import Report

if TYPE_CHECKING:
    from lean_trim.ui.session import Session


@dataclass(frozen=True, eq=False)
class Pending:
    """A log that is not in the job yet. ``problem`` is why it cannot be used as it is, "" if it can."""

    path: Path
    opened: OpenedLog
    choices: Choices
    problem: str

    @property
    def asks(self) -> bool:
        """True if the user has to look at it."""
        return bool(self.opened.mapped.doubts) or (bool(self.problem) and bool(self.opened.mapped.unused))


class ImportDesk(QObject):
    """Opens logs in the background; those with doubts wait here until the user has answered."""

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.waiting: list[Pending] = []

    @property
    def current(self) -> Pending | None:
        return self.waiting[0] if self.waiting else None

    def add(self, paths: list[Path], look: bool = False) -> None:
        """Open logs; ``look`` shows their columns even if nothing is doubtful."""
        session = self.session
        vehicle = session.vehicle
        if session.store is None or vehicle is None or session.job is None:
            session.message.emit("note", "Open or make a job first; a log belongs to a job.")
            return
        if not session.is_last:
            session.show_round(len(session.job.rounds) - 1)
        remembered = session.store.load_choices()

        def work(report: Report) -> list[tuple[Pending, StoredLog]]:
            return [_open(path, vehicle, remembered, report) for path in paths]

        session.work.start("Opening logs", work, lambda opened: self._opened(opened, look))

    def _opened(self, opened: list[tuple[Pending, StoredLog]], look: bool) -> None:
        for pending, _ in opened:
            for line in pending.opened.mapped.notes:
                self.session.message.emit("note", line)
        ready = [stored for pending, stored in opened if not pending.problem and not pending.asks and not look]
        hopeless = [p for p, _ in opened if p.problem and not p.asks]
        self.waiting += [p for p, _ in opened if p.asks or (look and not p.problem)]
        for pending in hopeless:
            self.session.message.emit("error", pending.problem)
        self.changed.emit()
        if ready:
            self.session.extend_round(ready)

    def choose(self, column: str, role: Role | None, unit: str = "") -> None:
        """The user's word on one column; the log is read again with it."""
        pending = self.current
        if pending is None:
            return
        try:
            two_point_scale(unit)
        except BadInputError as error:
            self.session.message.emit("error", str(error))
            return
        columns = {k: c for k, c in pending.choices.columns.items() if role is None or c.role is not role}
        for match in pending.opened.mapped.matches:
            for other in match.columns if match.role is role else ():
                columns[other.name] = ColumnChoice(None)
        columns[column] = ColumnChoice(role, unit)
        self._again(replace(pending.choices, columns=columns))

    def use_banks(self, banks: Banks) -> None:
        """Mean of two banks, or one of them."""
        if self.current is not None:
            self._again(replace(self.current.choices, banks=banks))

    def _again(self, choices: Choices) -> None:
        pending, vehicle = self.current, self.session.vehicle
        if pending is None or vehicle is None:
            return
        path = pending.path

        def work(report: Report) -> Pending:
            return _pending(path, vehicle, choices, report)

        self.session.work.start("Reading the log again", work, self._replace_current)

    def _replace_current(self, pending: Pending) -> None:
        self.waiting[0] = pending
        self.changed.emit()

    def accept(self) -> None:
        """Add the log as it is understood now, and remember what was said for logs of the same shape."""
        pending, store = self.current, self.session.store
        if pending is None or store is None:
            return
        if pending.problem:
            self.session.message.emit("error", pending.problem)
            return
        store.save_choices(shape_of(pending.opened.mapped.raw.columns), pending.choices)

        def work(report: Report) -> StoredLog:
            return store_log(pending.opened.log, pending.opened.sha256)

        def done(stored: StoredLog) -> None:
            self.waiting.pop(0)
            self.changed.emit()
            self.session.extend_round([stored])

        self.session.work.start("Keeping the log", work, done)

    def discard(self) -> None:
        """Leave the log out of the job."""
        if self.waiting:
            self.waiting.pop(0)
        self.changed.emit()

    def clear(self) -> None:
        """Nothing waits any more."""
        self.waiting = []
        self.changed.emit()


def _pending(path: Path, vehicle: Vehicle, choices: Choices, report: Report) -> Pending:
    def progress(share: float) -> bool:
        return report(0.9 * share, f"Opening {path.name}")

    opened = open_log(path, vehicle.stoich_afr, choices, progress)
    problem = ""
    try:
        make_frame(opened.log, vehicle)
    except LogError as error:
        problem = str(error)
    return Pending(path, opened, choices, problem)


def _open(path: Path, vehicle: Vehicle, remembered: dict[str, Choices], report: Report) -> tuple[Pending, StoredLog]:
    pending = _pending(path, vehicle, Choices(), report)
    known = remembered.get(shape_of(pending.opened.mapped.raw.columns))
    if known is not None and (known.columns or known.banks != "mean"):
        pending = _pending(path, vehicle, known, report)
    if not report(0.95, f"Keeping {path.name}"):
        raise CancelledError("opening logs was cancelled; nothing was changed")
    return pending, store_log(pending.opened.log, pending.opened.sha256)
