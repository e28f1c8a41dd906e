"""Saving first: every change goes to the file before memory takes it.

What the file refused is kept to be saved elsewhere.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Protocol, runtime_checkable

from lean_trim.core.errors import CancelledError
from lean_trim.core.messages import Message
from lean_trim.job.errors import NotOwnerError, SaveFailedError
from lean_trim.job.store import JobStore
from lean_trim.workspace.changes import JobClosed, Remedy
from lean_trim.workspace.history import History
from lean_trim.workspace.open_job import OpenJob, Snapshot
from lean_trim.workspace.tasks import Lane, Report, Tasks

LOGGER = logging.getLogger(__name__)


class Say:
    """What saving says."""

    FAILED = Message("saving.failed", "{reason}")
    FAILED_KEPT = Message(
        "saving.failed_kept", "{reason} {what} is kept: save the job elsewhere, and it goes along."
    )
    SAVED_ELSEWHERE = Message(
        "saving.elsewhere",
        "The job goes on in {path}. {count} change(s) that could not be saved before are in it.",
    )
    NO_JOB = Message("saving.no_job", "No job is open.")
    STOPPED = Message("saving.stopped", "saving elsewhere was cancelled; nothing was changed")
    STILL_THERE = Message(
        "saving.elsewhere_failed", "{reason} What could not be saved is still kept."
    )


class Unsaved(Protocol):
    """A change the file refused."""

    @property
    def text(self) -> str:
        """What it is."""

    def apply(self) -> None:
        """Save it, then take it into memory."""

    def again(self) -> Unsaved | None:
        """The same change on what the job is now; None if there is no place for it any more."""


@runtime_checkable
class Undoable(Unsaved, Protocol):
    """One that can be taken back as well."""

    def revert(self) -> None:
        """The opposite."""


class Saving:
    """The way to the file of the open job; ``unsaved`` are the changes it refused."""

    def __init__(self, open_job: OpenJob, tasks: Tasks, history: History) -> None:
        self.open = open_job
        self.tasks = tasks
        self.history = history
        self.unsaved: list[Unsaved] = []
        open_job.hub.subscribe(JobClosed, lambda _: self.unsaved.clear())

    def attempt(self, action: Callable[[], object], change: Unsaved | None = None) -> bool:
        """Do something that saves.

        If the file refuses, the user is told, the change is kept for elsewhere, and False is
        returned.

        Parameters
        ----------
        action : something that saves.
        change : kept to be saved elsewhere if the file refuses.

        Returns
        -------
        Whether it was done.
        """
        try:
            action()
        except SaveFailedError as error:
            self.refused(error, change)
            return False
        return True

    def refused(self, error: SaveFailedError, change: Unsaved | None) -> None:
        """Tell that the file refused something, and keep it.

        Parameters
        ----------
        error : why.
        change : what is kept, None for nothing.
        """
        self.open.tell_access()
        LOGGER.warning("not saved: %s", error)
        remedies = (
            (Remedy.SAVE_ELSEWHERE, Remedy.TAKE_OVER)
            if isinstance(error, NotOwnerError)
            else (Remedy.SAVE_ELSEWHERE,)
        )
        if change is None:
            self.open.error(Say.FAILED(reason=str(error)), remedies)
            return
        self.unsaved.append(change)
        self.open.error(Say.FAILED_KEPT(reason=str(error), what=f"“{change.text}”"), remedies)

    def save_elsewhere(self, path: Path) -> None:
        """Write the whole job, with everything that could not be saved, to another file and go on there.

        Parameters
        ----------
        path : of the new file.
        """
        snapshot = self.open.snapshot
        if snapshot is None:
            self.open.note(Say.NO_JOB())
            return

        def work(report: Report) -> JobStore:
            copy = JobStore.write_copy(path, snapshot.job, snapshot.settings, snapshot.choices)
            if report.cancelled:
                _throw_away(copy)
                raise CancelledError(Say.STOPPED())
            return copy

        self.tasks.start(
            Lane.READING,
            f"Saving to {path.name}",
            work,
            lambda copy: self._go_on(copy, path, snapshot),
            self._not_elsewhere,
            discard=_throw_away,
        )

    def _not_elsewhere(self, reason: str) -> None:
        self.open.error(Say.STILL_THERE(reason=reason), (Remedy.SAVE_ELSEWHERE,))

    def _go_on(self, copy: JobStore, path: Path, copied: Snapshot) -> None:
        """Take the new file for the old one, and do what was refused.

        The job went on while it was copied: what it has become since is written first.
        """
        now = self.open.snapshot
        assert now is not None
        try:
            copy.bring_up_to_date(copied.job, now.job, now.settings, now.choices)
        except SaveFailedError as error:
            _throw_away(copy)
            self._not_elsewhere(str(error))
            return
        self.open.take_store(copy, path)
        # Taken out first, so that one the new file refuses as well is kept again.
        waiting = tuple(self.unsaved)
        self.unsaved.clear()
        done = self.make_good(waiting)
        self.open.note(Say.SAVED_ELSEWHERE(path=path, count=done))

    def make_good(self, refused: Sequence[Unsaved]) -> int:
        """Do what a file refused, in its order.

        Returns how many of them were done.
        """
        return sum(self._make_good(change) for change in refused)

    def _make_good(self, refused: Unsaved) -> bool:
        """Do what the file refused, on what the job is now; it can be undone like any other change."""
        change = refused.again()
        if change is None:
            return False
        if isinstance(change, Undoable):
            undoable = change
            return self.attempt(lambda: self.history.push(undoable), change)
        return self.attempt(change.apply, change)


def _throw_away(copy: JobStore) -> None:
    """Close and remove a copy that does not become the job's file."""
    copy.close()
    copy.path.unlink(missing_ok=True)
