"""Undo and redo. A change saves first.

Only what the file took is done, and only what is done can be undone.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from lean_trim.workspace.changes import HistoryChanged, Hub, JobClosed, RoundShown


class Change(Protocol):
    """Something that can be done to the open job, and undone."""

    @property
    def text(self) -> str:
        """What it does, for the menu."""

    def apply(self) -> None:
        """Save it, then take it into memory; SaveFailedError leaves both as they were."""

    def revert(self) -> None:
        """The opposite, with the same promise."""


class History:
    """Changes in the order they were made."""

    def __init__(self, hub: Hub) -> None:
        self.hub = hub
        self._done: list[Change] = []
        self._undone: list[Change] = []
        # What was taken over from before; None once it is too late for that.
        self._seeded: list[tuple[str, Change]] | None = None
        hub.subscribe(JobClosed, lambda _: self.clear())
        hub.subscribe(RoundShown, lambda _: self._begin_seeding())

    def _begin_seeding(self) -> None:
        self._seeded = [] if self.is_empty else None

    def push(self, change: Change) -> None:
        """Do a change; what was undone before can no longer be redone.

        SaveFailedError if it could not be saved.

        Raises SaveFailedError if the file refused it; it is then not in the history.
        """
        change.apply()
        self._done.append(change)
        self._seeded = None
        self._undone.clear()
        self.hub.publish(HistoryChanged())

    def amend(self, change: Change) -> None:
        """Do a change in the place of the last one, whose gesture goes on: one gesture is one undo.

        Raises SaveFailedError if the file refused it; the last one then stands as it was.
        """
        change.apply()
        self._done[-1] = change
        self._seeded = None
        self._undone.clear()
        self.hub.publish(HistoryChanged())

    def seed(self, changes: Sequence[tuple[str, Change]]) -> None:
        """Take changes that were made before the job was opened as those that can be undone.

        Every part may add its own while a round is shown before which nothing was done.

        Parameters
        ----------
        changes : when each was made, ISO 8601, and the change.
        """
        if self._seeded is None:
            return
        # In order of time, whoever keeps them; of one time in the order they are handed over.
        self._seeded = sorted([*self._seeded, *changes], key=lambda made: made[0])
        self._done = [change for _, change in self._seeded]
        self.hub.publish(HistoryChanged())

    @property
    def last(self) -> Change | None:
        """What ``undo`` would take back."""
        return self._done[-1] if self._done else None

    def undo(self) -> Change | None:
        """Take the last change back; None if there is none. SaveFailedError if it could not be saved."""
        if not self._done:
            return None
        change = self._done[-1]
        change.revert()
        self._seeded = None
        self._undone.append(self._done.pop())
        self.hub.publish(HistoryChanged())
        return change

    def redo(self) -> Change | None:
        """Do the last undone change again; None if there is none.

        SaveFailedError if it could not be saved.
        """
        if not self._undone:
            return None
        change = self._undone[-1]
        change.apply()
        self._done.append(self._undone.pop())
        self.hub.publish(HistoryChanged())
        return change

    @property
    def undo_text(self) -> str:
        """What ``undo`` would take back, "" if nothing."""
        return self._done[-1].text if self._done else ""

    @property
    def redo_text(self) -> str:
        """What ``redo`` would do again, "" if nothing."""
        return self._undone[-1].text if self._undone else ""

    @property
    def is_empty(self) -> bool:
        """True if nothing can be undone or redone."""
        return not self._done and not self._undone

    def count(self) -> int:
        """Number of changes that can be undone."""
        return len(self._done)

    def clear(self) -> None:
        """Forget everything."""
        self._done.clear()
        self._seeded = None
        self._undone.clear()
        self.hub.publish(HistoryChanged())
