"""Deciding injector tables: what is in the ECU, what is proposed, what will be written.

A round drives on the sheet's injector data until something is decided or pasted; from then on its revision
holds the tables. Every change is saved first and can be undone.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from lean_trim.core.data.calibration import DEAD_TIME, INJECTOR_FLOW, INJECTOR_TABLES, SMALL_PULSES, TARGET
from lean_trim.core.data.injector_tables import (
    OPEN_AXIS,
    PRESSURE_AXIS,
    VOLTS_AXIS,
    dead_time_table,
    flow_table,
    law_of,
    on_volts,
    rated_flow_table,
    small_pulse_table,
)
from lean_trim.core.data.tables import Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.decision import decision as decide
from lean_trim.core.decision.decision import Decision, Origin
from lean_trim.core.errors import LeanTrimError, TableError
from lean_trim.core.injectors.tables import (
    dead_time_to_write,
    flow_to_write,
    limits_of,
    small_pulses_to_write,
)
from lean_trim.core.messages import Message, Said
from lean_trim.job.records import Round
from lean_trim.workspace.changes import InjectorsTold, Notice, Part, ProposalChanged

if TYPE_CHECKING:
    from lean_trim.core.pipeline.injectors import InjectorReport
    from lean_trim.workspace.workspace import Workspace


class Say:
    """What deciding injector tables says."""

    ACCEPT = Message("injector_tables.accept", "Accept the {what}")
    PUT_BACK = Message("injector_tables.put_back", "Put the {what} back")
    SET = Message("injector_tables.set", "Set {text} in the {what}")
    PASTE = Message("injector_tables.paste", "Take the {what} that was pasted")
    FILL = Message("injector_tables.fill", "Fill the {what}")
    NOT_TOLD = Message(
        "injector_tables.not_told", "Tell them apart first; then there is something to accept."
    )
    ONLY_NEWEST = Message(
        "injector_tables.only_newest", "Only the newest round can be decided; earlier ones are as they were."
    )
    NO_DATA = Message(
        "injector_tables.no_data",
        "There is no {what} of this car yet: paste it, or say it on the Vehicle desk.",
    )
    AIRFLOW_FIRST = Message(
        "injector_tables.airflow_first",
        "{count} cells of the airflow table are decided in this round, from a drive on the old injector "
        "data. Both together would correct one error twice: put the cells back, or drive on them first.",
    )
    SCALE_FIRST = Message(
        "injector_tables.scale_first",
        "The scale of the airflow table was moved in this round: drive on it first, or put it back.",
    )
    REFUSED = Message("injector_tables.refused", "The {what} is as it was: {reason}")
    OTHER_AXES = Message("injector_tables.other_axes", "it needs an axis of {axis}")


WORDS = {INJECTOR_FLOW: "injector flow", DEAD_TIME: "dead times", SMALL_PULSES: "small-pulse times"}
AXES = {INJECTOR_FLOW: PRESSURE_AXIS, DEAD_TIME: VOLTS_AXIS, SMALL_PULSES: OPEN_AXIS}


@dataclass(frozen=True, eq=False)
class Held:
    """Injector tables of a round's revision and what was decided on them; None where there is none."""

    tables: Mapping[str, Table | None]
    decisions: Mapping[str, Decision | None]


@dataclass(frozen=True, eq=False)
class TablesChange:
    """One change of tables a round keeps beside its airflow table, or together with it."""

    desk: InjectorTables
    round_id: int
    text: str
    before: Held
    after: Held
    redrives: bool = field(default=False)

    def apply(self) -> None:
        """Save and take the later tables."""
        self.desk.settle(self.round_id, self.after, self.redrives)

    def revert(self) -> None:
        """Save and take the earlier tables."""
        self.desk.settle(self.round_id, self.before, self.redrives)


