"""Undoable changes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtGui import QUndoCommand

from lean_trim.core.decision.decision import Decision
from lean_trim.job.records import Mark, Span
from lean_trim.job.tuning import Tuning

if TYPE_CHECKING:
    from lean_trim.ui.deciding import Deciding
    from lean_trim.ui.tape.tape_state import TapeState
    from lean_trim.ui.tuning_desk import TuningDesk


class DecisionCommand(QUndoCommand):
    """One change of the decided values."""

    def __init__(self, deciding: Deciding, text: str, before: Decision, after: Decision) -> None:
        super().__init__(text)
        self.deciding, self.before, self.after = deciding, before, after

    def redo(self) -> None:
        self.deciding.set_decision(self.after)

    def undo(self) -> None:
        self.deciding.set_decision(self.before)


class LeftOutCommand(QUndoCommand):
    """One change of the stretches left out by hand."""

    def __init__(self, deciding: Deciding, before: tuple[Span, ...], after: tuple[Span, ...]) -> None:
        super().__init__("Leave out" if len(after) > len(before) else "Keep again")
        self.deciding, self.before, self.after = deciding, before, after

    def redo(self) -> None:
        self.deciding.set_left_out(self.after)

    def undo(self) -> None:
        self.deciding.set_left_out(self.before)


class MarksCommand(QUndoCommand):
    """One change of the bookmarks."""

    def __init__(self, state: TapeState, before: tuple[Mark, ...], after: tuple[Mark, ...]) -> None:
        super().__init__("Bookmark" if len(after) >= len(before) else "Remove bookmark")
        self.state, self.before, self.after = state, before, after

    def redo(self) -> None:
        self.state.set_marks(self.after)

    def undo(self) -> None:
        self.state.set_marks(self.before)


class TuningCommand(QUndoCommand):
    """One change of the settings."""

    def __init__(self, desk: TuningDesk, before: Tuning, after: Tuning) -> None:
        super().__init__("Turn a setting")
        self.desk, self.before, self.after = desk, before, after

    def redo(self) -> None:
        self.desk.settle(self.after)

    def undo(self) -> None:
        self.desk.settle(self.before)
