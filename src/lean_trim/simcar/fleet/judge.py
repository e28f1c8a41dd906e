"""How good a corrected table is on a car's second drive.

Independent of the estimator: it sees tables, what was asked and how sure, and nothing else.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.simcar.fleet.grids import corners
from lean_trim.simcar.fleet.second_drive import States

Array = np.ndarray
FAR_S = 0.3
"""A node no square of which was driven this long is one the drive never came near."""
LEANED = 0.01
"""A node counts as wrongly leaned if it was made leaner, and ended lean, by more than this, and
worse than before."""


@dataclass(frozen=True)
class Figures:
    """Residuals in percent: table over truth less one.

    Attributes
    ----------
    start, asked, written : rms over states the first drive supported, of the old table, of what the
        estimate asks for, and of what was written.
    everywhere, lean : rms and worst lean 1 % of the written table over every state of the second
        drive.
    boost : as ``asked``, above atmospheric pressure; NaN without any.
    leaned : cells nobody drove near that were made leaner and ended lean.
    """

    start: float
    asked: float
    written: float
    everywhere: float
    lean: float
    boost: float
    leaned: int


def judge(
    axes: list[Array],
    old: Array,
    asked: Array,
    written: Array,
    states: States,
    best: Array,
    near_s: Array,
) -> Figures:
    """Judge one round.

    Parameters
    ----------
    axes : points of the table's axes.
    old, asked, written, best : tables of one shape: before, as the estimate asks, as written, and
        right.
    states : of the second drive.
    near_s : seconds the first drive spent near each cell.
    """
    supported = states.supported
    off = {
        name: _read(axes, table, states)
        for name, table in (("o", old), ("a", asked), ("w", written))
    }
    ended = written / best - 1.0
    wrongly = (written / old - 1.0 < -LEANED) & (ended < -LEANED) & (near_s < FAR_S)
    wrongly &= np.abs(ended) > np.abs(old / best - 1.0)
    return Figures(
        start=_rms(off["o"][supported]),
        asked=_rms(off["a"][supported]),
        written=_rms(off["w"][supported]),
        everywhere=_rms(off["w"]),
        lean=100.0 * float(np.percentile(off["w"], 1.0)),
        boost=_rms(off["a"][supported & states.boost]),
        leaned=int(wrongly.sum()),
    )


def errors_in_sigma(asked_pct: Array, error_pct: Array, old: Array, best: Array) -> Array:
    """Error of every cell's correction in its own standard errors; honest ones lie within 2 for 95 %."""
    true_pct = 100.0 * (best / old - 1.0)
    return np.asarray((asked_pct - true_pct) / error_pct)


def _read(axes: list[Array], table: Array, states: States) -> Array:
    if len(axes) == 1:
        return np.asarray(np.interp(states.at[0], axes[0], table) / states.true - 1.0)
    cells, weights = corners(axes[0], axes[1], *states.at)
    return np.asarray((table.ravel()[cells] * weights).sum(axis=1) / states.true - 1.0)


def _rms(off: Array) -> float:
    return 100.0 * float(np.sqrt(np.mean(off**2))) if len(off) else float("nan")
