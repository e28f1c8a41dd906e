"""The user's bookmarks on the log of a round."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lean_trim.job.records import Mark
from lean_trim.workspace.changes import Part
from lean_trim.workspace.history import History
from lean_trim.workspace.merging import merged
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving

SAME_MARK_S = 0.5
"""Bookmarks closer than this are one."""


@dataclass(frozen=True)
class MarksChange:
    """One change of a round's bookmarks."""

    marks: Marks
    round_id: int
    before: tuple[Mark, ...]
    after: tuple[Mark, ...]

    @property
    def text(self) -> str:
        """For the menu."""
        return "Bookmark" if len(self.after) >= len(self.before) else "Remove bookmark"

    def apply(self) -> None:
        """Save and take the later bookmarks."""
        self.marks.set_marks(self.round_id, self.after)

    def again(self) -> MarksChange | None:
        """The same bookmark, beside those there are now."""
        r = self.marks.open.round_of(self.round_id)
        if r is None:
            return None
        after = merged(self.before, self.after, r.marks)
        return replace(self, before=r.marks, after=tuple(sorted(after, key=lambda m: m.time_s)))

    def revert(self) -> None:
        """Save and take the earlier bookmarks."""
        self.marks.set_marks(self.round_id, self.before)


class Marks:
    """Bookmarks of the round that is looked at."""

    def __init__(self, open_job: OpenJob, saving: Saving, history: History) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history

    def mark(self, time_s: float, text: str = "") -> None:
        """Set a bookmark, change its note, or take one without a note away.

        Parameters
        ----------
        time_s : on the joined log, s.
        text : the note, "" for none.
        """
        current = self.open.round
        if current is None:
            return
        others = tuple(m for m in current.marks if abs(m.time_s - time_s) > SAME_MARK_S)
        after = others
        if len(others) == len(current.marks) or text:
            after = tuple(sorted((*others, Mark(round(time_s, 3), text)), key=lambda m: m.time_s))
        made = MarksChange(self, current.id, current.marks, after)
        self.saving.attempt(lambda: self.history.push(made), made)

    def set_marks(self, round_id: int, marks: tuple[Mark, ...]) -> None:
        """Save bookmarks, then take them into memory; SaveFailedError leaves both as they were.

        Raises SaveFailedError if the file refused them.
        """
        self.open.commit(lambda store: store.save_marks(round_id, marks))
        changed = self.open.round_of(round_id)
        if changed is not None:
            self.open.take_round(replace(changed, marks=marks), Part.MARKS)
