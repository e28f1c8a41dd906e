"""What a round achieved, in one word and one sentence."""

from __future__ import annotations

import math

from lean_trim.core.messages import Message


class Say:
    """Sentences of this module."""

    SAME_TABLE = Message(
        "verdict.same_table",
        "The same table was driven again: {before:.1f}, then {after:.1f} % rms. Nothing was "
        "changed, so the difference is between the drives.",
    )
    UNKNOWN = Message("verdict.unknown", "Drive the new table to see what it did.")
    WORSE = Message(
        "verdict.worse",
        "Worse: {before:.1f} → {after:.1f} % rms. Look at the findings before going on.",
    )
    NO_CHANGE = Message(
        "verdict.no_change",
        "No real change: {before:.1f} → {after:.1f} % rms. More of the same will not help.",
    )
    NOISE_FLOOR = Message(
        "verdict.noise_floor", "Noise floor reached: {after:.1f} % rms. Stop here."
    )
    BETTER = Message("verdict.better", "Better: {before:.1f} → {after:.1f} % rms.")
    GOOD_ENOUGH = Message("verdict.good_enough", " Good enough to stop.")
    GO_ON = Message("verdict.go_on", " Another round will pay.")


NOISE_FLOOR_PCT = 1.5
"""Residual below which another round no longer pays (common practice: ±3 % is the aim for part
throttle)."""
CHANGE_PCT = 0.3
"""Change of the residual, percent, below which two rounds are alike (a choice)."""


def verdict_word(before: float, after: float, written: int) -> str:
    """Compare the residual of a round with that of the drive after it; both in percent rms.

    Parameters
    ----------
    before, after : percent rms; NaN where unknown.
    written : cells that were changed between the two drives. A judgement of nothing would be a
        judgement of the drives.

    Returns
    -------
    "unknown", "same table", "noise floor", "better", "worse" or "no change".
    """
    if not math.isfinite(before) or not math.isfinite(after):
        return "unknown"
    if not written:
        return "same table"
    if after <= NOISE_FLOOR_PCT and abs(after - before) <= CHANGE_PCT:
        return "noise floor"
    if after < before - CHANGE_PCT:
        return "better"
    if after > before + CHANGE_PCT:
        return "worse"
    return "no change"


def verdict_sentence(before: float, after: float, written: int) -> str:
    """The same as advice.

    Parameters
    ----------
    before, after : percent rms; NaN where unknown.
    written : cells that were changed between the two drives.

    Returns
    -------
    One sentence, or two.
    """
    word = verdict_word(before, after, written)
    return {
        "unknown": str(Say.UNKNOWN()),
        "same table": str(Say.SAME_TABLE(before=before, after=after)),
        "better": str(Say.BETTER(before=before, after=after))
        + (str(Say.GOOD_ENOUGH()) if after <= NOISE_FLOOR_PCT else str(Say.GO_ON())),
        "worse": str(Say.WORSE(before=before, after=after)),
        "no change": str(Say.NO_CHANGE(before=before, after=after)),
        "noise floor": str(Say.NOISE_FLOOR(after=after)),
    }[word]
