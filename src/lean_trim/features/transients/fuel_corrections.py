"""Deciding corrections of fuel: enrichment, fuel after a cut, warm-up, wall film, as tables of a revision."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trim.core.data.fuel_corrections import (
    AFTER_CUT,
    AFTER_CUT_FADE,
    CORRECTIONS,
    ENRICHMENT,
    ENRICHMENT_FADE,
    KINDS,
    WALL_SHARE,
    WALL_TIME,
)
from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.data.vehicle import TableLimits
from lean_trim.core.errors import TableError
from lean_trim.core.messages import Message, Said
from lean_trim.core.transients.to_write import Written, limits_of
from lean_trim.features.transients.control import TransientsControl, TransientsFound
from lean_trim.workspace.history import History
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.side_tables import SideTables
from lean_trim.workspace.work_state import Work


class Say:
    """What deciding corrections of fuel says."""

    NOTHING = Message(
        "fuel_corrections.nothing", "There is nothing to accept in the {what}: {reason}"
    )
    LOOK_FIRST = Message("fuel_corrections.look_first", "quick changes were not looked at yet.")
    AS_IT_IS = Message("fuel_corrections.as_it_is", "it holds what the drive needs already.")
    ONE_AXIS = Message(
        "fuel_corrections.one_axis", "only a table over one axis can be put on other points"
    )
    FILL = Message("fuel_corrections.fill", "Put the {what} on other points")
    ONE_METHOD = Message(
        "fuel_corrections.one_method",
        "The {other} is decided in this round. It and the {what} make up for the same fuel: put "
        "the {other} back, or drive on it first.",
    )


WORDS = {name: kind.words for name, kind in KINDS.items()}
BY_FILM = (WALL_SHARE, WALL_TIME)
BY_RATE = (ENRICHMENT, ENRICHMENT_FADE, AFTER_CUT, AFTER_CUT_FADE)


class FuelCorrections(SideTables):
    """Corrections of fuel of the shown round."""

    words = WORDS
    announces = TransientsFound

    def __init__(
        self,
        open_job: OpenJob,
        saving: Saving,
        history: History,
        navigation: Navigation,
        work: Work,
        transients: TransientsControl,
    ) -> None:
        super().__init__(open_job, saving, history, navigation, work)
        self.transients = transients
        self._told: dict[str, tuple[object, Table, Written]] = {}

    @property
    def names(self) -> tuple[str, ...]:
        """Those the shown round's ECU is known to have."""
        return tuple(name for name in CORRECTIONS if self.base(name) is not None)

    def axes_of(self, name: str) -> tuple[str, ...]:
        """One of which each of them is read by."""
        return KINDS[name].axes

    def limits_of(self, table: Table) -> TableLimits:
        """As fine as the cells show, and as wide as the kind."""
        return limits_of(name_of(table), table)

    def told(self, name: str) -> Written | None:
        """What the drive asks of a table, and what that rests on; None before it was looked at.

        Parameters
        ----------
        name : one of ``CORRECTIONS``.

        Returns
        -------
        Worked out once for each look and table.
        """
        from lean_trim.core.pipeline.transients import table_to_write

        report = self.transients.report
        table = self.base(name)
        if report is None or table is None:
            return None
        kept = self._told.get(name)
        if kept is not None and kept[0] is report and kept[1] is table:
            return kept[2]
        tables = {n: t for n in CORRECTIONS if (t := self.base(n)) is not None}
        written = table_to_write(report, name, tables)
        self._told[name] = (report, table, written)
        return written

    def all_told(self) -> dict[str, Written]:
        """What the drive asks of every table the ECU is known to have.

        Returns by name.
        """
        return {name: told for name in self.names if (told := self.told(name)) is not None}

    def proposed(self, name: str) -> Table | None:
        """What the drive needs."""
        told = self.told(name)
        return None if told is None else told.table

    def accept(self, name: str, cells: frozenset[int] | None = None) -> bool:
        """Take what is proposed for a table; False, and told, if that cannot be.

        Parameters
        ----------
        name : one of ``CORRECTIONS``.
        cells : flat indices; all if None.

        Returns
        -------
        Whether it was done.
        """
        told = self.told(name)
        if told is None or told.table is None:
            reason = Say.LOOK_FIRST() if told is None else told.said
            return self._nothing(name, reason)
        proposed = told.table
        base = self.base(name)
        if base is not None and bool((proposed.values == base.values).all()):
            return self._nothing(name, Say.AS_IT_IS())
        other = self._other_method(name)
        if other:
            said = Say.ONE_METHOD(other=WORDS[other], what=WORDS[name])
            self.open.error(said)
            return False

        return self._take(name, proposed, cells)

    def fill(self, name: str, points: Sequence[float]) -> bool:
        """Put a curve on other points, by lines between those it has; told if it cannot be.

        Parameters
        ----------
        name : one of ``CORRECTIONS``.
        points : the ECU's own, in its own unit.

        Returns
        -------
        Whether it was done.
        """
        table = self.base(name)
        if table is None or len(table.axes) != 1:
            self._refuse(name, str(Say.ONE_AXIS()))
            return False
        axis = table.axes[0]
        wanted = np.sort(np.asarray(points, float))
        ours = wanted if axis.own is None else axis.own.ours(wanted)
        try:
            placed = Axis(axis.name, axis.unit, ours, axis.own)
            filled = Table((placed,), table.lookup(ours), table.unit, table.name, table.own)
        except TableError as error:
            self._refuse(name, str(error))
            return False
        return self._push(Say.FILL(what=WORDS[name]), name, filled, None)

    def _nothing(self, name: str, reason: Said) -> bool:
        self.open.note(Say.NOTHING(what=WORDS[name], reason=str(reason)))
        return False

    def _other_method(self, name: str) -> str:
        """A table of the other way to make up for the film that is decided in this round, "" for none."""
        current = self.open.round
        others = BY_RATE if name in BY_FILM else BY_FILM if name in BY_RATE else ()
        decided = {} if current is None else current.decisions
        return next((o for o in others if o in decided and decided[o].changed), "")


def name_of(table: Table) -> str:
    """Which of the corrections a table is, by the name it was made with.

    Parameters
    ----------
    table : of a calibration.

    Returns
    -------
    One of ``CORRECTIONS``.
    """
    return next(name for name, kind in KINDS.items() if kind.words == table.name)
