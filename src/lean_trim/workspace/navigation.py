"""Which round is looked at, and what was done to it: turning to a round, undo, redo."""

from __future__ import annotations

from lean_trim.core.messages import Message
from lean_trim.workspace.changes import Notice, RoundShown
from lean_trim.workspace.history import Change, History
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.tuning import TuningControl


class Say:
    """What moving about says."""

    UNDONE = Message("navigation.undone", "Undone: {what}")
    REDONE = Message("navigation.redone", "Done again: {what}")


class Navigation:
    """Turns the open job to a round, and back in time."""

    def __init__(
        self,
        open_job: OpenJob,
        history: History,
        saving: Saving,
        tuning: TuningControl,
        solver: Solver,
    ) -> None:
        self.open = open_job
        self.history = history
        self.saving = saving
        self.tuning = tuning
        self.solver = solver

    def show_round(self, index: int) -> None:
        """Look at a round, with its own settings, and solve it if it has logs.

        Answers for another round are dropped.

        Parameters
        ----------
        index : place of the round, from 0.
        """
        if self.open.job is None:
            return
        self.tuning.rest()
        self.solver.forget()
        # Undo addresses what is seen; undoing something of another round would not be.
        self.history.clear()
        shown = self.open.look_at(index)
        assert shown is not None
        self.tuning.show(shown.tuning)
        # At work while the views turn to the round.
        self.solver.solve(use_kept=True)
        self.open.hub.publish(RoundShown(shown.id))

    def show_newest(self) -> None:
        """Look at the newest round, unless it is the one that is looked at."""
        if self.open.job is not None and not self.open.is_last:
            self.show_round(len(self.open.job.rounds) - 1)

    def show_other_logs(self) -> None:
        """Solve the round that is looked at anew: other logs belong to it. Undo reaches back over that."""
        current = self.open.round
        if current is None:
            return
        self.solver.forget()
        self.open.hub.publish(RoundShown(current.id))
        self.solver.solve(use_kept=True)

    def undo(self) -> None:
        """Take the last change back and say which; told if the file refuses."""
        # A knob that is not at rest yet is the last change.
        self.tuning.rest()
        self.saving.attempt(lambda: self._tell_done(Say.UNDONE, self.history.undo()))

    def redo(self) -> None:
        """Do the last undone change again and say which; told if the file refuses."""
        self.tuning.rest()
        self.saving.attempt(lambda: self._tell_done(Say.REDONE, self.history.redo()))

    def _tell_done(self, how: Message, change: Change | None) -> None:
        if change is not None:
            self.open.hub.publish(Notice("done", how(what=change.text)))
