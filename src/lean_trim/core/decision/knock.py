"""Cells in which something was seen that forbids taking fuel out of them."""

from __future__ import annotations

import numpy as np

from lean_trim.core.estimation.cell_evidence import MIN_SHARE
from lean_trim.core.sieve.sieve import RULE_BITS, Sifted
from lean_trim.core.types import Mask


def knock_cells(sifted: Sifted, even_if_off: bool = False) -> Mask:
    """Cells read with a share of at least 20 % while knock retard was active, in the table's shape.

    Every sample counts, also those the sieve leaves out. All False where knock retard was not
    logged, or where its rule is off unless asked ``even_if_off``.

    Parameters
    ----------
    sifted : result of the sieve.
    even_if_off : also where the user switched the rule off.

    Returns
    -------
    Cells nothing may be taken out of.
    """
    return _marked(sifted, "knock", even_if_off)


def sagging_cells(sifted: Sifted) -> Mask:
    """The same for fuel pressure below its rated value: the fault has to be mended before anything is leaner.

    Returns cells nothing may be taken out of.
    """
    return _marked(sifted, "sag", False)


def _marked(sifted: Sifted, rule: str, even_if_off: bool) -> Mask:
    frame = sifted.conditions.motion.frame
    table = frame.vehicle.table
    seen = np.zeros(frame.vehicle.table.size, bool)
    if even_if_off or rule not in sifted.settings.disabled:
        active = (sifted.hit_bits & RULE_BITS[rule]) != 0
        seen[frame.mesh.cells[active][frame.mesh.weights[active] >= MIN_SHARE]] = True
    return seen.reshape(table.shape)
