"""A lambda sensor that does not answer."""

from __future__ import annotations

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message
from lean_trim.core.sieve.rules_limits import stuck_samples


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "sensor_stuck.seen",
        "The lambda reading did not move for {seconds:.0f} s, first at {first} min, although the "
        "mixture had to.",
    )
    EFFECT = Message("sensor_stuck.effect", "Feedback that believed it ran away meanwhile.")
    NEXT = Message(
        "sensor_stuck.next",
        "Look at the sensor, its heater and its wiring, or at the logger, before the next drive.",
    )


def _seen(conditions: Conditions) -> Seen:
    return Seen(stuck_samples(conditions))


FAULT = Fault("sensor_stuck", "warning", Say.SEEN, 2.0, _seen, Say.EFFECT, Say.NEXT, "left_out")
