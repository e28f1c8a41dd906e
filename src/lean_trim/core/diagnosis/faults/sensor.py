"""Faults of how the mixture was measured: a sensor at its end at load, a log too slow for its delay."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

SLOW_STEP_S = 0.34
"""Readings further apart than this cannot be moved by a delay of a tenth of a second (common practice)."""


class Say:
    """Sentences of this module."""

    PEGGED = Message(
        "sensor.pegged",
        "The lambda sensor was at its end ({lam:.2f}) at full throttle for {seconds:.1f} s, first at {first} "
        "min: how far beyond the mixture is, nobody measured. Those seconds do not count; change the mixture "
        "by hand towards target before the next run.",
    )
    SLOW_LOG = Message(
        "sensor.slow_log",
        "A reading only every {step:.1f} s: too slow to follow the sensor's delay, so only steady driving "
        "counts. Log fewer channels, or faster.",
    )


def _pegged(conditions: Conditions) -> Seen | None:
    low, high = conditions.motion.sensor_ends
    raw = conditions.frame.log[Role.LAMBDA]
    with np.errstate(invalid="ignore"):
        mask = (conditions.regime == Regime.FULL_THROTTLE) & ((raw <= low) | (raw >= high))
    if not mask.any():
        return None
    return Seen(np.asarray(mask), {"lam": float(np.median(raw[mask]))})


def _slow_log(conditions: Conditions) -> Seen | None:
    step = conditions.frame.log.step_s
    if step <= SLOW_STEP_S:
        return None
    return Seen(np.ones(len(conditions.lam), bool), {"step": step})


PEGGED = Fault("lambda_at_its_end", "danger", Say.PEGGED, 0.3, _pegged)
SLOW_LOG = Fault("log_too_slow", "note", Say.SLOW_LOG, 1.0, _slow_log)
