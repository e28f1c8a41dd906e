"""A feedback loop that swings by itself."""

from __future__ import annotations

import numpy as np

from lean_trim.core.data.channels import Role
from lean_trim.core.diagnosis.faults.swinging import swings_of
from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.narrowband import closed_loop
from lean_trim.core.drive.regimes import Regime
from lean_trim.core.messages import Message

SWING_RMS_PCT = 3.0
"""Standard deviation of the short trim about its mean over some seconds from which it swings
(common
practice, no source); a swing of 8 % from peak to peak has 2.8."""


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "feedback_swings.seen",
        "The short trim swings by itself, {size:.0f} % from peak to peak every {period:.1f} s, for "
        "{seconds:.0f} s in steady driving, first at {first} min: feedback is too quick for the "
        "sensor's delay.",
    )
    EFFECT = Message("feedback_swings.effect", "None on average: its mean is right.")
    NEXT = Message("feedback_swings.next", "Calm the loop before judging idle.")


def _seen(conditions: Conditions) -> Seen | None:
    """A loop of a narrowband sensor swings by its nature and is not told."""
    frame = conditions.frame
    log = frame.log
    if Role.STFT not in log or frame.vehicle.feedback != "wideband":
        return None
    steady = np.isin(conditions.regime, (Regime.IDLE, Regime.CRUISE)) & closed_loop(log)
    swings = swings_of(log[Role.STFT], steady, log.time_s, log.step_s)
    mask = swings.regular & (swings.size >= SWING_RMS_PCT)
    if not mask.any():
        return None
    peak = 2.0 * np.sqrt(2.0) * float(np.median(swings.size[mask]))
    return Seen(mask, {"size": peak, "period": float(np.median(swings.period_s[mask]))})


FAULT = Fault("feedback_swings", "note", Say.SEEN, 15.0, _seen, Say.EFFECT, Say.NEXT)
