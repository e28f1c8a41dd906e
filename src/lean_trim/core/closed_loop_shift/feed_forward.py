"""Fuel fed forward beside a shifted target, so that the long-term trim does not learn the shift away.

References
----------
Start at about 40 % of the noted trim and raise it until trims settle at zero: common practice, no source.
"""

from __future__ import annotations

import numpy as np

from lean_trim.core.types import Floats

START_SHARE = 0.4
SETTLED_PCT = 2.0
"""A trim below this has settled."""
MOST_PCT = (-30.0, 60.0)


def first_feed_forward(trim_pct: Floats) -> Floats:
    """Where the feed-forward begins: the whole trim at once overshoots rich.

    Parameters
    ----------
    trim_pct : the loop needed while the shift was measured, any shape; NaN where nothing is shifted.

    Returns
    -------
    Percent, same shape.
    """
    return START_SHARE * trim_pct


def next_feed_forward(feed_forward_pct: Floats, trim_pct: Floats) -> Floats:
    """The feed-forward that takes the remaining trims over.

    Parameters
    ----------
    feed_forward_pct : as driven, any shape.
    trim_pct : that remained with it, the product of short and long term; NaN where it was not driven.

    Returns
    -------
    (1 + ff)(1 + trim) - 1 in percent where it was driven, never beyond ``MOST_PCT``; elsewhere as before.
    """
    factor = (1.0 + feed_forward_pct / 100.0) * (1.0 + trim_pct / 100.0)
    taken = np.clip(100.0 * (factor - 1.0), *MOST_PCT)
    return np.where(np.isfinite(trim_pct), taken, feed_forward_pct)


def has_settled(trim_pct: Floats) -> bool:
    """Whether all trims that are known are small; False where none is known."""
    known = trim_pct[np.isfinite(trim_pct)]
    return bool(len(known)) and bool(np.all(np.abs(known) < SETTLED_PCT))
