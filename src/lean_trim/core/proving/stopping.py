"""When to stop: by what another round would still write where the engine was driven."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.types import Floats

STOP_PCT = 0.4
"""Step, rms by seconds driven, below which no round paid (trial on simulated cars: of 25 steps below 0.2 %
none, of 34 from 0.2 to 0.5 % two)."""
LAST_PCT = 0.8
"""The same of the step that was written before this drive: a small one after a large one may only be of a
drive over the same places (of 24 chains of rounds one small step stopped 8 too early, two in a row 3)."""
LEAST_S = 0.5
"""Driving from which a cell counts."""
HELD_S = 3.0
STATE_PCT = 3.0
"""A state that was driven for so long and is further off than that forbids to stop."""
BACK_PCT = 1.0
"""What is asked and not written, rms by seconds, from which it is what keeps the table off."""
FLIP_PCT = 0.3
"""Steps and what is asked now below this have no sign."""
LEAST_FLIPS = 8
"""Cells that have to have a sign to say how many flipped."""


@dataclass(frozen=True)
class Stopping:
    """Whether another round pays.

    Attributes
    ----------
    stop : it does not.
    step_pct : what would be written, rms by seconds.
    last_pct : what was written before this drive, the same; NaN for nothing.
    held_pct : what is asked and would not be written, the same.
    off_cells : cells driven for some seconds that are further off than ``STATE_PCT``.
    worst_lean_pct : the leanest of the driven cells, percent of fuel wanting.
    flips : share of the cells whose correction changed sign since the last round; NaN where few have one.
    """

    stop: bool
    step_pct: float
    last_pct: float
    held_pct: float
    off_cells: int
    worst_lean_pct: float
    flips: float

    @property
    def is_held(self) -> bool:
        """True if what is off is held back, which no driving changes."""
        return self.held_pct >= BACK_PCT and self.held_pct > self.step_pct


def stopping(
    step_pct: Floats,
    asked_pct: Floats,
    gap_pct: Floats,
    seconds: Floats,
    written_pct: Floats | None = None,
) -> Stopping:
    """Judge whether another round pays.

    Parameters
    ----------
    step_pct : what this round would write, percent, by cell.
    asked_pct : what is asked, percent; NaN where nothing is known.
    gap_pct : what this drive measured, percent; NaN where it was not.
    seconds : of this drive by cell.
    written_pct : what was written before this drive, percent; None for nothing.

    Returns
    -------
    The judgement.
    """
    step, asked, gap, time = (
        np.asarray(a, float).ravel() for a in (step_pct, asked_pct, gap_pct, seconds)
    )
    driven = (time >= LEAST_S) & np.isfinite(step)
    if not driven.any():
        nan = float("nan")
        return Stopping(False, nan, nan, nan, 0, nan, nan)
    size = _rms(step[driven], time[driven])
    last = float("nan")
    if written_pct is not None:
        last = _rms(np.asarray(written_pct, float).ravel()[driven], time[driven])
    back = np.nan_to_num(asked - step)[driven]
    # Less fuel that is not taken out, or more that is not added: either way it stays off.
    held = _rms(back, time[driven])
    lasting = (time >= HELD_S) & np.isfinite(gap)
    off = int(np.sum(np.abs(gap[lasting]) > STATE_PCT))
    known = driven & np.isfinite(gap)
    lean = float(gap[known].max()) if known.any() else float("nan")
    return Stopping(
        stop=size < STOP_PCT and last < LAST_PCT and off == 0,
        step_pct=size,
        last_pct=last,
        held_pct=held,
        off_cells=off,
        worst_lean_pct=lean,
        flips=_flips(asked[driven], written_pct, driven),
    )


def _rms(values: Floats, weight: Floats) -> float:
    return float(np.sqrt(np.average(values**2, weights=weight)))


def _flips(asked: Floats, written_pct: Floats | None, driven: np.ndarray) -> float:
    if written_pct is None:
        return float("nan")
    before = np.asarray(written_pct, float).ravel()[driven]
    signed = (np.abs(before) >= FLIP_PCT) & (np.abs(np.nan_to_num(asked)) >= FLIP_PCT)
    if signed.sum() < LEAST_FLIPS:
        return float("nan")
    return float(np.mean(np.sign(before[signed]) != np.sign(asked[signed])))
