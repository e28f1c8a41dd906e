"""Deciding the tables a round keeps beside its airflow table: typed, put back, pasted; saved first."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from lean_trim.core.data.calibration import ENGINE_SCALE
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.decision import Decision, Origin
from lean_trim.core.decision.shaping import Shape, nudged
from lean_trim.core.decision.typed import type_in
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message, Said
from lean_trim.job.database import now
from lean_trim.job.records import Round
from lean_trim.job.trail import Step, Stood, Way, state_after, step_between, way_here, way_of
from lean_trim.workspace.changes import InjectorsTold, Part, ProposalChanged, RoundShown
from lean_trim.workspace.history import History
from lean_trim.workspace.merging import merged
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.side_shaping import SHAPE_WORDS, shaped_freely
from lean_trim.workspace.work_state import Work


class Say:
    """What deciding such tables says."""

    ACCEPT = Message("side_tables.accept", "Accept the {what}")
    PUT_BACK = Message("side_tables.put_back", "Put the {what} back")
    RAISE = Message("side_tables.raise", "Nudge the {what} up")
    LOWER = Message("side_tables.lower", "Nudge the {what} down")
    SET = Message("side_tables.set", "Set {text} in the {what}")
    BACK_TO = Message("side_tables.back_to", "Go back in the {what}")
    PASTE = Message("side_tables.paste", "Take the {what} that was pasted")
    NO_DATA = Message(
        "side_tables.no_data",
        "There is no {what} of this car yet: paste it, or say it on the Vehicle desk.",
    )
    SCALE_FIRST = Message(
        "side_tables.scale_first",
        "The scale of the airflow table was moved in this round: drive on it first, or put it "
        "back.",
    )
    REFUSED = Message("side_tables.refused", "The {what} is as it was: {reason}")
    OTHER_AXES = Message("side_tables.other_axes", "it needs an axis of {axis}")


@dataclass(frozen=True, eq=False)
class Held:
    """Tables of a round's revision and what was decided on them; None where there is none."""

    tables: Mapping[str, Table | None]
    decisions: Mapping[str, Decision | None]


@dataclass(frozen=True, eq=False)
class TablesChange:
    """One change of tables a round keeps beside its airflow table, or together with it."""

    desk: SideTables
    round_id: int
    text: str
    before: Held
    after: Held
    redrives: bool = field(default=False)
    amends: bool = field(default=False)

    def apply(self) -> None:
        """Save and take the later tables."""
        step = self._step(Way.DONE)
        r = self.desk.open.round_of(self.round_id)
        if step is not None and r is not None:
            step = replace(step, way=way_of(r.steps, step))
        # Done again it is a step of its own.
        amends = self.amends and step is not None and step.way is Way.DONE
        self.desk.settle(self.round_id, self.after, self.redrives, step, amends)

    def again(self) -> TablesChange | None:
        """The same cells of what is decided now; on tables that are others by now, as it was meant."""
        r = self.desk.open.round_of(self.round_id)
        if r is None:
            return None
        present = Held(
            {name: r.revision.calibration.tables.get(name) for name in self.before.tables},
            {name: r.decisions.get(name) for name in self.before.decisions},
        )
        # Cells decided meanwhile stay; only those of this change are laid over them.
        decisions = {
            name: _decided_again(self.before.decisions[name], after, present.decisions[name])
            for name, after in self.after.decisions.items()
        }
        return replace(self, before=present, after=Held(self.after.tables, decisions), amends=False)

    def revert(self) -> None:
        """Save and take the earlier tables."""
        self.desk.settle(self.round_id, self.before, self.redrives, self._step(Way.UNDONE))

    def _step(self, way: Way) -> Step | None:
        """For the trail; None where a table became another one, or several things were moved at once."""
        if len(self.after.tables) != 1 or self.after.decisions.keys() != self.after.tables.keys():
            return None
        ((name, table),) = self.after.tables.items()
        was = self.before.tables[name]
        # A table of the sheet is kept with its first decision.
        if table is None or not (was is None or was is table):
            return None
        before, after = (
            held.decisions[name] or decide.undecided(table) for held in (self.before, self.after)
        )
        if before.values.shape != after.values.shape:
            return None
        step = step_between(before, after, now(), name, self.text, way)
        return step if len(step.places) else None


