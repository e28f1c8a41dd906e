"""Blanks of a log that writes a channel only where it changed: the last reading holds."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from lean_trim.core.messages import Message
from lean_trim.core.types import Floats
from lean_trim.formats.decode.columns import RawColumns


class Say:
    """Sentences of this module."""

    HELD = Message(
        "held.held", "only changes are written; a blank cell stands for the reading before it"
    )


LEAST_READINGS = 20
"""Readings of a column from which it shows how it is written."""
LEAST_COLUMNS = 2
MOST_REPEATS = 0.05
"""Share of readings that say again what the one before said, in a column that holds changes only."""
UNEVEN = 0.5
"""Spread of the gaps between readings over their mean; a channel that is polled comes evenly."""
SEEN_BLANK = 0.02


def held_between_changes(raw: RawColumns) -> RawColumns:
    """The columns with blanks filled, where all of them are written on change.

    Parameters
    ----------
    raw : a table; a log whose channels have times of their own is left as it is.

    Returns
    -------
    The same where nothing speaks for it.
    """
    blank = {i: v for i, v in raw.values.items() if _has_blanks(v)}
    if raw.times or len(blank) < LEAST_COLUMNS:
        return raw
    judged = [_on_change(v) for v in blank.values() if np.isfinite(v).sum() >= LEAST_READINGS]
    if len(judged) < LEAST_COLUMNS or not all(judged):
        return raw
    filled = {i: _held(v) for i, v in blank.items()}
    return replace(raw, values={**raw.values, **filled}, notes=(*raw.notes, str(Say.HELD())))


def _has_blanks(values: Floats) -> bool:
    known = np.count_nonzero(np.isfinite(values))
    return bool(0 < known < (1.0 - SEEN_BLANK) * len(values))


def _on_change(values: Floats) -> bool:
    at = np.flatnonzero(np.isfinite(values))
    repeats = float(np.mean(np.diff(values[at]) == 0.0))
    gaps = np.diff(at)
    # A channel that is polled has less than every other row.
    uneven = float(gaps.std()) > UNEVEN * float(gaps.mean()) or len(at) > 0.5 * len(values)
    return repeats <= MOST_REPEATS and uneven


def _held(values: Floats) -> Floats:
    """Each blank by the last reading; those before the first stay blank."""
    last = np.maximum.accumulate(np.where(np.isfinite(values), np.arange(len(values)), -1))
    return np.where(last >= 0, values[np.maximum(last, 0)], np.nan)
