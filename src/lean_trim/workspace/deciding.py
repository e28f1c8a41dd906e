"""What the user decides, cell by cell and stretch by stretch.

Every change is saved first and can be undone.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from lean_trim.core.data.tables import Table
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.confirmation import Warned
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.proposal import Proposal
from lean_trim.core.decision.typed import share_in, type_in
from lean_trim.core.diagnosis.causes import certain_swap
from lean_trim.core.diagnosis.of_fit import gauge_in_question
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message, Said
from lean_trim.core.text import cells_in_words
from lean_trim.core.types import Floats
from lean_trim.job.errors import SaveFailedError
from lean_trim.job.records import Span
from lean_trim.job.trail import Step, Stood, Way, state_after, way_here
from lean_trim.workspace.changes import Part, RoundShown
from lean_trim.workspace.confirming import Confirming, Waiting, without_warned
from lean_trim.workspace.decision_change import DecisionChange, LeftOutChange, cells_apart, in_order
from lean_trim.workspace.history import History
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver
from lean_trim.workspace.work_state import Work

SAME_EDGE_S = 1e-6
"""Edges of stretches that differ by less are the same."""


class Say:
    """What deciding says."""

    NO_PROPOSAL = Message(
        "deciding.no_proposal", "There is no proposal yet; this round needs a log."
    )
    CHOOSE_FIRST = Message(
        "deciding.choose_first", "Select the cells first, then type, for example +3% or =82."
    )
    REFUSED = Message("deciding.refused", "{reason}")
    ACCEPT = Message("deciding.accept", "Accept {cells}")
    ACCEPT_SHARE = Message("deciding.accept_share", "Accept {share:g} % of the proposal on {cells}")
    PUT_BACK = Message("deciding.put_back", "Put {cells} back")
    PIN = Message("deciding.pin", "Pin {cells}")
    RELEASE = Message("deciding.release", "Release {cells}")
    SET = Message("deciding.set", "Set {text} on {cells}")
    BACK_TO = Message("deciding.back_to", "Go back to “{text}”")
    BACK_TO_START = Message("deciding.back_to_start", "Go back to the start")
    PASTE = Message("deciding.paste", "Paste {cells}")
    SWAPPED = Message(
        "deciding.swapped",
        "{said} The table is not corrected for it: put the injector data right on the Injectors "
        "desk "
        "first.",
    )
    GAUGE_FIRST = Message(
        "deciding.gauge_first",
        "{said} Say on the Fit page whether the gauge or the loop is off; the table follows from "
        "it.",
    )
    INJECTORS_FIRST = Message(
        "deciding.injectors_first",
        "Injector data are decided in this round, and what this drive asks of the table was "
        "worked out with the old ones. Both together would correct one error twice: drive on the "
        "new data first.",
    )
    SCALE_FIRST = Message(
        "deciding.scale_first",
        "The scale of this table was moved; its cells wait for a drive. To go on with cells put "
        "the scale back (Write page), or undo it.",
    )
    NOTHING_THERE = Message(
        "deciding.nothing_there",
        "None of these cells has a change to accept; see Evidence for the reason.",
    )


class Deciding:
    """Decisions on the newest round."""

    def __init__(
        self, open_job: OpenJob, saving: Saving, history: History, solver: Solver, work: Work
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history
        self.solver = solver
        self.work = work
        self.confirming = Confirming(open_job, solver)
        open_job.hub.subscribe(RoundShown, lambda _: self._take_history())

    def _take_history(self) -> None:
        """What was decided before the job was opened, or another round was looked at, can be undone."""
        current = self.open.round
        if current is None or not self.open.is_last:
            return
        self.history.seed(self.changes_on(current.subject, current.decided))

    def changes_on(self, table_name: str, decided: Decision) -> list[tuple[str, DecisionChange]]:
        """What was decided on a table of the shown round, as changes that can be undone.

        Parameters
        ----------
        table_name : of its calibration.
        decided : on it.

        Returns
        -------
        When each was made, and the change; oldest first.
        """
        current = self.open.round
        if current is None:
            return []
        return [
            (
                stood.step.made,
                DecisionChange(
                    deciding=self,
                    round_id=current.id,
                    table_name=table_name,
                    text=stood.step.text,
                    before=stood.before,
                    after=stood.after,
                ),
            )
            for stood in way_here(current.steps, table_name, decided)
        ]

    @property
    def trail(self) -> list[Stood]:
        """How the decision of the shown round came about, oldest step first."""
        current = self.open.round
        if current is None:
            return []
        return way_here(current.steps, current.subject, current.decided)

    def set_decision(
        self, round_id: int, decision: Decision, step: Step, amends: bool = False
    ) -> None:
        """Save a decision on one table, then take it into memory.

        SaveFailedError leaves both as they were.

        Parameters
        ----------
        round_id : a round of the open job.
        decision : replaces an earlier one.
        step : that led to it, on the table it names.
        amends : the step takes the place of the one before.

        Raises
        ------
        SaveFailedError
            If the file refused it.
        """
        table_name = step.table_name
        self.open.commit(
            lambda store: store.save_decision(round_id, table_name, decision, step, amends)
        )
        # Undo may reach a round after its job was closed; it is saved, but there is nothing to
        # show.
        changed = self.open.round_of(round_id)
        if changed is None:
            return
        changed = changed.with_decision(table_name, decision).with_step(step, amends)
        self.open.take_round(changed, Part.DECISION)
        # A pin changes what is proposed for the cells around it, without a new solve.
        if self.open.shows(round_id):
            self.solver.propose_again()

    def set_left_out(self, round_id: int, spans: tuple[Span, ...]) -> None:
        """Save the stretches left out by hand, take them into memory, and solve again.

        SaveFailedError as above.

        Raises SaveFailedError if the file refused them.
        """
        changed = self.open.round_of(round_id)
        # The verdict of a round that has ended is fixed, unless the user judges it anew.
        again = changed is not None and self.open.goes_on(changed)
        self.open.commit(lambda store: store.save_left_out(round_id, spans, again))
        if changed is None:
            return
        changed = changed.without_outcome() if again else changed
        self.open.take_round(replace(changed, left_out=spans), Part.LEFT_OUT)
        if self.open.shows(round_id):
            self.solver.solve()

    def change(
        self,
        text: Callable[[str], Said],
        change: Callable[[Decision], Decision],
        goes_on: bool = False,
        nothing: Said | None = None,
        then: Callable[[], object] | None = None,
    ) -> bool:
        """Change the decision on the table under correction, with undo.

        False (and a notice) if it cannot be done; False as well where it waits for a deliberate word
        (``confirming``).

        Parameters
        ----------
        text : for the menu, from the number of cells in words.
        change : makes the later decision from the present one; a LeanTrimError is told.
        goes_on : the gesture of the last change goes on; both are one undo.
        nothing : told in place of a step that changes nothing; None makes the step.
        then : what goes on once it is made, also where it waits for a word first.

        Returns
        -------
        Whether it was done.
        """
        current = self.open.round
        if current is None or self.open.refuses_old_round():
            return False
        if current.scale_moved != 1.0:
            self.open.error(Say.SCALE_FIRST())
            return False
        before = current.decided
        try:
            after = change(before)
        # Not the user's slip: it goes on to whoever keeps the change for "save elsewhere".
        except SaveFailedError:
            raise
        except LeanTrimError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return False
        apart = cells_apart(before, after)
        if nothing is not None and not apart:
            self.open.note(nothing)
            return False
        words = str(text(cells_in_words(apart)))
        made = DecisionChange(self, current.id, current.subject, words, before, after)
        warned = self.confirming.needs(current, before, after)
        if warned:
            self._hold(made, warned, then)
            return False
        return self._make(made, goes_on, then)

    def _hold(
        self, made: DecisionChange, warned: tuple[Warned, ...], then: Callable[[], object] | None
    ) -> None:
        rest = without_warned(made, warned)
        self.confirming.hold(
            Waiting(
                text=made.text,
                warned=warned,
                go_on=lambda: self._make(replace(made, warned=warned), then=then),
                others=None if rest is None else lambda: self._make(rest, then=then),
            )
        )

    def _make(
        self, made: DecisionChange, goes_on: bool = False, then: Callable[[], object] | None = None
    ) -> bool:
        """Do a change for good, in the place of the last one where its gesture goes on."""
        done = self.push(made, goes_on)
        if done and then is not None:
            then()
        return done

    def push(self, made: DecisionChange, goes_on: bool = False) -> bool:
        """Save a change, in the place of the last one where its gesture goes on.

        Parameters
        ----------
        made : on any table of the newest round.
        goes_on : the gesture of the last change goes on; both are one undo.

        Returns
        -------
        Whether it was saved.
        """
        last = self.history.last
        if goes_on and isinstance(last, DecisionChange) and self._leads_on(last, made):
            # What was confirmed with its beginning is kept with the whole.
            amended = replace(made, before=last.before, warned=last.warned, amends=True)
            return self.saving.attempt(lambda: self.history.amend(amended), made)
        return self.saving.attempt(lambda: self.history.push(made), made)

    def _leads_on(self, last: DecisionChange, made: DecisionChange) -> bool:
        """Whether a change goes on from the last one, which is also the newest step that is kept."""
        r = self.open.round_of(made.round_id)
        newest = r.steps[-1] if r is not None and r.steps else None
        return (
            newest is not None
            and newest.way is not Way.UNDONE
            and newest.text == last.text == made.text
            and (newest.table_name, last.round_id) == (made.table_name, made.round_id)
            and not cells_apart(last.after, made.before)
        )

    def confirm(self, others_only: bool = False) -> bool:
        """Make the change that waits for a word.

        Parameters
        ----------
        others_only : leave the cells it was asked about as they are.

        Returns
        -------
        Whether it was done.
        """
        waiting = self.confirming.take()
        if waiting is None:
            return False
        if not others_only:
            return waiting.go_on()
        return waiting.others is not None and waiting.others()

    def go_back_to(self, place: int) -> bool:
        """Decide again what was decided after a step of the trail; that can be undone as well.

        Parameters
        ----------
        place : in ``trail``; -1 for before its first step.

        Returns
        -------
        Whether it was done.
        """
        trail = self.trail
        state = state_after(trail, place)
        if state is None:
            return False
        text = trail[place].step.text if place >= 0 else ""
        said = Say.BACK_TO(text=text) if text else Say.BACK_TO_START()
        return self.change(lambda _: said, lambda _: state)

    @property
    def holds_accepting(self) -> Said | None:
        """Why the proposal may not be accepted now; None if it may.

        The work is not done, or the injectors are certainly not the sheet's: a table that makes up
        for them is right for neither. Or the lambda gauge is so far from the loop beside it that
        somebody has to say which of them is off.
        """
        held = self.work.state.holds_writing
        solution = self.solver.solution
        if held is not None or solution is None:
            return held
        swap = certain_swap(solution.findings)
        if swap is not None:
            return Say.SWAPPED(said=swap.said)
        gauge = gauge_in_question(solution.findings)
        return None if gauge is None else Say.GAUGE_FIRST(said=gauge.said)

    def accept(
        self,
        cells: frozenset[int] | None = None,
        share: float = 1.0,
        then: Callable[[], object] | None = None,
    ) -> bool:
        """Accept the proposal for all cells or for some.

        Parameters
        ----------
        cells : flat indices; all if None.
        share : of the proposed change, 0 to 1.
        then : what goes on once it is done, also where it waits for a word first.

        Returns
        -------
        Whether it was done.
        """
        proposal = self.solver.proposal
        held = self.holds_accepting
        if proposal is None or held is not None:
            self.open.note(held or Say.NO_PROPOSAL())
            return False
        current = self.open.round
        if current is not None and current.injectors_decided:
            self.open.error(Say.INJECTORS_FIRST())
            return False
        # A share of what was accepted whole is a change as well.
        if current is not None and self.open.is_last and share == 1.0:
            after = decide.accept(current.decided, proposal, cells)
            if current.scale_moved == 1.0 and not cells_apart(current.decided, after):
                self.open.note(Say.NOTHING_THERE())
                return False
        if share < 1.0 and current is not None:
            return self._accept_share(proposal, current.table, cells, share)
        return self.change(
            lambda n: Say.ACCEPT(cells=n), lambda d: decide.accept(d, proposal, cells), then=then
        )

    def _accept_share(
        self, proposal: Proposal, driven: Table, cells: frozenset[int] | None, share: float
    ) -> bool:
        vehicle = self.open.vehicle
        if vehicle is None:
            return False
        limits = vehicle.limits
        return self.change(
            lambda n: Say.ACCEPT_SHARE(share=100.0 * share, cells=n),
            lambda d: decide.accept_share(d, proposal, driven, cells, share, limits),
        )

    def waiting_in(self, cells: frozenset[int] | None = None) -> int:
        """Number of cells with a proposed change that is not decided.

        Parameters
        ----------
        cells : flat indices; all if None.

        Returns
        -------
        0 without a proposal.
        """
        proposal = self.solver.proposal
        current = self.open.round
        if proposal is None or current is None:
            return 0
        # What was asked of the table speaks of the old injector data: it waits for the next drive.
        if current.injectors_decided or current.scale_moved != 1.0:
            return 0
        decision = current.decided
        waits = (
            (proposal.step_pct != 0.0)
            & (decision.origin == decide.Origin.UNTOUCHED)
            & ~decision.pinned
        )
        return int(waits.sum() if cells is None else waits.ravel()[list(cells)].sum())

    def put_back(self, cells: frozenset[int] | None = None) -> None:
        """Return cells to the value they were driven on.

        Parameters
        ----------
        cells : flat indices; all if None.
        """
        current = self.open.round
        if current is not None:
            self.change(
                lambda n: Say.PUT_BACK(cells=n), lambda d: decide.put_back(d, current.table, cells)
            )

    def pin(self, cells: frozenset[int]) -> None:
        """Pin cells, or release them if all are pinned.

        Parameters
        ----------
        cells : flat indices.
        """
        current = self.open.round
        if current is not None and cells:
            # Mixed cells are all pinned first: the safe way of the two.
            on = not current.decided.pinned.ravel()[list(cells)].all()
            said = Say.PIN if on else Say.RELEASE
            self.change(lambda n: said(cells=n), lambda d: decide.pin(d, current.table, cells, on))

    def type_in(self, text: str, cells: frozenset[int]) -> bool:
        """Apply typed input to cells; False (and a notice) if it cannot be done.

        Parameters
        ----------
        text : what the user typed, as ``+3%``.
        cells : flat indices.

        Returns
        -------
        Whether it was done.
        """
        vehicle = self.open.vehicle
        if not cells:
            self.open.note(Say.CHOOSE_FIRST())
            return False
        if vehicle is None:
            return False
        try:
            share = share_in(text)
        except LeanTrimError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return False
        if share is not None:
            return self.accept(cells, share)
        return self.change(
            lambda n: Say.SET(text=text.strip(), cells=n),
            lambda d: type_in(d, text, cells, vehicle.limits, vehicle.table.own),
        )

    def take_values(self, wanted: Floats) -> bool:
        """Put cells from elsewhere over the table; False (and a notice) if it cannot be done.

        Parameters
        ----------
        wanted : in our unit, in the table's shape.

        Returns
        -------
        Whether it was done.
        """
        vehicle = self.open.vehicle
        if vehicle is None:
            return False
        table = vehicle.table
        return self.change(
            lambda n: Say.PASTE(cells=n),
            lambda d: decide.moved_by_hand(d, wanted, vehicle.limits, table.own),
        )

    def leave_out(self, start_s: float, end_s: float) -> None:
        """Leave a stretch of the shown round's log out by hand, with undo.

        A stretch left out already is kept again.

        Parameters
        ----------
        start_s, end_s : on the joined log, s.
        """
        current = self.open.round
        if current is None or not current.logs:
            return
        before = current.left_out
        # The same stretch again takes it back, and so does any that covers it.
        outside = tuple(
            s
            for s in before
            if not (s.start_s >= start_s - SAME_EDGE_S and s.end_s <= end_s + SAME_EDGE_S)
        )
        after = outside if len(outside) < len(before) else in_order((*before, Span(start_s, end_s)))
        made = LeftOutChange(self, current.id, before, after)
        self.saving.attempt(lambda: self.history.push(made), made)