class InjectorTables:
    """Injector tables of the shown round."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace

    def base(self, name: str) -> Table | None:
        """A table as the shown round is driven on it: the revision's, or filled from the sheet.

        Parameters
        ----------
        name : one of ``INJECTOR_TABLES``.

        Returns
        -------
        None if nothing is known.
        """
        current = self.workspace.round
        vehicle = self.workspace.vehicle
        if current is None or vehicle is None:
            return None
        calibration = current.revision.calibration
        if name in calibration:
            return calibration[name]
        if name == SMALL_PULSES:
            return self._nothing_added(vehicle)
        return _filled(vehicle, name)

    def _nothing_added(self, vehicle: Vehicle) -> Table | None:
        """The sheet's small-pulse table, or one that adds nothing where the drive says what is lost."""
        injectors = vehicle.injectors
        if len(injectors.small_open_ms):
            return small_pulse_table(injectors.small_open_ms, injectors.small_add_ms)
        report = self.workspace.study.report
        if report is None or report.small is None or not report.small.is_there:
            return None
        open_ms = report.small.open_ms
        return small_pulse_table(open_ms, np.zeros(len(open_ms)))

    @property
    def holds_small_pulses(self) -> bool:
        """True if the ECU has a small-pulse table, or is to get one."""
        current, vehicle = self.workspace.round, self.workspace.vehicle
        if current is None or vehicle is None:
            return False
        return SMALL_PULSES in current.decisions or len(vehicle.injectors.small_open_ms) > 0

    def decided(self, name: str) -> Decision | None:
        """What is decided of a table, untouched if nothing is; None if there is no table."""
        current, table = self.workspace.round, self.base(name)
        if current is None or table is None:
            return None
        return current.decisions.get(name) or decide.undecided(table)

    def proposed(self, name: str) -> Table | None:
        """What the study asks for; None before it was asked, or if that is not told."""
        report = self.workspace.study.report
        table = self.base(name)
        if report is None or table is None:
            return None
        if name == SMALL_PULSES:
            return None if report.small is None else small_pulses_to_write(table, report.small)
        split = self.in_force(report).split
        if name == INJECTOR_FLOW:
            return flow_to_write(table, split)
        return dead_time_to_write(table, split, report.slope)

    def in_force(self, report: InjectorReport) -> InjectorReport:
        """A report as it counts: with a small-pulse table the dead time is that of longer pulses.

        Parameters
        ----------
        report : of the shown round.

        Returns
        -------
        What is to be written follows from it.
        """
        small = report.small
        if small is None or not self.holds_small_pulses:
            return report
        return replace(report, split=small.split, small=None)

    def accept(self, name: str) -> bool:
        """Take what is proposed for a whole table; False, and told, if that cannot be.

        Parameters
        ----------
        name : one of ``INJECTOR_TABLES``.

        Returns
        -------
        Whether it was done.
        """
        proposed = self.proposed(name)
        if proposed is None:
            self.workspace.note(Say.NOT_TOLD())
            return False
        current = self.workspace.round
        assert current is not None
        # A moved scale is told by what takes the decision.
        if current.decided.changed and current.scale_moved == 1.0:
            self.workspace.hub.publish(Notice("error", Say.AIRFLOW_FIRST(count=current.decided.changed)))
            return False

        def take(decision: Decision, table: Table) -> Decision:
            moved = proposed.values != table.values
            origin = np.where(moved, np.int8(Origin.ACCEPTED), np.int8(Origin.UNTOUCHED))
            return Decision(proposed.values.copy(), origin, decision.pinned)

        return self._decide(name, Say.ACCEPT(what=WORDS[name]), take)

    def put_back(self, name: str) -> bool:
        """Return a whole table to what was driven on."""
        return self._decide(name, Say.PUT_BACK(what=WORDS[name]), lambda _, table: decide.undecided(table))

    def type_in(self, name: str, cell: int, text: str) -> bool:
        """Apply typed input such as "+3%" or "=1.02" to one cell; False, and told, if it cannot be.

        Parameters
        ----------
        name : one of ``INJECTOR_TABLES``.
        cell : flat index.
        text : as for the airflow table; a bare number is the value.

        Returns
        -------
        Whether it was done.
        """
        words = text.strip()
        typed = f"={words}" if words[:1].isdigit() or words[:1] in ".," else words
        return self._decide(
            name,
            Say.SET(text=words, what=WORDS[name]),
            lambda decision, table: decide.type_in(decision, typed, [cell], limits_of(table), table.own),
        )

    def take_table(self, name: str, table: Table) -> bool:
        """Take a table as the one that is in the ECU, with its own axes; what was decided on it goes.

        Parameters
        ----------
        name : one of ``INJECTOR_TABLES``.
        table : of the whole round, which is solved anew with it.

        Returns
        -------
        Whether it was done.
        """
        axis = AXES[name]
        if all(a.name != axis for a in table.axes):
            reason = str(Say.OTHER_AXES(axis=axis))
            self.workspace.hub.publish(Notice("error", Say.REFUSED(what=WORDS[name], reason=reason)))
            return False
        return self._push(Say.PASTE(what=WORDS[name]), name, table, None, redrives=True)

    def fill(self, name: str, points: Sequence[float]) -> bool:
        """Put a table on other points: flow by the law through those it has, dead times over 1/voltage.

        Parameters
        ----------
        name : ``INJECTOR_FLOW`` or ``DEAD_TIME``.
        points : the ECU's own, kPa or V.

        Returns
        -------
        Whether it was done; told if not.
        """
        table = self.base(name)
        if table is None:
            self.workspace.note(Say.NO_DATA(what=WORDS[name]))
            return False
        try:
            if name == INJECTOR_FLOW:
                filled = flow_table(law_of(table.axes[0].points, table.values), sorted(points))
            else:
                filled = on_volts(table, sorted(points))
        except TableError as error:
            said = Say.REFUSED(what=WORDS[name], reason=str(error))
            self.workspace.hub.publish(Notice("error", said))
            return False
        return self._push(Say.FILL(what=WORDS[name]), name, filled, None, redrives=True)

    def _decide(self, name: str, text: Said, change: Callable[[Decision, Table], Decision]) -> bool:
        table, decision = self.base(name), self.decided(name)
        if table is None or decision is None:
            self.workspace.note(Say.NO_DATA(what=WORDS[name]))
            return False
        try:
            after = change(decision, table)
        except LeanTrimError as error:
            said = Say.REFUSED(what=WORDS[name], reason=str(error))
            self.workspace.hub.publish(Notice("error", said))
            return False
        return self._push(text, name, table, after if after.changed else None)

    def _push(
        self, text: Said, name: str, table: Table, decision: Decision | None, redrives: bool = False
    ) -> bool:
        workspace = self.workspace
        current = workspace.round
        if current is None or not workspace.is_last:
            workspace.note(Say.ONLY_NEWEST())
            return False
        if current.scale_moved != 1.0:
            workspace.hub.publish(Notice("error", Say.SCALE_FIRST()))
            return False
        after = Held({name: table}, {name: decision})
        made = TablesChange(self, current.id, str(text), _held(current, name), after, redrives)
        return workspace.saving.attempt(lambda: workspace.history.push(made), made)

    def settle(self, round_id: int, held: Held, redrives: bool) -> None:
        """Save tables and decisions of a round, then take them into memory.

        Parameters
        ----------
        round_id : a round of the open job.
        held : what it is to hold.
        redrives : whether the table it was driven on is another one now, so that it is solved anew.

        Raises
        ------
        SaveFailedError
            If the file refused it; nothing is changed then.
        """
        workspace = self.workspace
        changed = workspace.job.round_of(round_id) if workspace.job is not None else None
        if changed is None:
            return
        workspace.saving.save(lambda store: store.save_tables(changed, held.tables, held.decisions, redrives))
        after = changed.with_tables(held.tables, held.decisions)
        workspace.replace_round(after.without_outcome() if redrives else after, Part.DECISION)
        if redrives and workspace.shows(round_id):
            workspace.show_other_logs()
        elif workspace.shows(round_id):
            workspace.hub.publish(InjectorsTold())
            workspace.hub.publish(ProposalChanged(round_id))


def _held(current: Round, name: str) -> Held:
    return Held({name: current.revision.calibration.tables.get(name)}, {name: current.decisions.get(name)})


def _filled(vehicle: Vehicle, name: str) -> Table | None:
    injectors = vehicle.injectors
    if name == INJECTOR_FLOW:
        known = np.isfinite(injectors.flow_g_per_s) and injectors.pressure_known
        return rated_flow_table(injectors) if known else None
    return dead_time_table(injectors) if len(injectors.volts) > 1 else None


def decided_tables(current: Round) -> dict[str, Table]:
    """Tables beside the airflow table as a round would write them, those that change.

    Parameters
    ----------
    current : a round.

    Returns
    -------
    By name.
    """
    calibration = current.resulting_calibration
    return {
        name: calibration[name]
        for name in (*INJECTOR_TABLES, TARGET)
        if name in current.decisions and current.decisions[name].changed
    }
