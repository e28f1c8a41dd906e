"""Changes of a round that can be undone: of what is decided, and of stretches left out by hand."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Protocol

from lean_trim.core.decision.confirmation import Warned
from lean_trim.core.decision.decision import Decision
from lean_trim.core.messages import Message
from lean_trim.core.text import clock
from lean_trim.job.database import now
from lean_trim.job.records import Span
from lean_trim.job.trail import Step, Way, step_between, way_of
from lean_trim.workspace.merging import merged
from lean_trim.workspace.open_job import OpenJob


class Say:
    """What was done, for the menu and the history."""

    LEAVE_OUT = Message("deciding.leave_out", "Leave out {start} to {end} min")
    KEEP_AGAIN = Message("deciding.keep_again", "Keep {start} to {end} min again")
    KEEP_SEVERAL = Message("deciding.keep_several", "Keep {count} stretches again")


class Decider(Protocol):
    """What saves and takes what is decided."""

    open: OpenJob

    def set_decision(
        self, round_id: int, decision: Decision, step: Step, amends: bool = False
    ) -> None:
        """Save a decision with the step that led to it, then take it into memory."""

    def set_left_out(self, round_id: int, spans: tuple[Span, ...]) -> None:
        """Save the stretches left out by hand, then take them into memory."""


@dataclass(frozen=True)
class DecisionChange:
    """One change of the values decided for one table of one round.

    ``warned`` is what was confirmed with it; ``amends`` makes it take the place of the step before, whose
    gesture goes on.
    """

    deciding: Decider
    round_id: int
    table_name: str
    text: str
    before: Decision
    after: Decision
    warned: tuple[Warned, ...] = ()
    amends: bool = False

    def apply(self) -> None:
        """Save and take the later decision."""
        current = self.deciding.open.round_of(self.round_id)
        step = self._step(Way.DONE)
        if current is not None and way_of(current.steps, step) is Way.REDONE:
            self.deciding.set_decision(self.round_id, self.after, replace(step, way=Way.REDONE))
            return
        self.deciding.set_decision(self.round_id, self.after, step, amends=self.amends)

    def again(self) -> DecisionChange | None:
        """The same cells of what is decided now."""
        r = self.deciding.open.round_of(self.round_id)
        if r is None or r.decided_for(self.table_name).values.shape != self.after.values.shape:
            return None
        now_decided = r.decided_for(self.table_name)
        after = merged(self.before, self.after, now_decided)
        return replace(self, before=now_decided, after=after, amends=False)

    def revert(self) -> None:
        """Save and take the earlier decision."""
        self.deciding.set_decision(self.round_id, self.before, self._step(Way.UNDONE))

    def _step(self, way: Way) -> Step:
        return step_between(
            self.before,
            self.after,
            made=now(),
            table_name=self.table_name,
            text=self.text,
            way=way,
            # What was confirmed is kept once, with the doing.
            warned=self.warned if way is Way.DONE else (),
        )


@dataclass(frozen=True)
class LeftOutChange:
    """One change of the stretches of one round that were left out by hand."""

    deciding: Decider
    round_id: int
    before: tuple[Span, ...]
    after: tuple[Span, ...]

    @property
    def text(self) -> str:
        """For the menu."""
        more = len(self.after) > len(self.before)
        spans = set(self.after) ^ set(self.before)
        if len(spans) != 1:
            return str(Say.KEEP_SEVERAL(count=len(spans)))
        (span,) = spans
        said = Say.LEAVE_OUT if more else Say.KEEP_AGAIN
        return str(said(start=clock(span.start_s), end=clock(span.end_s)))

    def apply(self) -> None:
        """Save and take the later stretches."""
        self.deciding.set_left_out(self.round_id, self.after)

    def again(self) -> LeftOutChange | None:
        """The same stretch, beside those that are left out now."""
        r = self.deciding.open.round_of(self.round_id)
        if r is None:
            return None
        after = merged(self.before, self.after, r.left_out)
        return replace(self, before=r.left_out, after=in_order(after))

    def revert(self) -> None:
        """Save and take the earlier stretches."""
        self.deciding.set_left_out(self.round_id, self.before)


def in_order(spans: tuple[Span, ...]) -> tuple[Span, ...]:
    """Stretches in the order of time, as the file has them.

    Parameters
    ----------
    spans : in any order.

    Returns
    -------
    Sorted by where they begin.
    """
    return tuple(sorted(spans, key=lambda s: (s.start_s, s.end_s)))


def cells_apart(before: Decision, after: Decision) -> int:
    """Number of cells two decisions differ in.

    Returns by value, origin or pin.
    """
    differs = (
        (before.values != after.values)
        | (before.origin != after.origin)
        | (before.pinned != after.pinned)
    )
    return int(differs.sum())
