"""Opening a job file, reading the open one anew, closing it.

A file is opened and read in another thread; until that is done the job that is open stays as it is,
and a file that cannot be used takes nothing away.
"""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Callable
from pathlib import Path

from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.job.errors import DamagedJobError
from lean_trim.job.loading import open_job
from lean_trim.job.records import Job
from lean_trim.job.store import JobStore
from lean_trim.workspace.changes import JobClosed, JobClosing, Remedy
from lean_trim.workspace.kept import program_mark
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.tasks import Lane, Report, Tasks
from lean_trim.workspace.tuning import TuningControl

LOGGER = logging.getLogger(__name__)
TITLE = "Opening the job"


class Say:
    """What opening says."""

    UNSAVED = Message(
        "opening.unsaved",
        "{count} change(s) the file refused are not saved yet: {what}. Save the job elsewhere, or "
        "let them go; until then it stays open.",
    )
    CARRIED = Message(
        "opening.carried", "{count} change(s) that could not be saved before are saved now."
    )

    DAMAGED = Message("opening.damaged", "{reason}")
    MOVING = Message(
        "opening.moving",
        "{name} was changed while it was read again, more than once; it stays as it was. Open it "
        "again when the work rests.",
    )


MOST_READINGS = 3
"""How often an open file is read again because it was changed meanwhile."""


class Opening:
    """Makes a job the open one, and lets go of it.

    ``damaged`` is the file that was to be opened last and is damaged; None if it was not.
    """

    def __init__(
        self,
        open_job: OpenJob,
        tasks: Tasks,
        saving: Saving,
        tuning: TuningControl,
        navigation: Navigation,
    ) -> None:
        self.open = open_job
        self.tasks = tasks
        self.saving = saving
        self._leaving: Callable[[], object] | None = None
        self.damaged: Path | None = None
        self.tuning = tuning
        self.navigation = navigation

    def leave(self, then: Callable[[], object]) -> None:
        """Do something that lets go of the open job; asked about first while changes of it are not saved.

        Parameters
        ----------
        then : done at once, or when the user has let the changes go.
        """
        unsaved = self.saving.unsaved
        if not unsaved:
            then()
            return
        self._leaving = then
        what = ", ".join(f"“{change.text}”" for change in unsaved)
        remedies = (Remedy.SAVE_ELSEWHERE, Remedy.LET_GO)
        self.open.error(Say.UNSAVED(count=len(unsaved), what=what), remedies)

    def let_go(self) -> None:
        """The user's word that what could not be saved may go; what waited for it is done."""
        then = self._leaving
        self._leaving = None
        self.saving.unsaved.clear()
        if then is not None:
            then()

    def open_path(
        self,
        path: Path,
        then: Callable[[], None] | None = None,
        take_over: bool = False,
        reading: int = 1,
    ) -> None:
        """Open a job file at its newest round, in the background; ``then`` is called when it is open.

        A file another window holds is opened for reading only, unless it is taken over. The file
        that is open is read anew.

        Parameters
        ----------
        path : a job file.
        then : called when it is open.
        take_over : become the window that writes, whoever was before.
        reading : which attempt this is, for a file that is open.
        """
        if not self._is_open(path) and self.saving.unsaved:
            self.leave(lambda: self.open_path(path, then, take_over))
            return
        # One window cannot hold a file twice: a second connection only reads until it takes the
        # place of the first.
        ours = self._is_open(path) and not self.open.read_only
        commits = self.open.commits

        self.damaged = None

        def work(report: Report) -> tuple[JobStore, Job] | DamagedJobError:
            # Remembered from here on; reading all code would hold the window.
            program_mark()
            try:
                store, job = open_job(path, take=not ours, take_over=take_over and not ours)
            except DamagedJobError as error:
                return error
            _read_ahead(job)
            return store, job

        def opened(answer: tuple[JobStore, Job] | DamagedJobError) -> None:
            if isinstance(answer, DamagedJobError):
                self._tell_damaged(path, answer)
                return
            store, job = answer
            if ours and self._is_open(path) and commits != self.open.commits:
                # Something was saved since; what was read does not hold it.
                store.close()
                self._read_again(path, then, reading)
                return
            if not self._is_open(path) and self.saving.unsaved:
                # The file refused something while the other one was read.
                store.close()
                self.open_path(path, then, take_over)
                return
            if ours and self._is_open(path) and self.open.store is not None:
                store.take_place_of(self.open.store)
            self._change_to(path, store, job)
            if then is not None:
                then()

        self.tasks.start(Lane.READING, TITLE, work, opened, discard=_let_go)

    def _tell_damaged(self, path: Path, error: DamagedJobError) -> None:
        self.damaged = path
        self.open.error(Say.DAMAGED(reason=str(error)), (Remedy.REPAIR,))

    def _change_to(self, path: Path, store: JobStore, job: Job) -> None:
        """Let go of the open job and open another, or the same one anew with what it could not save."""
        kept = tuple(self.saving.unsaved) if self._is_open(path) else ()
        self.close_job()
        self.take_job(path, store, job)
        done = self.saving.make_good(kept)
        if done:
            self.open.note(Say.CARRIED(count=done))

    def _is_open(self, path: Path) -> bool:
        """True if the open job is kept in that file."""
        ours = self.open.path
        try:
            return ours is not None and path.samefile(ours)
        except OSError:
            return False

    def _read_again(self, path: Path, then: Callable[[], None] | None, reading: int) -> None:
        if reading >= MOST_READINGS:
            self.open.error(Say.MOVING(name=path.name))
            return
        self.open_path(path, then, reading=reading + 1)

    def take_job(self, path: Path, store: JobStore, job: Job) -> None:
        """Make an opened job the one that is looked at.

        Parameters
        ----------
        path, store, job : as ``open_job`` gives them.
        """
        held = f", {store.read_only}" if store.read_only else ""
        LOGGER.info("opened %s: %s rounds%s", path.name, len(job.rounds), held)
        self.open.take_job(path, store, job)
        self.navigation.show_round(len(job.rounds) - 1)

    def take_over(self) -> None:
        """Become the window that writes.

        The job is read again, since the other window may have changed it.
        """
        if self.open.path is not None:
            self.open_path(self.open.path, take_over=True)

    def close_job(self) -> None:
        """Let go of the job; a turn that is not at rest is kept first, everything else is saved already."""
        if self.open.job is not None:
            self.open.hub.publish(JobClosing())
            self.tuning.rest()
        self.tasks.drop_all()
        self.open.let_go()
        self.open.hub.publish(JobClosed())


def _read_ahead(job: Job) -> None:
    """Read the logs of the round that is shown first, which would hold the window."""
    # One that cannot be read is told where the round is worked out.
    with contextlib.suppress(BadInputError):
        tuple(job.rounds[-1].logs)


def _let_go(answer: tuple[JobStore, Job] | DamagedJobError) -> None:
    """Close what nobody wants any more."""
    if not isinstance(answer, DamagedJobError):
        answer[0].close()
