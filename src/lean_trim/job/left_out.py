"""Stretches the user left out, as samples of a joined log."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.joining import join_logs
from lean_trim.core.data.log import Log
from lean_trim.core.types import Mask
from lean_trim.job.records import Round, Span


def left_out_of(rounds: tuple[Round, ...]) -> Mask | None:
    """Samples of the rounds' joined logs that were left out by hand, (n,); None if there are none.

    Parameters
    ----------
    rounds : whose logs are solved together, in that order.

    Returns
    -------
    True for samples to leave out, or None.
    """
    if not any(r.left_out for r in rounds):
        return None
    return np.concatenate([_left_out(join_logs(r.logs), r.left_out) for r in rounds])


def _left_out(log: Log, spans: tuple[Span, ...]) -> Mask:
    out = np.zeros(len(log), bool)
    for span in spans:
        out |= (log.time_s >= span.start_s) & (log.time_s <= span.end_s)
    return out
