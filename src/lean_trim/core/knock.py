"""Cells in which knock was seen; no fuel may be taken out of them."""

from __future__ import annotations

import numpy as np

from .channels import Role
from .evidence import MIN_SHARE
from .frame import Frame
from .physics import Mask

MIN_RETARD_DEG = 0.2


def knock_cells(frame: Frame) -> Mask:
    """Cells read with a share of at least 20 % while knock retard was active, in the table's shape.

    Every sample counts, also those the sieve leaves out. All False where knock retard was not logged.
    """
    table = frame.vehicle.table
    seen = np.zeros(table.size, bool)
    active = frame.log.get(Role.KNOCK, 0.0) > MIN_RETARD_DEG
    mesh = frame.mesh
    seen[mesh.cells[active][mesh.weights[active] >= MIN_SHARE]] = True
    return seen.reshape(table.shape)
