"""Faults of what the ECU believes about air: a sensor at its end, a log of another calibration."""

from __future__ import annotations

import numpy as np

from lean_trim.core.diagnosis.finding import Fault, Seen
from lean_trim.core.drive.conditions import Conditions
from lean_trim.core.drive.pulse_width_proof import off_calibration
from lean_trim.core.messages import Message
from lean_trim.core.sieve.rules_limits import airflow_pegged


class Say:
    """Sentences of this module."""

    SENSOR_END = Message(
        "airflow.sensor_end",
        "The airflow signal was at its end (past the curve, or flat while more air was drawn) for "
        "{seconds:.1f} s, first at {first} min: the ECU cannot see more air there and runs lean. "
        "A larger sensor or housing is needed.",
    )
    OTHER_CALIBRATION = Message(
        "airflow.other_calibration",
        "For {seconds:.0f} s of steady running the pulse width does not follow from this table, these trims "
        "and these injector data: it is {ratio:.2f} × what they ask for. Was the log driven on another "
        "calibration?",
    )


def _sensor_end(conditions: Conditions) -> Seen | None:
    if conditions.frame.vehicle.airflow != "maf":
        return None
    return Seen(airflow_pegged(conditions.frame))


def _other_calibration(conditions: Conditions) -> Seen:
    off = off_calibration(conditions.frame, conditions.regime) & ~conditions.pulse_width_proven
    ratio = float(np.median(conditions.frame.fuel_ratio[off])) if off.any() else 1.0
    return Seen(off, {"ratio": ratio})


SENSOR_END = Fault("airflow_sensor_end", "danger", Say.SENSOR_END, 0.1, _sensor_end)
OTHER_CALIBRATION = Fault("other_calibration", "warning", Say.OTHER_CALIBRATION, 5.0, _other_calibration)
