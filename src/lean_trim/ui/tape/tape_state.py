"""What the tape shows besides the log: the set of lanes and the user's bookmarks."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from lean_trim.job.records import Mark
from lean_trim.ui.commands import MarksCommand
from lean_trim.ui.tape.lanes import SETS, LaneSpec, lanes_from_text, lanes_to_text, toggled

if TYPE_CHECKING:
    from lean_trim.ui.session import Session

SAME_MARK_S = 0.5


class TapeState(QObject):
    """Lanes are kept in the job per set; bookmarks per round, with undo."""

    lanes_changed = Signal()
    marks_changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.name = next(iter(SETS))
        session.job_changed.connect(self._job_changed)
        self._path: object = None
        self._lanes = dict(SETS)

    @property
    def lanes(self) -> tuple[LaneSpec, ...]:
        return self._lanes[self.name]

    def _job_changed(self) -> None:
        store = self.session.store
        path = store.path if store else None
        if path != self._path:
            self._path = path
            self._lanes = {n: lanes_from_text(store.setting(f"lanes {n}"), n) if store else s for n, s in SETS.items()}

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
        self._lanes[self.name] = lanes or SETS[self.name]
        if self.session.store:
            self.session.store.save_setting(f"lanes {self.name}", lanes_to_text(self.lanes))
        self.lanes_changed.emit()

    def mark(self, time_s: float, text: str = "") -> None:
        """Set a bookmark, change its note, or take one without a note away."""
        current = self.session.round
        if current is None:
            return
        others = tuple(m for m in current.marks if abs(m.time_s - time_s) > SAME_MARK_S)
        if len(others) < len(current.marks) and not text:
            after = others
        else:
            after = tuple(sorted((*others, Mark(round(time_s, 3), text)), key=lambda m: m.time_s))
        self.session.undo.push(MarksCommand(self, current.marks, after))

    def set_marks(self, marks: tuple[Mark, ...]) -> None:
        """Keep bookmarks, in memory and in the file."""
        session = self.session
        if session.round is None or session.store is None or session.job is None:
            return
        session.job = session.job.with_round(session.index, replace(session.round, marks=marks))
        session.store.save_marks(session.round.id, marks)
        self.marks_changed.emit()
