"""What a round achieved, in one word and one sentence."""

from __future__ import annotations

import math

NOISE_FLOOR_PCT = 1.5
"""Residual below which another round no longer pays (common practice: ±3 % is the aim for part throttle)."""
CHANGE_PCT = 0.3


def verdict_word(before: float, after: float) -> str:
    """Compare the residual of a round with that of the drive after it; both in percent rms."""
    if not math.isfinite(before) or not math.isfinite(after):
        return "unknown"
    if after <= NOISE_FLOOR_PCT and abs(after - before) <= CHANGE_PCT:
        return "noise floor"
    if after < before - CHANGE_PCT:
        return "better"
    if after > before + CHANGE_PCT:
        return "worse"
    return "no change"


def verdict_sentence(before: float, after: float) -> str:
    """The same as advice."""
    word = verdict_word(before, after)
    return {
        "unknown": "Drive the new table to see what it did.",
        "better": f"Better: {before:.1f} → {after:.1f} % rms."
        + (" Good enough to stop." if after <= NOISE_FLOOR_PCT else " Another round will pay."),
        "worse": f"Worse: {before:.1f} → {after:.1f} % rms. Look at the findings before going on.",
        "no change": f"No real change: {before:.1f} → {after:.1f} % rms. More of the same will not help.",
        "noise floor": f"Noise floor reached: {after:.1f} % rms. Stop here.",
    }[word]
