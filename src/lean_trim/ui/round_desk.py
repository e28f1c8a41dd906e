"""From one round to the next: driving the simulated car, beginning a round, handing the table over."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from lean_trim.core.data.tables import Table
from lean_trim.job.blobs import store_log
from lean_trim.job.records import StoredLog
from lean_trim.ui.drive_process import drive_apart
from lean_trim.ui.task import Report

if TYPE_CHECKING:
    from lean_trim.ui.session import Session


class RoundDesk(QObject):
    """Begins and ends rounds of the open job."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session

    def drive(self) -> None:
        """Drive the simulated car: on this round's table if it has no log yet, else on the decided one in a new round."""
        current, vehicle = self.session.round, self.session.vehicle
        if self.session.job is None or current is None or vehicle is None or not self.session.job.car:
            self.session.message.emit(
                "note", "Only a demo job has a simulated car. Log a real drive and add the log to this round."
            )
            return
        if not self.session.is_last:
            self.session.show_round(len(self.session.job.rounds) - 1)
            current, vehicle = self.session.round, self.session.vehicle
            assert current is not None and vehicle is not None
        fresh = not current.logs
        table = current.table if fresh else current.result
        driven, seed, minutes = (
            vehicle.with_table(table),
            current.number + (0 if fresh else 1),
            self.session.drive_minutes,
        )

        def work(report: Report) -> StoredLog:
            return store_log(drive_apart(driven, seed, minutes, report))

        self.session.work.start("Driving the simulated car", work, lambda stored: self._drove(fresh, table, stored))

    def _drove(self, fresh: bool, table: Table, stored: StoredLog) -> None:
        assert self.session.store is not None
        if fresh:
            self.session.extend_round([stored])
        else:
            self.session.append_round(self.session.store.begin_round(table, [stored]))

    def begin_round(self) -> None:
        """Start the next round on the decided table, to be filled with a log."""
        if self.session.store is None or self.session.round is None or not self.session.is_last:
            return
        if not self.session.round.logs:
            self.session.message.emit("note", "This round has no log yet; add one before starting the next round.")
            return
        self.session.append_round(self.session.store.begin_round(self.session.round.result))

    def hand_over(self, path: Path) -> bool:
        """Write the decided table as CSV."""
        from lean_trim.formats.tables import write_table

        if self.session.round is None or self.session.store is None:
            return False
        try:
            write_table(self.session.round.result, path)
        except OSError as error:
            self.session.message.emit("error", f"{path}: cannot be written ({error.strerror}); choose another place.")
            return False
        self.mark_handed_over(f"CSV {path.name}")
        self.session.message.emit(
            "note", f"Table written to {path}. Keep a copy of what is in the ECU before you write this to it."
        )
        return True

    def mark_handed_over(self, how: str) -> None:
        """Note in the job how the table left it."""
        assert self.session.round is not None and self.session.store is not None
        self.session.store.mark_handed_over(self.session.round.id, how)
        self.session.replace_round(replace(self.session.round, handed_over=how))
        self.session.job_changed.emit()
