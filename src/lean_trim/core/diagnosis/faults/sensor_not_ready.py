"""A lambda sensor that says nothing true in the first seconds or minutes after the start."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

USUAL_S = 30.0
"""A heater takes this long at most (common practice, no source)."""
MOSTLY = 0.95
"""Share of the fuelled readings that stand at an end while it is not ready."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "sensor_not_ready.seen",
        "The lambda sensor stood at its end ({lam:.2f}) for the first {seconds:.0f} s of running: "
        "it was not heated, or still drying.",
    )
    EFFECT = Message(
        "sensor_not_ready.effect",
        "Feedback that believed it has trimmed the wrong way; long-term trims learnt then take "
        "minutes to go back.",
    )
    NEXT = Message(
        "sensor_not_ready.next",
        "Switch the sensor on before the start, look at its heater and its fuse, and reset the "
        "trims.",
    )


def _seen(conditions: Conditions) -> Seen | None:
    frame = conditions.frame
    log = frame.log
    if frame.lambda_of_loop:
        return None
    out = np.zeros(len(log), bool)
    lam = log[Role.LAMBDA]
    low, high = conditions.motion.sensor_ends
    fuelled = ~np.isin(conditions.regime, (Regime.STOPPED, Regime.OVERRUN)) & np.isfinite(lam)
    begins = [0, *np.searchsorted(log.time_s, log.joints_s).tolist(), len(log)]
    for begin, end in pairwise(begins):
        here = np.flatnonzero(fuelled[begin:end]) + begin
        if not len(here):
            continue
        at_end = (lam[here] >= high) | (lam[here] <= low)
        # How far it stays at an end, whatever single readings say.
        share = np.cumsum(at_end) / np.arange(1, len(here) + 1)
        last = np.flatnonzero(at_end & (share >= MOSTLY))
        if at_end[0] and len(last):
            out[here[: last[-1] + 1]] = True
    if not out.any():
        return None
    seconds = float(log.durations_s[out].sum())
    return Seen(out, {"lam": float(np.median(lam[out]))}, seconds / USUAL_S)


FAULT = Fault(
    "sensor_not_ready", "warning", Say.SEEN, USUAL_S, _seen, Say.EFFECT, Say.NEXT, "left_out"
)
