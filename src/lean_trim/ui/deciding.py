"""What the user decides, cell by cell and stretch by stretch; every change can be undone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.decision import Decision
from lean_trim.core.errors import LeanTrimError
from lean_trim.job.records import Span
from lean_trim.ui.commands import DecisionCommand, LeftOutCommand

if TYPE_CHECKING:
    from lean_trim.ui.session import Session


class Deciding(QObject):
    """Decisions on the newest round."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session

    def set_decision(self, decision: Decision) -> None:
        """Keep a decision, in memory and in the file."""
        assert self.session.round is not None and self.session.store is not None
        self.session.replace_round(replace(self.session.round, decision=decision))
        self.session.store.save_decision(self.session.round.id, self.session.round.table, decision)
        if self.session.solution is not None:
            self.session.propose_again()
        else:
            self.session.decided.emit()

    def set_left_out(self, spans: tuple[Span, ...]) -> None:
        """Keep the stretches left out by hand and solve again."""
        assert self.session.round is not None and self.session.store is not None
        self.session.replace_round(replace(self.session.round, left_out=spans))
        self.session.store.save_left_out(self.session.round.id, spans)
        self.session.solve()

    def change(self, text: str, change: Callable[[Decision], Decision]) -> bool:
        """Apply a change with undo; False (and a message) if it cannot be done."""
        if self.session.decision is None or not self.session.is_last:
            self.session.message.emit(
                "note", "Only the newest round can be decided; earlier ones are kept as they were."
            )
            return False
        before = self.session.decision
        try:
            after = change(before)
        except LeanTrimError as error:
            self.session.message.emit("error", str(error))
            return False
        self.session.undo.push(DecisionCommand(self, text, before, after))
        return True

    def accept(self, cells: frozenset[int] | None = None) -> None:
        """Accept the proposal for all cells or for some."""
        if self.session.proposal is None:
            self.session.message.emit("note", "There is no proposal yet; this round needs a log.")
            return
        proposal = self.session.proposal
        self.change("Accept", lambda d: decide.accept(d, proposal, cells))

    def put_back(self, cells: frozenset[int] | None = None) -> None:
        """Return cells to the value they were driven on."""
        if self.session.round:
            table = self.session.round.table
            self.change("Put back", lambda d: decide.put_back(d, table, cells))

    def pin(self, cells: frozenset[int]) -> None:
        """Pin cells, or release them if all are pinned."""
        if self.session.round and self.session.decision is not None and cells:
            table, on = self.session.round.table, not self.session.decision.pinned.ravel()[list(cells)].all()
            self.change("Pin" if on else "Release", lambda d: decide.pin(d, table, cells, on))

    def type_in(self, text: str, cells: frozenset[int]) -> bool:
        """Apply typed input to cells."""
        if not cells:
            self.session.message.emit("note", "Select the cells first, then type, for example +3% or =82.")
            return False
        if self.session.vehicle is None:
            return False
        limits = self.session.vehicle.limits
        return self.change(f"Set {text}", lambda d: decide.type_in(d, text, cells, limits))

    def leave_out(self, start_s: float, end_s: float) -> None:
        """Leave a stretch of the log out by hand, with undo; a stretch left out already is kept again."""
        if self.session.round is None or not self.session.round.logs:
            return
        before = self.session.round.left_out
        inside = tuple(s for s in before if not (s.start_s >= start_s - 1e-6 and s.end_s <= end_s + 1e-6))
        after = inside if len(inside) < len(before) else (*before, Span(start_s, end_s))
        self.session.undo.push(LeftOutCommand(self, before, after))
