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
from lean_trim.core.decision.shaping import nudged
from lean_trim.core.decision.typed import type_in
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message, Said
from lean_trim.job.records import Round
from lean_trim.workspace.changes import InjectorsTold, Part, ProposalChanged
from lean_trim.workspace.history import History
from lean_trim.workspace.merging import merged
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.work_state import Work


class Say:
    """What deciding such tables says."""

    ACCEPT = Message("side_tables.accept", "Accept the {what}")
    PUT_BACK = Message("side_tables.put_back", "Put the {what} back")
    RAISE = Message("side_tables.raise", "Nudge the {what} up")
    LOWER = Message("side_tables.lower", "Nudge the {what} down")
    SET = Message("side_tables.set", "Set {text} in the {what}")
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

    def apply(self) -> None:
        """Save and take the later tables."""
        self.desk.settle(self.round_id, self.after, self.redrives)

    def again(self) -> TablesChange | None:
        """The same cells of what is decided now; on tables that are others by now, as it was meant."""
        r = self.desk.open.round_of(self.round_id)
        if r is None:
            return None
        now = Held(
            {name: r.revision.calibration.tables.get(name) for name in self.before.tables},
            {name: r.decisions.get(name) for name in self.before.decisions},
        )
        # Cells decided meanwhile stay; only those of this change are laid over them.
        decisions = {
            name: _decided_again(self.before.decisions[name], after, now.decisions[name])
            for name, after in self.after.decisions.items()
        }
        return replace(self, before=now, after=Held(self.after.tables, decisions))

    def revert(self) -> None:
        """Save and take the earlier tables."""
        self.desk.settle(self.round_id, self.before, self.redrives)


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

    def nudge(self, name: str, cells: frozenset[int], pct: float) -> bool:
        """Move cells by a little, by one step of their field at least.

        Parameters
        ----------
        name : a key of ``words``.
        cells : flat indices.
        pct : percent; its sign tells the direction.

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
        return self._decide(name, said(what=self.words[name]), moved)

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

    def _decide(self, name: str, text: Said, change: Callable[[Decision, Table], Decision]) -> bool:
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
        return self._push(text, name, table, after if after.changed else None)

    def _push(
        self, text: Said, name: str, table: Table, decision: Decision | None, redrives: bool = False
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
        return self.saving.attempt(lambda: self.history.push(made), made)

    def settle(self, round_id: int, settled: Held, redrives: bool) -> None:
        """Save tables and decisions of a round, then take them into memory.

        Parameters
        ----------
        round_id : a round of the open job.
        settled : what it is to hold.
        redrives : whether the table it was driven on is another one now, so that it is solved anew.

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
        self.open.commit(lambda store: store.save_tables(changed, tables, decisions, redrives))
        after = changed.with_tables(tables, decisions)
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
