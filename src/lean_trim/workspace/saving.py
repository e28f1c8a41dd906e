"""Saving first: every change goes to the file before memory takes it.

What the file refused is kept to be saved elsewhere.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Protocol, TypeVar

from lean_trim.core.messages import Message
from lean_trim.job.errors import NotOwnerError, SaveFailedError
from lean_trim.job.store import JobStore
from lean_trim.workspace.changes import AccessChanged, Notice, Remedy
from lean_trim.workspace.tasks import Lane, Report

if TYPE_CHECKING:
    from lean_trim.workspace.workspace import Workspace

LOGGER = logging.getLogger(__name__)
Result = TypeVar("Result")


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
    STILL_THERE = Message("saving.elsewhere_failed", "{reason} What could not be saved is still kept.")


class Unsaved(Protocol):
    """A change the file refused."""

    @property
    def text(self) -> str:
        """What it is."""

    def apply(self) -> None:
        """Save it, then take it into memory."""


class Saving:
    """The way to the file of the open job."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.unsaved: list[Unsaved] = []

    def save(self, write: Callable[[JobStore], Result]) -> Result:
        """Write to the open job's file.

        Parameters
        ----------
        write : called with the open file.

        Returns
        -------
        What ``write`` returned.

        Raises
        ------
        SaveFailedError
            With the true cause; the file is as it was.
        """
        store = self.workspace.store
        if store is None:
            raise SaveFailedError(Path(), str(Say.NO_JOB()))
        try:
            return write(store)
        finally:
            self.tell_access()

    def tell_access(self) -> None:
        """Publish a change of what may be saved."""
        store = self.workspace.store
        read_only = store.read_only if store is not None else ""
        if read_only != self.workspace.read_only:
            self.workspace.read_only = read_only
            self.workspace.hub.publish(AccessChanged(read_only))

    def attempt(self, action: Callable[[], object], change: Unsaved | None = None) -> bool:
        """Do something that saves.

        If the file refuses, the user is told, the change is kept for elsewhere, and False is returned.

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
        self.tell_access()
        LOGGER.warning("not saved: %s", error)
        remedies = (
            (Remedy.SAVE_ELSEWHERE, Remedy.TAKE_OVER)
            if isinstance(error, NotOwnerError)
            else (Remedy.SAVE_ELSEWHERE,)
        )
        if change is None:
            self.workspace.hub.publish(Notice("error", Say.FAILED(reason=str(error)), remedies))
            return
        self.unsaved.append(change)
        said = Say.FAILED_KEPT(reason=str(error), what=f"“{change.text}”")
        self.workspace.hub.publish(Notice("error", said, remedies))

    def save_elsewhere(self, path: Path) -> None:
        """Write the whole job, with everything that could not be saved, to another file and go on there.

        Parameters
        ----------
        path : of the new file.
        """
        workspace = self.workspace
        job = workspace.job
        store = workspace.store
        if job is None or store is None:
            workspace.note(Say.NO_JOB())
            return
        settings = workspace.settings_cache
        choices = workspace.choices_cache

        def work(report: Report) -> JobStore:
            report.saving()
            return JobStore.write_copy(path, job, settings, choices)

        workspace.tasks.start(
            Lane.READING,
            f"Saving to {path.name}",
            work,
            lambda copy: self._go_on(copy, path),
            self._not_elsewhere,
        )

    def _not_elsewhere(self, reason: str) -> None:
        self.workspace.hub.publish(Notice("error", Say.STILL_THERE(reason=reason), (Remedy.SAVE_ELSEWHERE,)))

    def _go_on(self, copy: JobStore, path: Path) -> None:
        """Take the new file for the old one, and do what was refused."""
        workspace = self.workspace
        if workspace.store is not None:
            workspace.store.close()
        workspace.store = copy
        workspace.path = path
        self.tell_access()
        # Taken out first, so that one the new file refuses as well is kept again.
        waiting = self.unsaved
        self.unsaved = []
        done = sum(self.attempt(change.apply, change) for change in waiting)
        workspace.note(Say.SAVED_ELSEWHERE(path=path, count=done))
        workspace.publish_job()

    def clear(self) -> None:
        """Forget what was kept; the job is closed."""
        self.unsaved.clear()
