"""Opening, making and closing jobs from the window; failures become a sentence."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QMenu

from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.ui.session import Session
from lean_trim.ui.window.recent import Recent
from lean_trim.ui.window.round_rail import outcome
from lean_trim.workspace.changes import Notice

if TYPE_CHECKING:
    from lean_trim.core.data.vehicle import Vehicle
    from lean_trim.job.records import Job


class Say:
    """What opening says."""

    FAILED = Message("opening.failed", "{reason}")
    DEMO_KEPT = Message(
        "opening.demo_kept", "A fresh demo. The earlier one is kept beside it: {path}"
    )
    WARNING = Message("opening.warning", "{text}")


class Opening(QObject):
    """``attempt`` runs something that may fail; the rest are ways to get a job on the desk."""

    recent_changed = Signal()
    made = Signal()
    """A job was made on the page for it, and is open."""

    def __init__(self, session: Session, data_folder: Path, menu: QMenu) -> None:
        super().__init__(session)
        self.session = session
        self.data_folder = data_folder
        self.recent = Recent(data_folder)
        self.menu = menu
        self._noted: Job | None = None
        self.fill_menu()
        for signal in (session.solved, session.round_changed):
            signal.connect(self.note_state)

    def attempt(self, action: Callable[[], object]) -> bool:
        """Do something; an error that is meant for the user is told, and False returned."""
        try:
            action()
        # Anything else is a fault of the program and goes to its log.
        except (LeanTrimError, OSError) as error:
            self.session.noticed.emit(Notice("error", Say.FAILED(reason=str(error))))
            return False
        return True

    def open_demo(self, fresh: bool = False, car: str = "") -> None:
        """Open a car's demo job; the first time, drive it at once. Afresh is the one that is open."""
        from lean_trim.workspace.demo import DEFAULT_CAR, demo_path

        job = self.session.job
        wanted = car or (job.car if fresh and job is not None else "") or DEFAULT_CAR

        def begin() -> None:
            # Closed first: afresh means that the file goes, and this window may hold it.
            self.session.close_job()
            self.attempt(lambda: self._open_demo(*demo_path(self.data_folder, fresh, wanted)))

        self.session.opening.leave(begin)

    def _open_demo(self, path: Path, kept: Path | None) -> None:
        self.session.open_path(path, lambda: self._demo_opened(kept))

    def _demo_opened(self, kept: Path | None) -> None:
        if kept is not None:
            self.attempt(lambda: self.recent.add(kept))
            self.fill_menu()
            self.session.note(Say.DEMO_KEPT(path=kept))
        self._first_drive()

    def _first_drive(self) -> None:
        if self.session.round is not None and not self.session.round.logs and self.session.can_save:
            self.session.rounds.drive()

    def open_job(self, path: Path) -> None:
        """Open a job file."""
        self.session.open_path(path, lambda: self._opened(path))

    def make_job(self, vehicle: Vehicle, path: Path, log: Path | None = None) -> None:
        """Make a job file for a vehicle, open it, and add the log it was begun with."""

        def opened() -> None:
            self._opened(path)
            self.made.emit()
            if log is not None:
                self.session.imports.add([log])

        def make() -> None:
            from lean_trim.job.store import JobStore

            JobStore.create(path, vehicle).close()
            self.session.open_path(path, opened)

        self.attempt(make)

    def new_job(self, sheet: Path, path: Path) -> None:
        """Make a job file from a vehicle sheet and open it."""
        self.attempt(lambda: self._make(sheet, path))

    def _make(self, sheet: Path, path: Path) -> None:
        from lean_trim.formats.vehicle_sheet import read_vehicle
        from lean_trim.job.store import JobStore

        vehicle, warnings = read_vehicle(sheet)
        JobStore.create(path, vehicle).close()
        self.session.open_path(path, lambda: self._opened(path, warnings))

    def _opened(self, path: Path, warnings: Sequence[str] = ()) -> None:
        # After the job before was closed, whose messages go with it.
        for line in warnings:
            self.session.note(Say.WARNING(text=line))
        self.attempt(lambda: self.recent.add(path))
        self._noted = None
        self.note_state()

    def note_state(self) -> None:
        """Remember how the open job stands, for the list of jobs."""
        job = self.session.job
        path = self.session.open.path
        # A job that changes is another record; looking at another of its rounds tells nothing new.
        if job is None or path is None or job is self._noted:
            return
        self._noted = job
        outcomes = [f"round {r.number}: {text}" for r in job.rounds if (text := outcome(job, r))]
        state = outcomes[-1] if outcomes else f"round {job.rounds[-1].number}, not worked out yet"
        # A list that cannot be written costs a convenience, not the work.
        with contextlib.suppress(OSError):
            self.recent.tell(path, job.vehicle.name, state)
        self.fill_menu()

    def fill_menu(self) -> None:
        """Offer the jobs opened lately."""
        self.menu.clear()
        for path in self.recent.paths():
            self.menu.addAction(str(path)).triggered.connect(
                lambda _=False, p=path: self.open_job(p)
            )
        self.menu.setEnabled(bool(self.recent.paths()))
        self.recent_changed.emit()
