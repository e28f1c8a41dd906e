"""A lambda sensor that shows free air for moments while fuel burns."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import extend_mask
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

AFTER_CUT_S = 4.0
"""Gas of a fuel cut may stand in the pipe for so long."""
LASTS_S = (0.2, 8.0)
BEYOND = 1.22
FREE_AIR = 1.5
"""Lambda over target that no steady running has, and lambda that no missing cylinder makes."""
LEAST_SPELLS = 3
"""Spells from which a sensor is said to drop out: one alone may be anything."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "sensor_drops_out.seen",
        "The lambda sensor jumped to {lam:.2f} {count} times while fuel was burning, "
        "{seconds:.0f} s in all, first at {first} min: a wire, a heater or a leaking plug, not "
        "the mixture.",
    )
    EFFECT = Message(
        "sensor_drops_out.effect", "Feedback that believes it enriches for seconds after each jump."
    )
    NEXT = Message(
        "sensor_drops_out.next", "Look at the sensor's plug and wiring before the next drive."
    )


def _seen(conditions: Conditions) -> Seen | None:
    frame = conditions.frame
    log = frame.log
    if frame.lambda_of_loop:
        return None
    lam = log[Role.LAMBDA]
    cut = extend_mask(conditions.regime == Regime.OVERRUN, log.time_s, 0.5, AFTER_CUT_S)
    running = np.isin(conditions.regime, (Regime.IDLE, Regime.CRUISE, Regime.WARM_UP)) & ~cut
    with np.errstate(invalid="ignore"):
        far = (lam > BEYOND * frame.target) & running
    # A cylinder that misses reads lean as well, but not as lean as free air.
    air = min(FREE_AIR, conditions.motion.sensor_ends[1])
    edges = np.flatnonzero(np.diff(far.astype(np.int8), prepend=0, append=0))
    out = np.zeros(len(lam), bool)
    count = 0
    for begin, end in edges.reshape(-1, 2).tolist():
        lasts = log.time_s[end - 1] - log.time_s[begin] + log.step_s
        # Free air and back at once; what goes there slowly is a mixture.
        is_air = float(np.nanmax(lam[begin:end])) >= air
        if LASTS_S[0] <= lasts <= LASTS_S[1] and is_air and _jumped(lam, begin, end):
            out[begin:end] = True
            count += 1
    if count < LEAST_SPELLS:
        return None
    return Seen(out, {"lam": float(np.median(lam[out])), "count": count}, count / LEAST_SPELLS)


def _jumped(lam: np.ndarray, begin: int, end: int) -> bool:
    before = lam[max(begin - 1, 0)]
    after = lam[min(end, len(lam) - 1)]
    inside = float(np.median(lam[begin:end]))
    return bool(inside - max(before, after) > JUMP)


JUMP = 0.12
"""From one reading to the next, in lambda."""

FAULT = Fault("sensor_drops_out", "warning", Say.SEEN, 0.5, _seen, Say.EFFECT, Say.NEXT, "left_out")
