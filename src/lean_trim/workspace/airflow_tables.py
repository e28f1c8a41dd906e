"""Which of two airflow tables of a blended ECU is under correction: one for the whole job, kept with it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.calibration import AIRFLOW_TABLES
from lean_trim.core.data.table_kinds import table_words
from lean_trim.core.messages import Message, Said
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver

IN_FORCE = 0.95
"""Share of a table from which it counts as in force alone (as the rule of the sieve has it)."""
ORDER = ("maf", "ve")
"""The order of work (common practice, no source): the curve first, for most of the driving is on it."""


class Say:
    """What is said of two airflow tables."""

    NOT_TOLD = Message(
        "airflow_tables.not_told", "First the {first}, then the {second}, then a drive with both."
    )
    TOLD = Message(
        "airflow_tables.told",
        "{first} in force {first_pct:.0f} %, {second} {second_pct:.0f} % of the drive. In this order, then a "
        "drive with both.",
    )
    NEVER = Message(
        "airflow_tables.never",
        "The {own} was not in force in this drive: it stays as it is. The {other} was, {other_pct:.0f} % "
        "of it.",
    )


@dataclass(frozen=True)
class AirflowTable:
    """One of two: its name in the calibration, what it is called, whether cells of it are decided."""

    name: str
    words: str
    decided: bool


class AirflowTables:
    """Turns the job from one airflow table to the other; keeps nothing."""

    def __init__(
        self, open_job: OpenJob, saving: Saving, navigation: Navigation, solver: Solver
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.navigation = navigation
        self.solver = solver

    @property
    def tables(self) -> tuple[AirflowTable, ...]:
        """Both tables of the shown round in the order of work; none of an ECU with one."""
        current = self.open.round
        job = self.open.job
        if current is None or job is None or job.vehicle.other is None:
            return ()
        calibration = current.revision.calibration
        return tuple(
            AirflowTable(
                name=name,
                words=table_words(calibration[name]),
                decided=name in current.decisions and current.decisions[name].changed > 0,
            )
            for name in ORDER
        )

    @property
    def said(self) -> Said | None:
        """Which was in force how long, and the order of work; None of an ECU with one table."""
        found = self.tables
        current = self.open.round
        if not found or current is None:
            return None
        first, second = (t.words for t in found)
        own, other = (first, second) if current.subject == found[0].name else (second, first)
        source = self._share
        if source is None:
            return Say.NOT_TOLD(first=first, second=second)
        own_pct = 100.0 * float(np.mean(source >= IN_FORCE))
        other_pct = 100.0 * float(np.mean(source <= 1.0 - IN_FORCE))
        if own_pct < 1.0:
            return Say.NEVER(own=own, other=other, other_pct=other_pct)
        pcts = (own_pct, other_pct) if own == first else (other_pct, own_pct)
        return Say.TOLD(first=first, first_pct=pcts[0], second=second, second_pct=pcts[1])

    @property
    def _share(self) -> np.ndarray | None:
        solution = self.solver.solution
        leftover = self.solver.leftover
        if solution is not None:
            return solution.prepared.conditions.airflow_source.share
        return None if leftover is None else leftover.prepared.conditions.airflow_source.share

    def turn_to(self, name: str) -> bool:
        """Put one of the two under correction; both decisions stay as they are.

        Parameters
        ----------
        name : "ve" or "maf".

        Returns
        -------
        Whether the job looks at that table now.
        """
        current = self.open.round
        if name not in AIRFLOW_TABLES or current is None or not self.tables:
            return False
        if name == current.subject:
            return True
        # A job that can only be looked at is looked at by either table; nothing is kept of that.
        if not self.open.read_only and not self.saving.attempt(lambda: self._keep(name)):
            return False
        self.open.take_subject(name)
        self.navigation.show_round(self.open.index)
        return True

    def turn_over(self) -> bool:
        """Put the other one under correction."""
        current = self.open.round
        other = next((t.name for t in self.tables if current and t.name != current.subject), "")
        return self.turn_to(other)

    def _keep(self, name: str) -> None:
        self.open.commit(lambda store: store.save_subject(name))
