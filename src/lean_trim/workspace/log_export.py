"""Logs of the open job written as files others read."""

from __future__ import annotations

from pathlib import Path

from lean_trim.core.data.log import Log
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message
from lean_trim.formats.recording.export import check_ending, write_recording
from lean_trim.formats.recording.from_log import recorded_of
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.tasks import Lane, Report, Tasks


class Say:
    """What writing a log says."""

    WRITING = Message("log_export.writing", "Writing {name}")
    WRITTEN = Message(
        "log_export.written", "{name} is in {path}: {channels} channels, {minutes:.1f} min."
    )
    NOT_WRITTEN = Message("log_export.not_written", "{path} cannot be written ({why}).")
    REFUSED = Message("log_export.refused", "{why}")


LANE = Lane("writing a log")


class LogExport:
    """Writes a log of the job, as the job keeps it, in another thread."""

    def __init__(self, open_job: OpenJob, tasks: Tasks) -> None:
        self.open = open_job
        self.tasks = tasks

    def write(self, log: Log, path: Path) -> None:
        """Write a log, or tell why that is not possible.

        Parameters
        ----------
        log : of the job.
        path : its ending says how: .mf4 or .csv; replaced when all of it is written.
        """
        try:
            check_ending(path)
        except BadInputError as error:
            self.open.error(Say.REFUSED(why=error))
            return

        def work(_: Report) -> str:
            try:
                write_recording(recorded_of(log), path)
            except OSError as error:
                return error.strerror or str(error)
            return ""

        def done(why: str) -> None:
            if why:
                self.open.error(Say.NOT_WRITTEN(path=path, why=why))
                return
            minutes = log.duration_s / 60.0
            count = len(log.channels)
            self.open.note(Say.WRITTEN(name=log.name, path=path, channels=count, minutes=minutes))

        self.tasks.start(LANE, str(Say.WRITING(name=log.name)), work, done)
