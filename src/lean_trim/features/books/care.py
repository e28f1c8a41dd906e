"""The open job's file looked through, compacted, written as a folder, brought back, repaired."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from lean_trim.core.messages import Message, Said
from lean_trim.workspace.changes import Remedy
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.opening import Opening
from lean_trim.workspace.tasks import Lane, Report, Tasks

if TYPE_CHECKING:
    from lean_trim.job.care import FileState
    from lean_trim.job.repair import Repaired

LANE = Lane("job file")
MEGA = 1e6


class Say:
    """What looking after a file says."""

    NO_FILE = Message(
        "file_care.no_file", "This job is in no file yet; make a job of the log first."
    )
    CHECKING = Message("file_care.checking", "Looking through the job file")
    COMPACTING = Message("file_care.compacting", "Compacting the job file")
    EXPORTING = Message("file_care.exporting", "Writing the job as a folder")
    IMPORTING = Message("file_care.importing", "Making a job of the folder")
    REPAIRING = Message("file_care.repairing", "Copying what can be read")
    COMPACTED = Message(
        "file_care.compacted", "The job file takes {after:.1f} MB now, {before:.1f} MB before."
    )
    EXPORTED = Message(
        "file_care.exported",
        "The job is in {folder}: {rounds} round(s). Its README.txt explains each file.",
    )
    IMPORTED = Message("file_care.imported", "{path} was made of the folder, and is open.")
    REPAIRED = Message(
        "file_care.repaired",
        "{path} is open: what could still be read of {damaged}, which is as it was. {lost}",
    )
    LOST = Message("file_care.lost", "Lost: {what}.")
    MORE = Message("file_care.more", "{what} and {count} more")
    NOTHING_LOST = Message("file_care.nothing_lost", "Nothing was lost.")
    FAILED = Message("file_care.failed", "{reason}")


MOST_NAMED = 8
"""Lost things that are named in a message."""


class FileCare:
    """What is done to a job's file as a whole, each on a lane of its own."""

    def __init__(
        self, open_job: OpenJob, tasks: Tasks, opening: Opening, navigation: Navigation
    ) -> None:
        self.open = open_job
        self.tasks = tasks
        self.opening = opening
        self.navigation = navigation

    def _path(self) -> Path | None:
        """The open job's file; told where there is none."""
        if self.open.path is None or not self.open.path.is_file():
            self.open.note(Say.NO_FILE())
            return None
        return self.open.path

    def _failed(self, reason: str, remedies: tuple[Remedy, ...] = ()) -> None:
        self.open.error(Say.FAILED(reason=reason), remedies)

    def _start(
        self,
        title: Message,
        work: Callable[[Report], object],
        done: Callable[..., None],
        failed: Callable[[str], None] | None = None,
    ) -> None:
        self.tasks.start(LANE, str(title()), work, done, failed or self._failed)

    def check(self) -> None:
        """Look through the whole file, every value of it."""
        from lean_trim.job.care import check_file

        path = self._path()
        if path is None:
            return

        def whole(state: FileState) -> None:
            self.open.note(Say.FAILED(reason=state.said))

        def damaged(reason: str) -> None:
            self.opening.damaged = path
            self._failed(reason, (Remedy.REPAIR,))

        self._start(Say.CHECKING, lambda _: check_file(path), whole, damaged)

    def compact(self) -> None:
        """Give back what the file does not use any more; it is closed for that and opened again."""
        if self._path() is not None:
            self.opening.leave(self._compact)

    def _compact(self) -> None:
        from lean_trim.job.care import compact_file

        path = self._path()
        if path is None:
            return
        index = self.open.index
        self.opening.close_job()

        def again(said: Said | None, reason: str = "") -> None:
            def opened() -> None:
                self.navigation.show_round(index)
                if said is not None:
                    self.open.note(said)
                if reason:
                    self._failed(reason)

            self.opening.open_path(path, opened)

        def compacted(sizes: tuple[int, int]) -> None:
            before, after = sizes
            again(Say.COMPACTED(before=before / MEGA, after=after / MEGA))

        self._start(
            Say.COMPACTING,
            lambda _: compact_file(path),
            compacted,
            lambda reason: again(None, reason),
        )

    def export(self, folder: Path) -> None:
        """Write the open job as a folder of open formats.

        Parameters
        ----------
        folder : new, or empty.
        """
        from lean_trim.job.folder import export_job

        path = self._path()
        if path is None:
            return
        self._start(
            Say.EXPORTING,
            lambda _: len(export_job(path, folder).rounds),
            lambda rounds: self.open.note(Say.EXPORTED(folder=folder, rounds=rounds)),
        )

    def bring_in(self, folder: Path, path: Path) -> None:
        """Make a job file of an exported folder, and open it.

        Parameters
        ----------
        folder : as ``export`` wrote it.
        path : of the new file.
        """
        from lean_trim.job.folder import import_job

        def made(_: object) -> None:
            self.opening.open_path(path, lambda: self.open.note(Say.IMPORTED(path=path)))

        self._start(Say.IMPORTING, lambda _: import_job(folder, path), made)

    def repair(self, damaged: Path, path: Path) -> None:
        """Copy what can be read of a damaged job into a new file, and open that.

        Parameters
        ----------
        damaged : left as it is.
        path : of the new file.
        """
        from lean_trim.job.repair import repair_file

        def made(repaired: Repaired) -> None:
            lost = _lost(repaired.lost)
            said = Say.REPAIRED(path=path, damaged=damaged.name, lost=lost)
            self.opening.open_path(path, lambda: self.open.note(said))

        self._start(Say.REPAIRING, lambda _: repair_file(damaged, path), made)


def _lost(lost: tuple[str, ...]) -> str:
    if not lost:
        return str(Say.NOTHING_LOST())
    what = ", ".join(lost[:MOST_NAMED])
    if len(lost) > MOST_NAMED:
        what = str(Say.MORE(what=what, count=len(lost) - MOST_NAMED))
    return str(Say.LOST(what=what))
