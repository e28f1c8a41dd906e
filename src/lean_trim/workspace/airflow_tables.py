"""Which of several airflow tables is under correction: one for the whole job, kept with it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.drive.layers import layer_shares
from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Floats
from lean_trim.workspace.navigation import Navigation
from lean_trim.workspace.open_job import OpenJob
from lean_trim.workspace.saving import Saving
from lean_trim.workspace.solving import Solver

IN_FORCE = 0.95
"""Share of a table from which it counts as in force alone (as the rule of the sieve has it)."""


class Say:
    """What is said of several airflow tables."""

    NOT_TOLD = Message("airflow_tables.not_told", "{order}, then a drive with all.")
    TOLD = Message(
        "airflow_tables.told",
        "In force: {parts} of the drive. In this order, then a drive with all.",
    )
    PART = Message("airflow_tables.part", "{words} {pct:.0f} %")
    BETWEEN = Message("airflow_tables.between", "between them {pct:.0f} %")
    NEVER = Message(
        "airflow_tables.never",
        "The {own} was not in force in this drive: it stays as it is. {others}.",
    )


@dataclass(frozen=True)
class AirflowTable:
    """One of several: its name in the calibration, what it is called, whether cells of it are decided."""

    name: str
    words: str
    decided: bool


class AirflowTables:
    """Turns the job from one airflow table to another; keeps nothing."""

    def __init__(
        self, open_job: OpenJob, saving: Saving, navigation: Navigation, solver: Solver
    ) -> None:
        self.open = open_job
        self.saving = saving
        self.navigation = navigation
        self.solver = solver

    @property
    def tables(self) -> tuple[AirflowTable, ...]:
        """All tables of the shown round in the order of work; none of an ECU with one."""
        current = self.open.round
        job = self.open.job
        if current is None or job is None or len(job.vehicle.airflow_tables) < 2:
            return ()
        return tuple(
            AirflowTable(
                name=name,
                words=job.vehicle.seen_by(name).table_title,
                decided=name in current.decisions and current.decisions[name].changed > 0,
            )
            for name in job.vehicle.airflow_tables
        )

    @property
    def said(self) -> Said | None:
        """Which was in force how long, and the order of work; None of an ECU with one table."""
        found = self.tables
        current = self.open.round
        if not found or current is None:
            return None
        shares = self._shares()
        if shares is None:
            order = ", then ".join(f"the {t.words}" for t in found)
            return Say.NOT_TOLD(order=order[:1].upper() + order[1:])
        pcts = {t.name: 100.0 * float(np.mean(shares[t.name] >= IN_FORCE)) for t in found}
        own = next(t for t in found if t.name == current.subject)
        parts = [str(Say.PART(words=t.words, pct=pcts[t.name])) for t in found]
        between = 100.0 - sum(pcts.values())
        used = 100.0 * float(np.mean(shares[own.name] > 0.0))
        if used < 1.0:
            others = ", ".join(
                str(Say.PART(words=t.words, pct=pcts[t.name])) for t in found if t is not own
            )
            return Say.NEVER(own=own.words, others=others)
        if between >= 1.0:
            parts.append(str(Say.BETWEEN(pct=between)))
        return Say.TOLD(parts=", ".join(parts))

    def _shares(self) -> dict[str, Floats] | None:
        """Share of each table along the drive; None where nothing was worked out."""
        solution = self.solver.solution or self.solver.leftover
        if solution is None:
            return None
        prepared = solution.prepared
        vehicle = prepared.frame.vehicle
        if vehicle.layers:
            return layer_shares(prepared.frame.log, vehicle)
        share = prepared.conditions.airflow_source.share
        other = next(name for name in vehicle.airflow_tables if name != vehicle.table_name)
        return {vehicle.table_name: share, other: 1.0 - share}

    def turn_to(self, name: str) -> bool:
        """Put one of the tables under correction; all decisions stay as they are.

        Parameters
        ----------
        name : in the calibration.

        Returns
        -------
        Whether the job looks at that table now.
        """
        current = self.open.round
        if current is None or name not in {table.name for table in self.tables}:
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
        """Put the next one under correction, after the last the first again."""
        current = self.open.round
        names = [table.name for table in self.tables]
        if current is None or not names:
            return False
        return self.turn_to(names[(names.index(current.subject) + 1) % len(names)])

    def _keep(self, name: str) -> None:
        self.open.commit(lambda store: store.save_subject(name))
