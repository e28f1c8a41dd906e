"""Readings with times of their own, brought onto the rows of a log.

The one place where slow channels, blanks between readings, channels polled in turn and a row per
reading all come out of: channels that move with the engine are joined by a line between their
readings, others held.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import SENSES
from lean_trim.core.types import Floats, Mask

HOLD_PERIODS = 3.0
"""Age, in its own periods, after which a reading no longer stands for the present."""
SAME_TIME_S = 1e-9
"""Rounding of equal times must not show a reading one row late."""


def place(time_s: Floats, values: Floats, rows_s: Floats, role: Role) -> tuple[Floats, Mask]:
    """A channel on the rows of a log.

    Parameters
    ----------
    time_s : of its readings, rising, s, shape (m,).
    values : the readings, finite, shape (m,).
    rows_s : times of the rows, rising, s, shape (n,).
    role : tells whether it moves with the engine.

    Returns
    -------
    Values on the rows, NaN where no reading is near enough; the rows with a new reading; both (n,).
    """
    if not len(time_s):
        return np.full(len(rows_s), np.nan), np.zeros(len(rows_s), bool)
    row = np.searchsorted(time_s, rows_s + SAME_TIME_S, side="right") - 1
    fresh = (np.diff(row, prepend=-1) > 0) & (row >= 0)
    left = np.maximum(row, 0)
    longest = HOLD_PERIODS * period_s(time_s)
    age = rows_s - time_s[left]
    out = np.where((row >= 0) & (age <= longest), values[left], np.nan)
    if SENSES[role].line:
        right = np.minimum(left + 1, len(time_s) - 1)
        width = time_s[right] - time_s[left]
        share = np.clip(age / np.maximum(width, SAME_TIME_S), 0.0, 1.0)
        # Half an injection never was: between fuel and none a line would invent one.
        joined = (row >= 0) & (right > left) & (width <= longest)
        joined &= (values[left] == 0) == (values[right] == 0)
        out = np.where(joined, (1.0 - share) * values[left] + share * values[right], out)
    return out, fresh


def period_s(time_s: Floats) -> float:
    """Usual time between readings, s.

    Parameters
    ----------
    time_s : rising, s, shape (m,).

    Returns
    -------
    Median step, 0 for a single reading.
    """
    return float(np.median(np.diff(time_s))) if len(time_s) > 1 else 0.0


AS_FAST = 1.5
"""Times the fastest channel's period at which another is still as fast."""


def common_rows(times: Iterable[Floats], lead: Floats | None = None) -> Floats:
    """The times that become the rows of the log: those of the fastest channel, of equals the longest.

    Parameters
    ----------
    times : of each channel's readings, at least two each, s.
    lead : of the channel that is never joined by a line, lambda; preferred where it is about as
        fast, for held onto other rows it would come late.

    Returns
    -------
    One of them.
    """
    fastest = min(times, key=lambda t: (round(period_s(t), 6), -len(t)))
    if lead is not None and len(lead) > 1 and period_s(lead) <= AS_FAST * period_s(fastest):
        return lead
    return fastest
