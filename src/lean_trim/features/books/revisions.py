"""Any two states of the calibration beside each other: what differs, table by table."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.data.calibration import Calibration
from lean_trim.core.data.tables import Table
from lean_trim.core.types import Floats, Mask
from lean_trim.job.records import Job


@dataclass(frozen=True, eq=False)
class State:
    """A calibration as it was driven, or as it is decided.

    Attributes
    ----------
    words : for people.
    calibration : every table of it.
    """

    words: str
    calibration: Calibration


@dataclass(frozen=True, eq=False)
class Difference:
    """One table in two states.

    Attributes
    ----------
    name : of the table.
    before, after : None where a state has no such table.
    """

    name: str
    before: Table | None
    after: Table | None

    @property
    def comparable(self) -> bool:
        """True if cell stands beside cell."""
        return (
            self.before is not None and self.after is not None and self.before.same_axes(self.after)
        )

    @property
    def changed(self) -> Mask:
        """Cells that differ, in the later table's shape; all where cell does not stand beside cell."""
        shown = self.after if self.after is not None else self.before
        assert shown is not None
        if not self.comparable or self.before is None or self.after is None:
            return np.ones(shown.shape, bool)
        return np.asarray(self.before.values != self.after.values)

    @property
    def change_pct(self) -> Floats:
        """Of every cell, percent; NaN where cell does not stand beside cell."""
        shown = self.after if self.after is not None else self.before
        assert shown is not None
        if not self.comparable or self.before is None or self.after is None:
            return np.full(shown.shape, np.nan)
        return np.asarray(100.0 * (self.after.values / self.before.values - 1.0))

    @property
    def words(self) -> str:
        """The table and how much of it differs."""
        if self.before is None:
            return f"{self.name}: only in the second"
        if self.after is None:
            return f"{self.name}: only in the first"
        if not self.comparable:
            return f"{self.name}: other breakpoints"
        count = int(self.changed.sum())
        return f"{self.name}: {count} cell{'s' if count != 1 else ''}"


def states_of(job: Job) -> tuple[State, ...]:
    """Every state a job knows, in the order they came to be.

    Parameters
    ----------
    job : with its rounds.

    Returns
    -------
    The base first: nothing ever changes that.
    """
    out = []
    for place, r in enumerate(job.rounds):
        base = ": the base" if place == 0 else ""
        out.append(State(f"Round {r.number} as driven{base}", r.revision.calibration))
        if r.changed or r.decisions:
            out.append(State(f"Round {r.number} as decided", r.resulting_calibration))
    return tuple(out)


def differences(before: Calibration, after: Calibration) -> tuple[Difference, ...]:
    """Tables that differ between two calibrations.

    Parameters
    ----------
    before, after : two states.

    Returns
    -------
    By name, in the order of the later one; none where they are the same.
    """
    names = dict.fromkeys([*after.tables, *before.tables])
    found = [Difference(n, before.tables.get(n), after.tables.get(n)) for n in names]
    return tuple(d for d in found if d.changed.any())
