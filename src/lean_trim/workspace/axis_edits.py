"""Axes of the table under correction: edited in a round nobody drove yet, so that logs keep their table."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lean_trim.core.data.axis_edit import Act, AxisEdit, insert_point, move_point, remove_point
from lean_trim.core.data.tables import Table
from lean_trim.core.decision.decision import Decision
from lean_trim.core.decision.proposal import quantise
from lean_trim.core.decision.shortfall import ONE_SIDED_ID, shortfalls
from lean_trim.core.errors import LeanTrimError
from lean_trim.core.messages import Message
from lean_trim.workspace.additions import BeginRound
from lean_trim.workspace.changes import Part
from lean_trim.workspace.history import History
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver


class Say:
    """What editing axes says."""

    REFUSED = Message("axis_edits.refused", "{reason}")
    INSERT = Message("axis_edits.insert", "Put in {value:g} {unit}")
    MOVE = Message("axis_edits.move", "Move {was:g} to {value:g} {unit}")
    REMOVE = Message("axis_edits.remove", "Take out {was:g} {unit}")
    NOTE = Message("axis_edits.note", "axes edited")
    EXACT = Message(
        "axis_edits.exact", "The ECU reads the same from both: between points it interpolates."
    )
    OFF = Message(
        "axis_edits.off",
        "What the ECU reads differs by up to {worst:.2f} %, at {place}; {rms:.2f} % rms over the table.",
    )


@dataclass(frozen=True)
class Wanted:
    """An edit that is asked for.

    Attributes
    ----------
    act : what is done.
    axis : of the table, from 0.
    index : of the point that is moved or taken out.
    value : of the point that is put in, or where one is moved to, as the ECU counts it.
    """

    act: Act
    axis: int
    index: int = 0
    value: float = 0.0


@dataclass(frozen=True, eq=False)
class AxesChange:
    """One change of the axes of a round's table; what was decided on it is carried over with it."""

    edits: AxisEdits
    round_id: int
    text: str
    before: tuple[Table, Decision | None]
    after: tuple[Table, Decision | None]

    def apply(self) -> None:
        """Save and take the later table."""
        self.edits.settle(self.round_id, *self.after)

    def again(self) -> AxesChange | None:
        """The same, where the round still has no log and the same table."""
        r = self.edits.open.round_of(self.round_id)
        same = r is not None and not r.logs and r.table.same_axes(self.before[0])
        return self if same else None

    def revert(self) -> None:
        """Save and take the earlier table."""
        self.edits.settle(self.round_id, *self.before)


class AxisEdits:
    """Puts points in, takes them out, moves them."""

    def __init__(
        self,
        open_job: OpenJob,
        saving: Saving,
        history: History,
        navigation: Navigation,
        solver: Solver,
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.history = history
        self.navigation = navigation
        self.solver = solver

    def look(self, wanted: Wanted) -> tuple[AxisEdit | None, str]:
        """What an edit would make of the decided table.

        Parameters
        ----------
        wanted : the edit.

        Returns
        -------
        The edit and what is to be said of it; None with the reason where it cannot be.
        """
        current = self.open.round
        if current is None:
            return None, ""
        try:
            edit = _edited(current.result, wanted)
        except LeanTrimError as error:
            return None, str(error)
        if edit.is_exact:
            return edit, str(Say.EXACT())
        place = ", ".join(
            f"{x:.4g} {a.unit}" for x, a in zip(edit.worst_at, edit.table.axes, strict=True)
        )
        return edit, str(Say.OFF(worst=edit.worst_pct, place=place, rms=edit.rms_pct))

    @property
    def advised(self) -> tuple[float, ...]:
        """Engine speeds at which driving asks for a breakpoint, rpm."""
        solution = self.solver.solution
        proposal = self.solver.proposal
        if solution is None or proposal is None:
            return ()
        found = shortfalls(solution.estimate, proposal, solution.frame.vehicle.induction)
        return tuple(float(str(f.said.values["driven"])) for f in found if f.id == ONE_SIDED_ID)

    def edit(self, wanted: Wanted) -> bool:
        """Edit the axes of the table; a round with logs is left as it is, and the next begins on it.

        Parameters
        ----------
        wanted : the edit.

        Returns
        -------
        Whether it was done.
        """
        current = self.open.round
        if current is None or self.open.refuses_old_round():
            return False
        try:
            edit = _edited(current.result, wanted)
        except LeanTrimError as error:
            self.open.error(Say.REFUSED(reason=str(error)))
            return False
        text = self._text(current.table, wanted)
        if current.logs and not self._begin():
            return False
        now = self.open.round
        vehicle = self.open.vehicle
        assert now is not None and vehicle is not None
        values, _ = quantise(edit.table.values, vehicle.limits, edit.table.own)
        made = AxesChange(
            edits=self,
            round_id=now.id,
            text=text,
            before=(now.table, now.decisions.get(now.subject)),
            # What was decided in a round nobody drove is part of the table from here on.
            after=(edit.table.with_values(values), None),
        )
        return self.saving.attempt(lambda: self.history.push(made), made)

    def _begin(self) -> bool:
        current = self.open.round
        assert current is not None
        begun = BeginRound(
            self.open,
            self.navigation,
            parent=current,
            calibration=current.resulting_calibration,
            note=str(Say.NOTE()),
        )
        return self.saving.attempt(begun.apply, begun) and not self._still(current.id)

    def _still(self, round_id: int) -> bool:
        return self.open.shows(round_id)

    def _text(self, table: Table, wanted: Wanted) -> str:
        axis = table.axes[wanted.axis]
        said = {Act.INSERT: Say.INSERT, Act.MOVE: Say.MOVE, Act.REMOVE: Say.REMOVE}[wanted.act]
        was = float(axis.shown[min(wanted.index, len(axis) - 1)])
        return str(said(value=wanted.value, was=was, unit=axis.shown_unit))

    def settle(self, round_id: int, table: Table, decision: Decision | None) -> None:
        """Save a table and what is decided on it, then take them into memory.

        Parameters
        ----------
        round_id : a round without logs.
        table : on its axes.
        decision : on it, None for nothing.

        Raises
        ------
        SaveFailedError
            If the file refused it; nothing is changed then.
        """
        changed = self.open.round_of(round_id)
        if changed is None:
            return
        tables = {changed.subject: table}
        decisions = {changed.subject: decision}
        self.open.commit(lambda store: store.save_tables(changed, tables, decisions, True))
        after = changed.with_tables(tables, decisions).without_outcome()
        self.open.take_round(replace(after, note=changed.note), Part.DECISION)
        if self.open.shows(round_id):
            self.navigation.show_other_logs()


def _edited(table: Table, wanted: Wanted) -> AxisEdit:
    axis = table.axes[wanted.axis]
    # People count an axis as the ECU does.
    value = wanted.value if axis.own is None else float(axis.own.ours([wanted.value])[0])
    if wanted.act is Act.INSERT:
        return insert_point(table, wanted.axis, value)
    if wanted.act is Act.MOVE:
        return move_point(table, wanted.axis, wanted.index, value)
    return remove_point(table, wanted.axis, wanted.index)
