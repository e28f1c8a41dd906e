"""A mass-airflow sensor, or its curve, that can say no more."""

from __future__ import annotations

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.messages import Message
from lean_trim.core.sieve.rules_limits import airflow_pegged


class Say:
    """Sentences of this module."""

    SEEN = Message(
        "airflow_sensor_end.seen",
        "The airflow signal was at its end (past the curve, or flat while more air was drawn) for "
        "{seconds:.1f} s, first at {first} min: the ECU cannot see more air there and runs lean.",
    )
    EFFECT = Message(
        "airflow_sensor_end.effect",
        "Lean there is air nobody measured: the points at and past that reading stay as they are, "
        "whatever the rest of the curve does.",
    )
    NEXT = Message(
        "airflow_sensor_end.next",
        "A larger sensor or housing is needed; the Write page has this job's numbers. No full "
        "throttle until then.",
    )


def _seen(conditions: Conditions) -> Seen | None:
    if conditions.frame.vehicle.airflow != "maf":
        return None
    return Seen(airflow_pegged(conditions.frame))


FAULT = Fault(
    "airflow_sensor_end", "danger", Say.SEEN, 0.1, _seen, Say.EFFECT, Say.NEXT, "left_out"
)
