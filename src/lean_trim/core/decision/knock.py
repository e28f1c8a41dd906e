"""Cells in which knock was seen; no fuel may be taken out of them."""

from __future__ import annotations

import numpy as np

from lean_trim.core.estimation.evidence import MIN_SHARE
from lean_trim.core.sieve.sieve import RULE_BITS, Sifted
from lean_trim.core.types import Mask


def knock_cells(sifted: Sifted, even_if_off: bool = False) -> Mask:
    """Cells read with a share of at least 20 % while knock retard was active, in the table's shape.

    Every sample counts, also those the sieve leaves out. All False where knock retard was not logged, or
    where its rule is off unless asked ``even_if_off``.

    Parameters
    ----------
    sifted : result of the sieve.
    even_if_off : also where the user switched the rule off.

    Returns
    -------
    Cells nothing may be taken out of.
    """
    frame = sifted.conditions.motion.frame
    table = frame.vehicle.table
    seen = np.zeros(frame.vehicle.table.size, bool)
    if even_if_off or "knock" not in sifted.settings.disabled:
        active = (sifted.hit_bits & RULE_BITS["knock"]) != 0
        seen[frame.mesh.cells[active][frame.mesh.weights[active] >= MIN_SHARE]] = True
    return seen.reshape(table.shape)
