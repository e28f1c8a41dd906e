"""Cells of the table a running drive has been in, and where it is now."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import coordinates
from lean_trim.core.errors import LogError
from lean_trim.core.types import Floats

LOOK_S = 0.2
"""How often the place is worked out: a passenger sees no more, and readings come by the hundred."""
LONGEST_STEP_S = 1.0
"""Between two looks; what lies further apart was not seen."""


class Visits:
    """Counts seconds by cell.

    Parameters
    ----------
    vehicle : whose table is driven.

    Attributes
    ----------
    seconds : by cell, in the table's shape.
    here : indices of the cell the engine is in; None while that is not known.
    """

    def __init__(self, vehicle: Vehicle) -> None:
        self.vehicle = vehicle
        axes = [a.points for a in vehicle.table.axes]
        self._edges = [0.5 * (points[1:] + points[:-1]) for points in axes]
        self.seconds: Floats = np.zeros(vehicle.table.shape)
        self.here: tuple[int, ...] | None = None
        self._last_s = -np.inf

    def take(self, time_s: float, values: Mapping[Role, float]) -> None:
        """Take where the engine is.

        Parameters
        ----------
        time_s : by the session's clock.
        values : newest reading by role.
        """
        step_s = time_s - self._last_s
        if step_s < LOOK_S:
            return
        self._last_s = time_s
        self.here = self._cell(values)
        if self.here is not None and step_s <= LONGEST_STEP_S:
            self.seconds[self.here] += step_s

    def _cell(self, values: Mapping[Role, float]) -> tuple[int, ...] | None:
        """By the same road as a log's rows, so that a cell is a cell."""
        moment = Log(np.array([0.0, LOOK_S]), {r: np.full(2, v) for r, v in values.items()})
        try:
            place = [float(x[0]) for x in coordinates(moment, self.vehicle)]
        except LogError:
            return None
        if not np.isfinite(place).all():
            return None
        return tuple(int(np.searchsorted(e, x)) for e, x in zip(self._edges, place, strict=True))
