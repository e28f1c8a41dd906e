"""What is looked for when a desk asks, on a lane of its own: found, failed and why, or still looked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lean_trim.workspace.tasks import Lane, Report, Tasks


class Lookup:
    """One thing that is looked for, for whoever wants it.

    Parameters
    ----------
    tasks : run it.
    lane : its own.
    tell : called when something was found, or could not be.

    Attributes
    ----------
    failure : why the last look failed, "" if it did not; what is asked for the same again is not
        looked for again.
    """

    def __init__(self, tasks: Tasks, lane: Lane, tell: Callable[[], None]) -> None:
        self.tasks = tasks
        self.lane = lane
        self.tell = tell
        self.failure = ""
        self.is_wanted = False
        self._key: object = None

    @property
    def is_looking(self) -> bool:
        """True while it runs."""
        return self.lane in self.tasks.running

    def look(
        self,
        key: object,
        title: str,
        work: Callable[[Report], Any],
        take: Callable[[Any], None],
        again: bool = False,
    ) -> None:
        """Look for something, unless just that is being looked for or could not be found.

        An answer for another key than the last one that was asked for is dropped.

        Parameters
        ----------
        key : what the answer depends on.
        title : of the task.
        work : called in a thread.
        take : called in the model's thread with what it returned; ``tell`` is called then.
        again : look also where it failed before: the user asks.
        """
        if key == self._key and (self.is_looking or (self.failure and not again)):
            return
        self._key = key
        self.failure = ""
        self.tasks.start(
            self.lane,
            title,
            work,
            done=lambda answer: self._take(key, take, answer),
            failed=lambda reason: self._failed(key, reason),
            replace=True,
        )

    def _take(self, key: object, take: Callable[[Any], None], answer: Any) -> None:
        if key == self._key:
            take(answer)
            self.tell()

    def _failed(self, key: object, reason: str) -> None:
        if key == self._key:
            self.failure = reason
            self.tell()

    def refuse(self, key: object, reason: str) -> None:
        """Say that something cannot be looked for."""
        self._key = key
        self.failure = reason
        self.tell()

    def forget(self) -> None:
        """Another job, or none."""
        self.tasks.drop(self.lane)
        self._key = None
        self.failure = ""
