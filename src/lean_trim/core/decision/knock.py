"""Cells in which something was seen that forbids taking fuel out of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.estimation.cell_evidence import MIN_SHARE
from lean_trim.core.sieve.sieve import RULE_BITS, Sifted
from lean_trim.core.types import Floats, Ints, Mask


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


LEANEST_PCT = 0.3
"""Most by which the mixture may get leaner where knock was seen, percent: what a field rounds
away."""
MOST_READINGS = 4000
"""Readings kept; of more only every second, third … counts."""


@dataclass(frozen=True, eq=False)
class KnockReadings:
    """Which cells were read, and with what weights, where knock was seen; (m, corners) each."""

    cells: Ints
    weights: Floats

    def plus(self, other: KnockReadings) -> KnockReadings:
        """Those of two logs."""
        return KnockReadings(
            np.concatenate([self.cells, other.cells]), np.concatenate([self.weights, other.weights])
        )


def knock_readings(sifted: Sifted) -> KnockReadings:
    """Every reading of the table at which knock retard was active; none where its rule is off."""
    mesh = sifted.conditions.motion.frame.mesh
    if "knock" in sifted.settings.disabled:
        return KnockReadings(mesh.cells[:0], mesh.weights[:0])
    at = np.flatnonzero((sifted.hit_bits & RULE_BITS["knock"]) != 0)
    at = at[:: max(1, -(-len(at) // MOST_READINGS))]
    return KnockReadings(mesh.cells[at], mesh.weights[at])


def no_leaner_where_read(step: Floats, values: Floats, knock: KnockReadings) -> Floats:
    """Steps under which no reading with knock gets leaner.

    Cells that share little in a reading may be leaned for themselves; together they must not make it
    leaner than a field rounds away.

    Parameters
    ----------
    step : of every cell, percent.
    values : of the table, in the shape of ``step``.
    knock : readings with knock.

    Returns
    -------
    The same or richer steps.
    """
    out = step.ravel().copy()
    flat = values.ravel()
    share = knock.weights * flat[knock.cells]
    share = share / np.maximum(share.sum(axis=1, keepdims=True), 1e-12)
    for _ in range(MOST_ROUNDS):
        change = (share * out[knock.cells]).sum(axis=1)
        bad = change < -LEANEST_PCT
        if not bad.any():
            break
        # What leans in those readings is drawn back by as much as the worst of them needs.
        less = np.minimum(out[knock.cells[bad]], 0.0)
        down = (share[bad] * less).sum(axis=1)
        keep = np.clip(
            1.0 - (-change[bad] - 0.5 * LEANEST_PCT) / np.maximum(-down, 1e-12), 0.0, 1.0
        )
        factor = np.ones(len(out))
        np.minimum.at(factor, knock.cells[bad].ravel(), np.repeat(keep, share.shape[1]))
        out = np.where(out < 0.0, out * factor, out)
    return out.reshape(step.shape)


MOST_ROUNDS = 8
"""Passes at most; one nearly always does."""


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