class SideTables(ABC):
    """Tables of the shown round beside its airflow table; those of one desk.

    ``words`` names each of them, ``redrives`` says whether another table in the ECU makes the solve
    another, ``apart_from_scale`` whether they cannot be decided together with a moved scale,
    ``announces`` makes the message their desk listens for.
    """

    words: Mapping[str, str] = {}
    announces: Callable[[], object] = InjectorsTold
    redrives = False
    apart_from_scale = False

    def __init__(
        self,
        open_job: OpenJob,
        saving: Saving,
        history: History,
        navigation: Navigation,
        work: Work,
    ) -> None:
        self.open = open_job
        self.work = work
        self.saving = saving
        self.history = history
        self.navigation = navigation
        open_job.hub.subscribe(RoundShown, lambda _: self._take_history())

    def _take_history(self) -> None:
        """What was decided before the job was opened can be undone."""
        current = self.open.round
        if current is None or not self.open.is_last:
            return
        for name in self.words:
            self.history.seed(
                [(s.step.made, self._seed(current, name, s)) for s in self.trail(name)]
            )

    def _seed(self, current: Round, name: str, stood: Stood) -> TablesChange:
        tables = {name: self.base(name)}
        before, after = (
            Held(tables, {name: decision if decision.changed else None})
            for decision in (stood.before, stood.after)
        )
        return TablesChange(self, current.id, stood.step.text, before, after)

    def trail(self, name: str) -> list[Stood]:
        """How what is decided of a table came about, oldest step first.

        Parameters
        ----------
        name : a key of ``words``.

        Returns
        -------
        As far back as the steps lead.
        """
        current = self.open.round
        decision = self.decided(name)
        if current is None or decision is None:
            return []
        return way_here(current.steps, name, decision)

    def go_back_to(self, name: str, place: int) -> bool:
        """Decide again what was decided after a step of the trail; that can be undone as well.

        Parameters
        ----------
        name : a key of ``words``.
        place : in its trail; -1 for before its first step.

        Returns
        -------
        Whether it was done.
        """
        found = state_after(self.trail(name), place)
        if found is None:
            return False
        return self._decide(name, Say.BACK_TO(what=self.words[name]), lambda _, __: found)

    def shape(self, name: str, cells: frozenset[int], how: Shape) -> bool:
        """Make chosen cells smooth, blend or straighten them between their edges.

        Parameters
        ----------
        name : a key of ``words``.
        cells : flat indices.
        how : which of those.

        Returns
        -------
        Whether it was done.
        """

        def wanted(decision: Decision, table: Table) -> Decision:
            values = shaped_freely(how, table, decision, cells)
            return decide.moved_by_hand(decision, values, self.limits_of(table), table.own)

        return self._decide(name, SHAPE_WORDS[how](what=self.words[name]), wanted)

    def base(self, name: str) -> Table | None:
        """A table as the shown round is driven on it.

        Parameters
        ----------
        name : a key of ``words``.

        Returns
        -------
        None if nothing is known.
        """
        current = self.open.round
        return None if current is None else current.revision.calibration.tables.get(name)

    @abstractmethod
    def proposed(self, name: str) -> Table | None:
        """What the drive needs; None if that is not told.

        Parameters
        ----------
        name : a key of ``words``.

        Returns
        -------
        A table on the same axes.
        """

    @abstractmethod
    def accept(self, name: str, cells: frozenset[int] | None = None) -> bool:
        """Take what is proposed for a table; False, and told, if that cannot be.

        Parameters
        ----------
        name : a key of ``words``.
        cells : flat indices; all if None.

        Returns
        -------
        Whether it was done.
        """

    @abstractmethod
    def axes_of(self, name: str) -> tuple[str, ...]:
        """Axes of which a table needs one.

        Parameters
        ----------
        name : a key of ``words``.

        Returns
        -------
        Names of axes.
        """

    @abstractmethod
    def limits_of(self, table: Table) -> TableLimits:
        """Resolution and range of a table's field.

        Returns in the ECU's own numbers.
        """

    def decided(self, name: str) -> Decision | None:
        """What is decided of a table, untouched if nothing is; None if there is no table.

        Parameters
        ----------
        name : a key of ``words``.

        Returns
        -------
        The decision.
        """
        current = self.open.round
        table = self.base(name)
        if current is None or table is None:
            return None
        return current.decisions.get(name) or decide.undecided(table)

    def put_back(self, name: str, cells: frozenset[int] | None = None) -> bool:
        """Return a table to what was driven on.

        Parameters
        ----------
        name : a key of ``words``.
        cells : flat indices; all if None.

        Returns
        -------
        Whether it was done.
        """
        said = Say.PUT_BACK(what=self.words[name])
        if cells is not None:
            return self._decide(name, said, lambda d, table: decide.put_back(d, table, cells))
        return self._decide(name, said, lambda _, table: decide.undecided(table))

    def nudge(self, name: str, cells: frozenset[int], pct: float, goes_on: bool = False) -> bool:
        """Move cells by a little, by one step of their field at least.

        Parameters
        ----------
        name : a key of ``words``.
        cells : flat indices.
        pct : percent; its sign tells the direction.
        goes_on : the key is still held; all of it is one undo.

        Returns
        -------
        Whether it was done.
        """

        def moved(decision: Decision, table: Table) -> Decision:
            limits = self.limits_of(table)
            chosen = decide.mask_of(decision, cells)
            wanted = nudged(decision.values, chosen, pct, limits, table.own)
            return decide.moved_by_hand(decision, wanted, limits, table.own)

        said = Say.RAISE if pct > 0 else Say.LOWER
        return self._decide(name, said(what=self.words[name]), moved, goes_on)

    def type_in(self, name: str, cells: int | frozenset[int], text: str) -> bool:
        """Apply typed input such as "+3%" or "=1.02" to cells; False, and told, if it cannot be.

        Parameters
        ----------
        name : a key of ``words``.
        cells : flat indices, or one.
        text : as for the airflow table; a bare number is the value.

        Returns
        -------
        Whether it was done.
        """
        words = text.strip()
        chosen = [cells] if isinstance(cells, int) else sorted(cells)
        # In a table of ms or percent a bare number means the value, not a change.
        typed = f"={words}" if words[:1].isdigit() or words[:1] in ".," else words
        return self._decide(
            name,
            Say.SET(text=words, what=self.words[name]),
            lambda decision, table: type_in(
                decision, typed, chosen, self.limits_of(table), table.own
            ),
        )

    def take_table(self, name: str, table: Table) -> bool:
        """Take a table as the one that is in the ECU, with its own axes; what was decided on it goes.

        Parameters
        ----------
        name : a key of ``words``.
        table : of the whole round.

        Returns
        -------
        Whether it was done.
        """
        axes = self.axes_of(name)
        # One right axis is enough: the other one may be new to this car.
        if all(a.name not in axes for a in table.axes):
            self._refuse(name, str(Say.OTHER_AXES(axis=" or ".join(axes))))
            return False
        return self._push(Say.PASTE(what=self.words[name]), name, table, None, self.redrives)

    def _take(self, name: str, proposed: Table, cells: frozenset[int] | None = None) -> bool:
        """Decide on what is proposed, cell by cell where it is a change."""
        # Until dangers were looked for, what is proposed may still change.
        held = self.work.state.holds_writing
        if held is not None:
            self.open.error(held)
            return False

        def take(decision: Decision, table: Table) -> Decision:
            # A cell that stays what it is was not decided, and is not counted as a change.
            moved = proposed.values != table.values
            origin = np.where(moved, np.int8(Origin.ACCEPTED), np.int8(Origin.UNTOUCHED))
            if cells is None:
                return Decision(proposed.values.copy(), origin, decision.pinned)
            chosen = decide.mask_of(decision, cells)
            return Decision(
                np.where(chosen, proposed.values, decision.values),
                np.where(chosen, origin, decision.origin),
                decision.pinned,
            )

        return self._decide(name, Say.ACCEPT(what=self.words[name]), take)

    def _refuse(self, name: str, reason: str) -> None:
        self.open.error(Say.REFUSED(what=self.words[name], reason=reason))

    def _decide(
        self,
        name: str,
        text: Said,
        change: Callable[[Decision, Table], Decision],
        goes_on: bool = False,
    ) -> bool:
        table = self.base(name)
        decision = self.decided(name)
        if table is None or decision is None:
            self.open.note(Say.NO_DATA(what=self.words[name]))
            return False
        try:
            after = change(decision, table)
        except LeanTrimError as error:
            self._refuse(name, str(error))
            return False
        # Put back to what was driven on, nothing is decided: no row in the file, no step on the
        # rail.
        return self._push(text, name, table, after if after.changed else None, goes_on=goes_on)

    def _push(
        self,
        text: Said,
        name: str,
        table: Table,
        decision: Decision | None,
        redrives: bool = False,
        goes_on: bool = False,
    ) -> bool:
        current = self.open.round
        if current is None or self.open.refuses_old_round():
            return False
        # One drive could not tell which of two moved things was wrong.
        if self.apart_from_scale and current.scale_moved != 1.0:
            self.open.error(Say.SCALE_FIRST())
            return False
        after = Held({name: table}, {name: decision})
        made = TablesChange(self, current.id, str(text), held(current, (name,)), after, redrives)
        last = self.history.last
        if goes_on and isinstance(last, TablesChange) and self._leads_on(last, made, name):
            amended = replace(made, before=last.before, amends=True)
            return self.saving.attempt(lambda: self.history.amend(amended), made)
        return self.saving.attempt(lambda: self.history.push(made), made)

    def _leads_on(self, last: TablesChange, made: TablesChange, name: str) -> bool:
        """Whether a change goes on from the last one, which is also the newest step that is kept."""
        r = self.open.round_of(made.round_id)
        newest = r.steps[-1] if r is not None and r.steps else None
        return (
            newest is not None
            and newest.way is not Way.UNDONE
            and newest.text == last.text == made.text
            and (newest.table_name, last.round_id) == (name, made.round_id)
            and last.after.tables.keys() == made.after.tables.keys()
            and last.after.decisions[name] is made.before.decisions[name]
        )

    def settle(
        self,
        round_id: int,
        settled: Held,
        redrives: bool,
        step: Step | None = None,
        amends: bool = False,
    ) -> None:
        """Save tables and decisions of a round, then take them into memory.

        Parameters
        ----------
        round_id : a round of the open job.
        settled : what it is to hold.
        redrives : whether the table it was driven on is another one now, so that it is solved anew.
        step : of the trail; None where the change is none of a table's cells.
        amends : the step takes the place of the one before.

        Raises
        ------
        SaveFailedError
            If the file refused it; nothing is changed then.
        """
        changed = self.open.round_of(round_id)
        if changed is None:
            return
        tables = settled.tables
        decisions = settled.decisions
        # Saved first: a file that refuses leaves memory as it was.
        self.open.commit(
            lambda store: store.save_tables(changed, tables, decisions, redrives, step, amends)
        )
        after = changed.with_tables(tables, decisions)
        if step is not None:
            after = after.with_step(step, amends)
        self.open.take_round(after.without_outcome() if redrives else after, Part.DECISION)
        if redrives and self.open.shows(round_id):
            self.navigation.show_other_logs()
        elif self.open.shows(round_id):
            self.open.hub.publish(self.announces())
            self.open.hub.publish(ProposalChanged(round_id))


def _decided_again(
    before: Decision | None, after: Decision | None, now: Decision | None
) -> Decision | None:
    """A decision that waited, on what is decided now; as it was meant where one of them is not there."""
    # Of other axes by now, no cell has a counterpart.
    if before is None or after is None or now is None or now.values.shape != after.values.shape:
        return after
    made: Decision = merged(before, after, now)
    return made


def held(current: Round, names: tuple[str, ...]) -> Held:
    """What a round holds of some tables.

    Returns None where it has none.
    """
    return Held(
        {name: current.revision.calibration.tables.get(name) for name in names},
        {name: current.decisions.get(name) for name in names},
    )


def decided_tables(current: Round) -> dict[str, Table]:
    """Tables beside the airflow table as a round would write them, those that change.

    Returns by name.
    """
    calibration = current.resulting_calibration
    return {
        name: calibration[name]
        for name, decision in current.decisions.items()
        if decision.changed and name not in (current.subject, ENGINE_SCALE)
    }
