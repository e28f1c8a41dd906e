"""Which set of lanes the tape shows, and how the user changed the sets of this job."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lean_trim.ui.session import Session
from lean_trim.ui.tape.lanes import SETS, LaneSpec, lanes_from_text, lanes_to_text, toggled


class LaneSets(QObject):
    """``lanes_changed`` tells that other lanes are to be shown."""

    lanes_changed = Signal()

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self.name = next(iter(SETS))
        self._job_number = 0
        self._lanes = dict(SETS)
        session.job_changed.connect(self._job_changed)

    @property
    def lanes(self) -> tuple[LaneSpec, ...]:
        """The lanes of the set that is shown."""
        return self._lanes[self.name]

    def _job_changed(self) -> None:
        job = self.session.open
        if job.job is not None and job.number != self._job_number:
            self._job_number = job.number
            self._lanes = {
                name: lanes_from_text(job.setting(f"lanes {name}"), name) for name in SETS
            }

    def use(self, name: str) -> None:
        """Show another set of lanes."""
        self.name = name
        self.lanes_changed.emit()

    def toggle(self, key: str) -> None:
        """Show or hide a series in the present set."""
        self._set(toggled(self.lanes, key))

    def as_they_come(self) -> None:
        """Undo every change to the present set."""
        self._set(SETS[self.name])

    def _set(self, lanes: tuple[LaneSpec, ...]) -> None:
        job = self.session.open
        wanted = lanes or SETS[self.name]
        # Looking at a job that cannot be saved must not end in an error for a ticked lane.
        if job.job is not None and self.session.can_save:
            text = lanes_to_text(wanted)
            self.session.saving.attempt(lambda: job.save_setting(f"lanes {self.name}", text))
        self._lanes[self.name] = wanted
        self.lanes_changed.emit()
