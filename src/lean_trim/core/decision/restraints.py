"""What a drive says beside its estimate: cells that must not get leaner, and what all get at least."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trim.core.decision.knock import KnockReadings
from lean_trim.core.estimation.edge_nodes import Gaps
from lean_trim.core.types import Floats, Mask


@dataclass(frozen=True, eq=False)
class Restraints:
    """What speaks on a proposal beside the estimate; arrays have the table's shape.

    Attributes
    ----------
    knock : cells in which knock was seen; nothing is taken out of them.
    knock_at : readings at which it was seen; none of them gets leaner, whatever their cells do.
    fault : the same for a fault of the fuel supply, or a pattern that is not settled.
    least_pct : least step of every cell, percent; minus infinity where nothing is said. Feedback
        at its stop has shown that so much more is needed everywhere it was.
    gaps : how near driving came to each node; one that is read from one side only is leaned hardly
        more than the driven one beside it. None where nothing is said.
    ceiling_pct : largest step of each cell until the fuel supply is known to be sound; None where
        its pressure was logged.
    unproven : cells in which fuel may not have arrived: what the table itself needs is written
        where that is richer, and said to be not proven.
    not_in_force : of a blended ECU, cells the drive was in while the other airflow table was in force;
        None of an ECU with one. Such a table changes nowhere but where it was in force.
    richer_pct : what full throttle and boost get beyond the drive's mean, percent, >= 0: the fuel's
        need drifted, and there the table is for its richer end.
    """

    knock: Mask
    fault: Mask
    least_pct: Floats
    unproven: Mask
    gaps: Gaps | None = None
    ceiling_pct: Floats | None = None
    knock_at: KnockReadings | None = None
    richer_pct: float = 0.0
    not_in_force: Mask | None = None

    def plus(self, other: Restraints) -> Restraints:
        """What two drives say together."""
        return Restraints(
            knock=self.knock | other.knock,
            fault=self.fault | other.fault,
            least_pct=np.maximum(self.least_pct, other.least_pct),
            unproven=self.unproven | other.unproven,
            knock_at=other.knock_at
            if self.knock_at is None or other.knock_at is None
            else self.knock_at.plus(other.knock_at),
            gaps=other.gaps
            if self.gaps is None or other.gaps is None
            else self.gaps.plus(other.gaps),
            richer_pct=max(self.richer_pct, other.richer_pct),
            not_in_force=other.not_in_force
            if self.not_in_force is None or other.not_in_force is None
            else self.not_in_force | other.not_in_force,
        )


def no_restraints(shape: Sequence[int]) -> Restraints:
    """None at all.

    Parameters
    ----------
    shape : of the table.

    Returns
    -------
    In that shape.
    """
    return Restraints(
        knock=np.zeros(shape, bool),
        fault=np.zeros(shape, bool),
        least_pct=np.full(shape, -np.inf),
        unproven=np.zeros(shape, bool),
    )
