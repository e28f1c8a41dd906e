"""Deciding injector tables: what is in the ECU, what is proposed, what will be written.

A round drives on the sheet's injector data until something is decided or pasted; from then on its
revision holds the tables. Every change is saved first and can be undone.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from lean_trim.core.data.calibration import DEAD_TIME, INJECTOR_FLOW, SMALL_PULSES
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
from lean_trim.core.data.vehicle import TableLimits, Vehicle
from lean_trim.core.errors import TableError
from lean_trim.core.injectors.tables import (
    dead_time_to_write,
    flow_to_write,
    limits_of,
    small_pulses_to_write,
)
from lean_trim.core.messages import Message
from lean_trim.workspace.history import History
from lean_trim.workspace.injector_study import InjectorStudy
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.side_tables import Say as Beside
from lean_trim.workspace.side_tables import SideTables
from lean_trim.workspace.work_state import Work

if TYPE_CHECKING:
    from lean_trim.core.pipeline.injectors import InjectorReport


class Say:
    """What deciding injector tables says."""

    FILL = Message("injector_tables.fill", "Fill the {what}")
    NOT_TOLD = Message(
        "injector_tables.not_told", "Tell them apart first; then there is something to accept."
    )
    AIRFLOW_FIRST = Message(
        "injector_tables.airflow_first",
        "{count} cells of the airflow table are decided in this round, from a drive on the old "
        "injector data. Both together would correct one error twice: put the cells back, or drive "
        "on them first.",
    )


WORDS = {INJECTOR_FLOW: "injector flow", DEAD_TIME: "dead times", SMALL_PULSES: "small-pulse times"}
AXES = {INJECTOR_FLOW: PRESSURE_AXIS, DEAD_TIME: VOLTS_AXIS, SMALL_PULSES: OPEN_AXIS}


class InjectorTables(SideTables):
    """Injector tables of the shown round."""

    words = WORDS
    redrives = True
    apart_from_scale = True

    def __init__(
        self,
        open_job: OpenJob,
        saving: Saving,
        history: History,
        navigation: Navigation,
        work: Work,
        study: InjectorStudy,
    ) -> None:
        super().__init__(open_job, saving, history, navigation, work)
        self.study = study

    def base(self, name: str) -> Table | None:
        """A table as the shown round is driven on it: the revision's, or filled from the sheet.

        Parameters
        ----------
        name : one of ``INJECTOR_TABLES``.

        Returns
        -------
        None if nothing is known.
        """
        current = self.open.round
        vehicle = self.open.vehicle
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
        report = self.study.report
        if report is None or report.small is None or not report.small.is_there:
            return None
        open_ms = report.small.open_ms
        return small_pulse_table(open_ms, np.zeros(len(open_ms)))

    @property
    def holds_small_pulses(self) -> bool:
        """True if the ECU has a small-pulse table, or is to get one."""
        current = self.open.round
        vehicle = self.open.vehicle
        if current is None or vehicle is None:
            return False
        return SMALL_PULSES in current.decisions or len(vehicle.injectors.small_open_ms) > 0

    def proposed(self, name: str) -> Table | None:
        """What the study found; None before it was asked, or if that is not told."""
        report = self.study.report
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

        Returns what is to be written follows from it.
        """
        small = report.small
        if small is None or not self.holds_small_pulses:
            return report
        return replace(report, split=small.split, small=None)

    def axes_of(self, name: str) -> tuple[str, ...]:
        """The one axis each of them cannot do without."""
        return (AXES[name],)

    def limits_of(self, table: Table) -> TableLimits:
        """As fine as the cells show."""
        return limits_of(table)

    def accept(self, name: str, cells: frozenset[int] | None = None) -> bool:
        """Take what is proposed for a table; False, and told, if that cannot be.

        Parameters
        ----------
        name : one of ``INJECTOR_TABLES``.
        cells : flat indices; all if None.

        Returns
        -------
        Whether it was done.
        """
        proposed = self.proposed(name)
        if proposed is None:
            self.open.note(Say.NOT_TOLD())
            return False
        current = self.open.round
        assert current is not None
        # A moved scale is told by what takes the decision.
        if current.decided.changed and current.scale_moved == 1.0:
            self.open.error(Say.AIRFLOW_FIRST(count=current.decided.changed))
            return False

        return self._take(name, proposed, cells)

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
            self.open.note(Beside.NO_DATA(what=WORDS[name]))
            return False
        try:
            if name == INJECTOR_FLOW:
                filled = flow_table(law_of(table.axes[0].points, table.values), sorted(points))
            else:
                filled = on_volts(table, sorted(points))
        except TableError as error:
            self._refuse(name, str(error))
            return False
        return self._push(Say.FILL(what=WORDS[name]), name, filled, None, redrives=True)


def _filled(vehicle: Vehicle, name: str) -> Table | None:
    injectors = vehicle.injectors
    if name == INJECTOR_FLOW:
        known = np.isfinite(injectors.flow_g_per_s) and injectors.pressure_known
        return rated_flow_table(injectors) if known else None
    return dead_time_table(injectors) if len(injectors.volts) > 1 else None
