"""Two drives compared, in one word and one sentence, and whether there is enough to say so.

Two drives are compared in the cells that both visited. Of little driving, of few such cells, or of a log
that is in doubt there is no verdict: a figure from one cell reads like a result and is none.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trim.core.messages import Message, Said
from lean_trim.core.types import Floats


class Say:
    """Sentences of this module."""

    SAME_TABLE = Message(
        "verdict.same_table",
        "The same table was driven again: {before:.1f}, then {after:.1f} % rms in {cells} common "
        "cells. Nothing was changed, so the difference is between the drives.",
    )
    WORSE = Message(
        "verdict.worse",
        "Worse: {before:.1f} → {after:.1f} % rms in {cells} common cells. Look at the findings "
        "before going on.",
    )
    NO_CHANGE = Message(
        "verdict.no_change",
        "No real change: {before:.1f} → {after:.1f} % rms in {cells} common cells. More of the "
        "same will not help.",
    )
    NOISE_FLOOR = Message(
        "verdict.noise_floor", "Noise floor reached: {after:.1f} % rms in {cells} common cells."
    )
    BETTER = Message(
        "verdict.better", "Better: {before:.1f} → {after:.1f} % rms in {cells} common cells."
    )
    LITTLE = Message(
        "verdict.little",
        "No verdict: {seconds:.0f} s of the drive {which} could be used; {needed:.0f} s are needed.",
    )
    FEW = Message(
        "verdict.few",
        "No verdict: the two drives have {cells} of the table's {what} in common; {needed} are "
        "needed.",
    )
    DOUBTED = Message(
        "verdict.doubted",
        "No verdict: what speaks against the drive {which} has to be settled first.",
    )
    OTHER_GRID = Message(
        "verdict.other_grid", "No verdict: the two drives were made on tables of other axes."
    )
    NOT_KEPT = Message(
        "verdict.not_kept",
        "No verdict: one of the two drives was judged by a version that kept no cells. Look at "
        "its round and judge it anew.",
    )


NOISE_FLOOR_PCT = 1.5
"""Residual below which another round no longer pays (common practice: ±3 % is the aim for part
throttle)."""
CHANGE_PCT = 0.3
"""Change of the residual, percent, below which two rounds are alike (a choice)."""
LEAST_USED_S = 60.0
"""Used driving below which a drive is compared with nothing, s (a choice)."""
LEAST_CELLS = 10
"""Fewest cells of a grid that both drives visited (a choice)."""
LEAST_SHARE = 1.0 / 3.0
"""Share of a curve's points, or of a grid too small for ten cells, that both have to have visited."""
UNJUDGED = "no verdict"


@dataclass(frozen=True, eq=False)
class DrivenCells:
    """What a drive showed by cell.

    Attributes
    ----------
    gap_pct : k - 1 by cell, flat, percent; NaN where it was not visited.
    seconds : used driving nearest to each cell, flat.
    is_curve : whether the table is a curve.
    doubted : whether something speaks against the drive as a whole.
    """

    gap_pct: Floats
    seconds: Floats
    is_curve: bool
    doubted: bool = False

    @property
    def used_s(self) -> float:
        """Used driving in all, s."""
        return float(self.seconds.sum())

    @property
    def least_common(self) -> int:
        """How many of its cells another drive has to have visited as well."""
        share = int(np.ceil(LEAST_SHARE * len(self.gap_pct)))
        return share if self.is_curve else min(LEAST_CELLS, share)


@dataclass(frozen=True)
class RoundVerdict:
    """Two drives compared.

    Attributes
    ----------
    word : "better", "worse", "no change", "noise floor", "same table" or "no verdict".
    before, after : percent rms in the cells both visited; NaN where they are not compared.
    cells : how many those are.
    said : the same as advice.
    """

    word: str
    before: float
    after: float
    cells: int
    said: str


def compare(before: DrivenCells | None, after: DrivenCells | None, written: int) -> RoundVerdict:
    """Compare a round's drive with the one after it.

    Parameters
    ----------
    before, after : what either showed by cell, None where that was not kept.
    written : cells that were changed between the two drives. A judgement of nothing would be a
        judgement of the drives.

    Returns
    -------
    The comparison, or why there is none.
    """
    if before is None or after is None:
        return _none(Say.NOT_KEPT())
    held = _held(before, after)
    if held is not None:
        return held
    common = np.isfinite(before.gap_pct) & np.isfinite(after.gap_pct)
    count = int(common.sum())
    needed = after.least_common
    if count < needed:
        what = "points" if after.is_curve else "cells"
        return _none(Say.FEW(cells=count, what=what, needed=needed), count)
    was, now = (float(np.sqrt(np.mean(drive.gap_pct[common] ** 2))) for drive in (before, after))
    word = _word(was, now, written)
    return RoundVerdict(word, was, now, count, _sentence(word, was, now, count))


def _held(before: DrivenCells, after: DrivenCells) -> RoundVerdict | None:
    """What keeps two drives from being compared at all."""
    for drive, which in ((before, "before"), (after, "after")):
        if drive.doubted:
            return _none(Say.DOUBTED(which=which))
    if len(before.gap_pct) != len(after.gap_pct):
        return _none(Say.OTHER_GRID())
    for drive, which in ((before, "before"), (after, "after")):
        if drive.used_s < LEAST_USED_S:
            return _none(Say.LITTLE(seconds=drive.used_s, which=which, needed=LEAST_USED_S))
    return None


def _none(said: Said, cells: int = 0) -> RoundVerdict:
    return RoundVerdict(UNJUDGED, np.nan, np.nan, cells, str(said))


def _word(before: float, after: float, written: int) -> str:
    if not written:
        return "same table"
    if after <= NOISE_FLOOR_PCT and abs(after - before) <= CHANGE_PCT:
        return "noise floor"
    if after < before - CHANGE_PCT:
        return "better"
    return "worse" if after > before + CHANGE_PCT else "no change"


def _sentence(word: str, before: float, after: float, cells: int) -> str:
    messages = {
        "same table": Say.SAME_TABLE,
        "better": Say.BETTER,
        "worse": Say.WORSE,
        "no change": Say.NO_CHANGE,
        "noise floor": Say.NOISE_FLOOR,
    }
    # Whether another round pays is told in one place, by the proof.
    return str(messages[word](before=before, after=after, cells=cells))
